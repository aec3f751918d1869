#include "desktop/widgets/spine.h"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>

#include "desktop/widgets/look.h"

namespace glenhaze::desktop {

namespace {
QStringList names() {
  return {QObject::tr("Shoot"), QObject::tr("Bench"), QObject::tr("Compare"), QObject::tr("Run")};
}
}  // namespace

Spine::Spine(QWidget* parent) : QWidget(parent) {
  setFixedWidth(96);
  setFocusPolicy(Qt::TabFocus);
  setAccessibleName(tr("Places"));
}

void Spine::setCurrent(int place) {
  current_ = place;
  setAccessibleDescription(names().value(place));
  update();
}

void Spine::setNote(int place, const QString& note, bool wrong) {
  notes_[static_cast<size_t>(place)] = {note, wrong};
  update();
}

int Spine::placeAt(int y) const {
  const int place = (y - kTop) / kHeight;
  return y >= kTop && place < 4 ? place : -1;
}

void Spine::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.fillRect(rect(), look::kDeep);
  for (int i = 0; i < 4; ++i) {
    const QRect area(0, kTop + i * kHeight, width(), kHeight);
    if (i == current_) {
      p.fillRect(area, look::kGround);
      p.fillRect(QRect(0, area.top(), 3, area.height()), look::kThrift);
    }
    p.setFont(textFont(13, i == current_));
    p.setPen(look::kText);
    p.drawText(area.adjusted(15, 10, 0, 0), static_cast<int>(Qt::AlignLeft | Qt::AlignTop), names()[i]);
    const Note& note = notes_[static_cast<size_t>(i)];
    p.setFont(textFont(11));
    p.setPen(note.wrong ? look::kRust.lighter(115) : look::kQuiet);
    p.drawText(area.adjusted(15, 31, -4, 0), static_cast<int>(Qt::AlignLeft | Qt::AlignTop), note.text);
    if (i == current_ && hasFocus()) {
      p.setPen(look::kThrift);
      p.drawRect(area.adjusted(5, 3, -4, -4));
    }
  }
}

void Spine::mousePressEvent(QMouseEvent* event) {
  if (const int place = placeAt(event->pos().y()); place >= 0) Q_EMIT chosen(place);
}

void Spine::keyPressEvent(QKeyEvent* event) {
  if (event->key() == Qt::Key_Up && current_ > 0) return Q_EMIT chosen(current_ - 1);
  if (event->key() == Qt::Key_Down && current_ < 3) return Q_EMIT chosen(current_ + 1);
  QWidget::keyPressEvent(event);
}

bool Spine::event(QEvent* event) {
  if (event->type() == QEvent::ToolTip) {
    auto* help = static_cast<QHelpEvent*>(event);
    if (const int place = placeAt(help->pos().y()); place >= 0)
      QToolTip::showText(help->globalPos(), tr("%1 (Ctrl+%2)").arg(names()[place]).arg(place + 1), this);
    return true;
  }
  return QWidget::event(event);
}

}  // namespace glenhaze::desktop
