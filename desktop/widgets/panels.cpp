#include "desktop/widgets/panels.h"

#include <QAbstractItemView>
#include <QEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QSettings>
#include <QStyleOptionSlider>
#include <QToolButton>

#include "desktop/widgets/look.h"

namespace glenhaze::desktop {

void makeDeep(QWidget& widget) {
  widget.setAutoFillBackground(true);
  QPalette palette = widget.palette();
  palette.setColor(QPalette::Window, look::kDeep);
  widget.setPalette(palette);
}

namespace {

QLabel* wrapped(const QString& text, const QColor& colour) {
  auto* label = new QLabel(text);
  label->setWordWrap(true);
  label->setStyleSheet(QStringLiteral("color:%1").arg(colour.name()));
  return label;
}

}  // namespace

QLabel* quietLabel(const QString& text) { return wrapped(text, look::kQuiet); }
QLabel* fieldLabel(const QString& text) {
  auto* label = quietLabel(text);
  label->setWordWrap(false);
  return label;
}

QLabel* noticeLabel() { return wrapped({}, look::kGorse); }

namespace {

class EmptyHint : public QLabel {
 public:
  EmptyHint(QAbstractItemView& view, const QString& hint) : QLabel(hint, view.viewport()), view_(view) {
    setWordWrap(true);
    setAlignment(Qt::AlignCenter);
    setAttribute(Qt::WA_TransparentForMouseEvents);
    setStyleSheet(QStringLiteral("color:%1").arg(look::kQuiet.name()));
    setMargin(16);
    view.viewport()->installEventFilter(this);
    const QAbstractItemModel* model = view.model();
    connect(model, &QAbstractItemModel::modelReset, this, [this] { look(); });
    connect(model, &QAbstractItemModel::rowsInserted, this, [this] { look(); });
    connect(model, &QAbstractItemModel::rowsRemoved, this, [this] { look(); });
    look();
  }

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override {
    if (event->type() == QEvent::Resize || event->type() == QEvent::Show) look();
    return QLabel::eventFilter(watched, event);
  }

 private:
  void look() {
    setGeometry(view_.viewport()->rect());
    setVisible(view_.model()->rowCount() == 0);
  }
  QAbstractItemView& view_;
};

}  // namespace

void hintWhileEmpty(QAbstractItemView& view, const QString& hint) { new EmptyHint(view, hint); }

QToolButton* guideMark(const QString& topic) {
  auto* mark = new QToolButton;
  mark->setText(QStringLiteral("?"));
  mark->setAutoRaise(true);
  mark->setFixedSize(22, 22);
  mark->setAccessibleName(QObject::tr("Guide: %1").arg(topic));
  mark->setToolTip(QObject::tr("“%1” in the guide").arg(topic));
  mark->setProperty("topic", topic);
  QObject::connect(mark, &QToolButton::clicked, mark, [mark, topic] {
    // The window that has the guide; a dialog's is the one below it.
    for (QWidget* above = mark->window(); above != nullptr;
         above = above->parentWidget() != nullptr ? above->parentWidget()->window() : nullptr)
      if (QMetaObject::invokeMethod(above, "showGuideAt", Q_ARG(QString, topic))) return;
  });
  return mark;
}

namespace {

class ShiftClick : public QObject {
 public:
  explicit ShiftClick(QAbstractItemView& view) : QObject(&view), view_(view) {
    view.viewport()->installEventFilter(this);
  }

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override {
    if (event->type() != QEvent::MouseButtonPress) return QObject::eventFilter(watched, event);
    const auto* mouse = static_cast<QMouseEvent*>(event);
    const QModelIndex row = view_.indexAt(mouse->position().toPoint()).siblingAtColumn(0);
    if (mouse->button() != Qt::LeftButton || mouse->modifiers() != Qt::ShiftModifier ||
        !row.flags().testFlag(Qt::ItemIsUserCheckable))
      return QObject::eventFilter(watched, event);
    const bool out = row.data(Qt::CheckStateRole).toInt() != Qt::Checked;
    view_.model()->setData(row, out ? Qt::Checked : Qt::Unchecked, Qt::CheckStateRole);
    return true;
  }

 private:
  QAbstractItemView& view_;
};

}  // namespace

void leaveOutByShiftClick(QAbstractItemView& view) { new ShiftClick(view); }

void rememberSizes(QSplitter& splitter, const QString& name) {
  const QString key = QStringLiteral("panels/") + name;
  splitter.restoreState(QSettings().value(key).toByteArray());
  QObject::connect(&splitter, &QSplitter::splitterMoved, &splitter,
                   [&splitter, key] { QSettings().setValue(key, splitter.saveState()); });
}

void PositionSlider::setRendered(std::optional<FrameRange> range) {
  rendered_ = range;
  update();
}

void PositionSlider::paintEvent(QPaintEvent* event) {
  QSlider::paintEvent(event);
  if (!rendered_ || maximum() <= minimum()) return;
  QStyleOptionSlider option;
  initStyleOption(&option);
  const QRect groove = style()->subControlRect(QStyle::CC_Slider, &option, QStyle::SC_SliderGroove, this);
  const QRect handle = style()->subControlRect(QStyle::CC_Slider, &option, QStyle::SC_SliderHandle, this);
  const auto at = [&](int64_t frame) {
    const double share = static_cast<double>(frame - minimum()) / (maximum() - minimum());
    return groove.left() + handle.width() / 2.0 + share * (groove.width() - handle.width());
  };
  const double left = at(rendered_->first), right = at(rendered_->last - 1), low = height() - 3;
  // A bracket under the groove: it reads without its colour.
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(QPen(look::kText, 1.5));
  p.drawPolyline(QPolygonF{{left, low - 5}, {left, low}, {right, low}, {right, low - 5}});
}

}  // namespace glenhaze::desktop
