#include "desktop/bench/path_plot.h"

#include <QMouseEvent>
#include <QPainter>
#include <algorithm>
#include <cmath>
#include <numbers>

#include "desktop/widgets/look.h"

namespace glenhaze::desktop {

namespace {

constexpr double kDegrees = 180 / std::numbers::pi;

// Turns summed up step by step, as angles: pan, tilt, roll.
std::array<std::vector<float>, 3> along(const std::function<Quaternion(size_t)>& at, size_t count,
                                        const std::array<float, 3>& start) {
  std::array<std::vector<float>, 3> lines;
  std::array<double, 3> sum{static_cast<double>(start[0]), static_cast<double>(start[1]),
                            static_cast<double>(start[2])};
  for (size_t i = 0; i < count; ++i) {
    if (i > 0) {
      const Turn t = turnOf(inverse(at(i - 1)) * at(i));
      sum[0] += t.y * kDegrees;
      sum[1] += t.x * kDegrees;
      sum[2] += t.z * kDegrees;
    }
    for (size_t a = 0; a < 3; ++a) lines[a].push_back(static_cast<float>(sum[a]));
  }
  return lines;
}

}  // namespace

PathPlot::PathPlot(QWidget* parent) : QWidget(parent) {
  setMinimumHeight(120);
  setAccessibleName(tr("The camera's path before and after"));
  setToolTip(tr(
      "Thin: the camera as it was held. Thick: as it is shown. Hatched: where it could not be followed well. "
      "Click to go there."));
}

void PathPlot::setMotion(std::shared_ptr<const MotionAnswer> motion, std::optional<FrameRange> range) {
  motion_ = std::move(motion);
  range_ = range;
  build();
  update();
}

void PathPlot::setFrame(int64_t frame) {
  frame_ = frame;
  update();
}

void PathPlot::build() {
  before_ = after_ = {};
  if (!motion_) return;
  const auto& frames = motion_->finding.path.frames();
  const auto& views = motion_->stabilized.frames;
  before_ = along([&](size_t i) { return frames[i].orientation; }, frames.size(), {0, 0, 0});
  if (views.empty()) return;
  const Turn off = turnOf(inverse(frames[0].orientation) * views[0].orientation);
  after_ = along([&](size_t i) { return views[i].orientation; }, views.size(),
                 {static_cast<float>(off.y * kDegrees), static_cast<float>(off.x * kDegrees),
                  static_cast<float>(off.z * kDegrees)});
}

QRectF PathPlot::area() const { return QRectF(rect()).adjusted(70, 8, -12, -8); }

double PathPlot::xOf(double frame) const {
  const QRectF a = area();
  const auto last = static_cast<double>(std::max<size_t>(2, before_[0].size()) - 1);
  return a.left() + frame / last * a.width();
}

void PathPlot::drawLane(QPainter& p, const QRectF& lane, size_t axis) const {
  const auto& before = before_[axis];
  const auto& after = after_[axis];
  auto [low, high] = std::minmax_element(before.begin(), before.end());
  double bottom = static_cast<double>(*low), top = static_cast<double>(*high);
  for (const float v : after) {
    bottom = std::min(bottom, static_cast<double>(v));
    top = std::max(top, static_cast<double>(v));
  }
  // At least a tenth of a degree, so that noise does not fill the lane.
  const double middle = (top + bottom) / 2, half = std::max(0.05, (top - bottom) / 2) * 1.1;
  const auto line = [&](const std::vector<float>& values) {
    QPolygonF out;
    // No more points than pixels.
    const size_t stride = std::max<size_t>(1, values.size() / static_cast<size_t>(std::max(1, width())));
    for (size_t i = 0; i < values.size(); i += stride)
      out << QPointF(
          xOf(static_cast<double>(i)),
          lane.center().y() - (static_cast<double>(values[i]) - middle) / half * lane.height() / 2);
    return out;
  };
  static const std::array<const char*, 3> kNames = {QT_TR_NOOP("Pan"), QT_TR_NOOP("Tilt"),
                                                    QT_TR_NOOP("Roll")};
  p.setPen(look::kText);
  p.drawText(QRectF(8, lane.top(), 60, lane.height() / 2), static_cast<int>(Qt::AlignLeft | Qt::AlignBottom),
             tr(kNames[axis]));
  p.setPen(look::kQuiet);
  p.drawText(QRectF(8, lane.center().y(), 60, lane.height() / 2),
             static_cast<int>(Qt::AlignLeft | Qt::AlignTop),
             QStringLiteral("±\u2009") + withUnit(half, half < 1 ? 2 : 1, QStringLiteral("°")));
  p.setPen(QPen(look::kLine, 1));
  p.drawLine(lane.bottomLeft(), lane.bottomRight());
  p.setPen(QPen(look::kQuiet, 1));
  p.drawPolyline(line(before));
  p.setPen(QPen(look::kText, 1.8));
  p.drawPolyline(line(after));
}

void PathPlot::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.fillRect(rect(), look::kGround);
  p.setFont(textFont(11));
  if (!motion_ || before_[0].size() < 2) {
    p.setPen(look::kQuiet);
    p.drawText(rect(), Qt::AlignCenter, tr("The path is not known yet"));
    return;
  }
  const QRectF a = area();
  for (const DoubtfulRange& d : motion_->stabilized.doubtful)
    p.fillRect(
        QRectF(QPointF(xOf(static_cast<double>(d.first)), a.top()),
               QPointF(std::max(xOf(static_cast<double>(d.first)) + 2, xOf(static_cast<double>(d.last))),
                       a.bottom())),
        QBrush(look::kGorse, Qt::BDiagPattern));
  if (range_) {
    const QColor out(30, 31, 32, 150);
    p.fillRect(QRectF(a.topLeft(), QPointF(xOf(static_cast<double>(range_->first)), a.bottom())), out);
    p.fillRect(QRectF(QPointF(xOf(static_cast<double>(range_->last)), a.top()), a.bottomRight()), out);
  }
  const double height = a.height() / 3;
  for (size_t axis = 0; axis < 3; ++axis)
    drawLane(p, QRectF(a.left(), a.top() + static_cast<double>(axis) * height + 3, a.width(), height - 6),
             axis);
  const double x = xOf(static_cast<double>(frame_));
  p.setPen(QPen(look::kThrift, 1.2));
  p.drawLine(QPointF(x, a.top()), QPointF(x, a.bottom()));
}

void PathPlot::mousePressEvent(QMouseEvent* event) {
  if (before_[0].size() < 2) return;
  const QRectF a = area();
  const double share = std::clamp((event->position().x() - a.left()) / a.width(), 0.0, 1.0);
  Q_EMIT chosen(std::llround(share * static_cast<double>(before_[0].size() - 1)));
}

void PathPlot::mouseMoveEvent(QMouseEvent* event) {
  if (event->buttons().testFlag(Qt::LeftButton)) mousePressEvent(event);
}

}  // namespace glenhaze::desktop
