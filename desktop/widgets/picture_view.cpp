#include "desktop/widgets/picture_view.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainterPath>
#include <QWheelEvent>
#include <algorithm>
#include <cmath>

#include "desktop/widgets/look.h"

namespace glenhaze::desktop {

PictureView::PictureView(QWidget* parent) : QWidget(parent) {
  setMinimumSize(240, 160);
  setMouseTracking(true);
  setFocusPolicy(Qt::StrongFocus);
  setAccessibleName(tr("Picture"));
  connect(&flash_timer_, &QTimer::timeout, this, [this] {
    constexpr double kStep = 0.035;
    flash_left_ -= kStep;
    if (flash_left_ <= 0) {
      flash_timer_.stop();
      flash_ = {};
    }
    update();
  });
}

void PictureView::flash(const QRectF& picture) {
  if (picture.isEmpty()) return;
  if (zoom_ > 0 && !QRectF(rect()).contains(toScreen(picture.center()))) centreOn(picture.center());
  flash_ = picture;
  flash_left_ = 1;
  flash_timer_.start(30);
  update();
}

void PictureView::drawFlash(QPainter& painter) const {
  if (flash_.isNull()) return;
  constexpr double kNear_px = 5, kFar_px = 60;
  const double away = kNear_px + kFar_px * std::max(0.0, 2 * flash_left_ - 1);
  const QRectF r =
      QRectF(toScreen(flash_.topLeft()), toScreen(flash_.bottomRight())).adjusted(-away, -away, away, away);
  painter.setOpacity(std::min(1.0, 3 * flash_left_));
  drawRimmed(painter, QPolygonF(r), 2);
  painter.setOpacity(1);
}

void PictureView::setPicture(const QImage& image, QSize size) {
  if (size != size_) centre_ = QPointF(size.width() / 2.0, size.height() / 2.0);
  size_ = size;
  first_ = image;
  update();
}

void PictureView::setSecond(const QImage& image) {
  second_ = image;
  update();
}

void PictureView::setLayoutMode(Layout mode) {
  if (mode == mode_) return;
  mode_ = mode;
  update();
}

void PictureView::setHold(bool hold) {
  if (hold == hold_) return;
  hold_ = hold;
  update();
}

QRectF PictureView::paneRect(int pane) const {
  if (mode_ != Layout::Side) return rect();
  const double w = (width() - 4) / 2.0;
  return {pane == 0 ? 0.0 : w + 4, 0, w, static_cast<double>(height())};
}

double PictureView::shownScale() const {
  if (zoom_ > 0) return zoom_ / devicePixelRatioF();
  const QRectF pane = paneRect(0);
  if (size_.isEmpty()) return 1;
  return std::min(pane.width() / size_.width(), pane.height() / size_.height());
}

QPointF PictureView::toScreen(QPointF p, int pane) const {
  const QPointF focus = zoom_ > 0 ? centre_ : QPointF(size_.width() / 2.0, size_.height() / 2.0);
  // Picture points count pixel centres; the image's corner is half a pixel further out.
  return paneRect(pane).center() + (p + QPointF(0.5, 0.5) - focus) * shownScale();
}

QPointF PictureView::toPicture(QPointF screen) const {
  const int pane = mode_ == Layout::Side && screen.x() > paneRect(1).left() ? 1 : 0;
  const QPointF focus = zoom_ > 0 ? centre_ : QPointF(size_.width() / 2.0, size_.height() / 2.0);
  return (screen - paneRect(pane).center()) / shownScale() + focus - QPointF(0.5, 0.5);
}

void PictureView::setZoom(double zoom, QPointF around) {
  const QPointF anchor = around.x() < 0 ? QPointF(width() / 2.0, height() / 2.0) : around;
  const QPointF before = toPicture(anchor);
  zoom_ = zoom;
  const QPointF after = toPicture(anchor);
  centre_ += before - after;
  centre_.setX(std::clamp(centre_.x(), 0.0, static_cast<double>(size_.width())));
  centre_.setY(std::clamp(centre_.y(), 0.0, static_cast<double>(size_.height())));
  update();
  Q_EMIT viewChanged();
}

void PictureView::lookAs(const PictureView& other) {
  if (size_ != other.size_) first_ = {};
  size_ = other.size_;
  zoom_ = other.zoom_;
  centre_ = other.centre_;
  update();
  Q_EMIT viewChanged();
}

void PictureView::centreOn(QPointF p) {
  centre_ = p;
  update();
}

void PictureView::setOverlay(Overlay overlay) {
  overlay_ = std::move(overlay);
  update();
}

void PictureView::setNote(const QString& note) {
  if (note == note_) return;
  note_ = note;
  update();
}

void PictureView::drawPane(QPainter& painter, const QImage& image, int pane) const {
  if (image.isNull()) return;
  const QPointF corner = toScreen(QPointF(-0.5, -0.5), pane);
  const QRectF target(corner, QSizeF(size_) * shownScale());
  // Pixels stay pixels when enlarged; smooth when reduced.
  painter.setRenderHint(QPainter::SmoothPixmapTransform,
                        shownScale() * size_.width() < image.width() || zoom_ == 0);
  painter.drawImage(target, image);
}

QLineF PictureView::dividerLine() const {
  const QPointF at(divider_.x() * width(), divider_.y() * height());
  const double a = divider_angle_ * M_PI / 180, reach = width() + height();
  const QPointF d(std::cos(a) * reach, std::sin(a) * reach);
  return {at - d, at + d};
}

bool PictureView::nearDivider(QPointF p) const {
  if (mode_ != Layout::Divider || second_.isNull()) return false;
  const QLineF line = dividerLine();
  const QPointF d = line.p2() - line.p1(), v = p - line.p1();
  return std::abs(d.x() * v.y() - d.y() * v.x()) / std::hypot(d.x(), d.y()) < 9;
}

void PictureView::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.fillRect(rect(), look::kSurround);
  if (first_.isNull() && second_.isNull()) return;
  if (hold_ && !second_.isNull()) {
    for (int pane = 0; pane < (mode_ == Layout::Side ? 2 : 1); ++pane) {
      p.setClipRect(paneRect(pane));
      drawPane(p, second_, pane);
    }
  } else if (mode_ == Layout::Side) {
    p.setClipRect(paneRect(0));
    drawPane(p, second_.isNull() ? first_ : second_, 0);
    p.setClipRect(paneRect(1));
    drawPane(p, first_, 1);
  } else {
    drawPane(p, first_, 0);
    if (mode_ == Layout::Divider && !second_.isNull()) {
      const QLineF line = dividerLine();
      const QPointF normal(-(line.dy()), line.dx());
      QPolygonF half{line.p1(), line.p2(), line.p2() + normal, line.p1() + normal};
      QPainterPath clip;
      clip.addPolygon(half);
      p.setClipPath(clip);
      p.fillRect(rect(), look::kSurround);
      drawPane(p, second_, 0);
    }
  }
  p.setClipping(false);
  p.setRenderHint(QPainter::Antialiasing);
  for (int pane = 0; pane < (mode_ == Layout::Side ? 2 : 1); ++pane) {
    if (!overlay_) break;
    p.save();
    p.setClipRect(paneRect(pane));
    overlay_(p, *this, pane);
    p.restore();
  }
  if (mode_ == Layout::Divider && !second_.isNull() && !hold_) {
    const QLineF line = dividerLine();
    drawRimmed(p, QPolygonF{line.p1(), line.p2()}, 1.2);
    p.setPen(QPen(look::kDeep, 1));
    p.setBrush(look::kText);
    p.drawEllipse(QPointF(divider_.x() * width(), divider_.y() * height()), 5, 5);
  }
  drawFlash(p);
  if (!note_.isEmpty()) drawTag(p, QPointF(12, height() - 14), note_);
}

void PictureView::wheelEvent(QWheelEvent* event) {
  static constexpr std::array<double, 5> kSteps = {0.5, 1, 2, 4, 8};
  const double now = zoom_ > 0 ? zoom_ : shownScale() * devicePixelRatioF();
  if (event->angleDelta().y() > 0) {
    for (const double step : kSteps)
      if (step > now * 1.01) return setZoom(step, event->position());
  } else {
    const double fit = std::min(width() / std::max(1.0, static_cast<double>(size_.width())),
                                height() / std::max(1.0, static_cast<double>(size_.height())));
    for (auto step = kSteps.rbegin(); step != kSteps.rend(); ++step)
      if (*step < now * 0.99 && *step > fit) return setZoom(*step, event->position());
    setZoom(0);
  }
}

void PictureView::mousePressEvent(QMouseEvent* event) {
  last_ = event->position();
  setFocus();
  if (event->button() != Qt::LeftButton && event->button() != Qt::MiddleButton) return;
  if (event->button() == Qt::LeftButton && nearDivider(last_)) {
    drag_ = event->modifiers().testFlag(Qt::ShiftModifier) ? Drag::Turn : Drag::Divider;
  } else if (event->button() == Qt::LeftButton && on_press &&
             on_press(toPicture(last_), event->modifiers())) {
    drag_ = Drag::Tool;
  } else {
    drag_ = Drag::Pan;
  }
}

void PictureView::mouseMoveEvent(QMouseEvent* event) {
  const QPointF now = event->position();
  switch (drag_) {
    case Drag::Pan:
      if (zoom_ > 0) {
        centre_ -= (now - last_) / shownScale();
        update();
        Q_EMIT viewChanged();
      }
      break;
    case Drag::Divider:
      divider_ += QPointF((now - last_).x() / width(), (now - last_).y() / height());
      divider_.setX(std::clamp(divider_.x(), 0.0, 1.0));
      divider_.setY(std::clamp(divider_.y(), 0.0, 1.0));
      update();
      break;
    case Drag::Turn: {
      const QPointF d = now - QPointF(divider_.x() * width(), divider_.y() * height());
      divider_angle_ = std::atan2(d.y(), d.x()) * 180 / M_PI;
      if (divider_angle_ < 0) divider_angle_ += 180;
      update();
      break;
    }
    case Drag::Tool:
      if (on_drag) on_drag(toPicture(now));
      break;
    case Drag::None:
      setCursor(nearDivider(now) ? Qt::SizeAllCursor : Qt::ArrowCursor);
      break;
  }
  last_ = now;
}

void PictureView::mouseReleaseEvent(QMouseEvent* event) {
  if (drag_ == Drag::Tool && on_release) on_release(toPicture(event->position()));
  drag_ = Drag::None;
}

void PictureView::mouseDoubleClickEvent(QMouseEvent* event) {
  if (on_double_click) on_double_click(toPicture(event->position()));
}

void PictureView::keyPressEvent(QKeyEvent* event) {
  const double step = 40 / shownScale();
  switch (event->key()) {
    case Qt::Key_Left:
      centre_.rx() -= step;
      break;
    case Qt::Key_Right:
      centre_.rx() += step;
      break;
    case Qt::Key_Up:
      centre_.ry() -= step;
      break;
    case Qt::Key_Down:
      centre_.ry() += step;
      break;
    default:
      return QWidget::keyPressEvent(event);
  }
  if (zoom_ == 0) return QWidget::keyPressEvent(event);
  update();
  Q_EMIT viewChanged();
}

void drawRimmed(QPainter& painter, const QPolygonF& line, double width) {
  painter.setBrush(Qt::NoBrush);
  painter.setPen(QPen(look::kDeep, width + 2.6, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
  painter.drawPolyline(line);
  painter.setPen(QPen(look::kText, width, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
  painter.drawPolyline(line);
}

void drawTag(QPainter& painter, QPointF at, const QString& text) {
  painter.setFont(textFont(11));
  const QFontMetricsF metrics(painter.font());
  const QRectF box(at.x(), at.y() - metrics.height() - 3, metrics.horizontalAdvance(text) + 12,
                   metrics.height() + 4);
  painter.fillRect(box, look::kPaper);
  painter.setPen(look::kInk);
  painter.drawText(box, Qt::AlignCenter, text);
}

}  // namespace glenhaze::desktop
