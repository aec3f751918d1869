#include "desktop/bench/shutter_plot.h"

#include <QPainter>
#include <algorithm>
#include <cmath>

#include "desktop/widgets/look.h"

namespace glenhaze::desktop {

// What is shown, and where it lies on the screen.
struct ShutterPlotView::Axes {
  double x0 = 0, x1 = 1, y0 = 0, y1 = 1;
  QRectF area;
  QPointF at(double x, double y) const {
    return {area.left() + (x - x0) / (x1 - x0) * area.width(),
            area.bottom() - (y - y0) / (y1 - y0) * area.height()};
  }
};

ShutterPlotView::ShutterPlotView(QWidget* parent) : QWidget(parent) {
  setMinimumHeight(150);
  setAccessibleName(tr("What the readout rests on"));
}

void ShutterPlotView::setPlot(ShutterPlot kind, const std::vector<std::pair<double, double>>& points,
                              double chosen_s, double flicker_hz) {
  kind_ = points.empty() ? ShutterPlot::None : kind;
  points_ = points;
  chosen_s_ = chosen_s;
  flicker_hz_ = flicker_hz;
  switch (kind_) {
    case ShutterPlot::Bands:
      setToolTip(tr("How much of the changes between frames a sine of so many bands explains"));
      break;
    case ShutterPlot::Lean:
      setToolTip(
          tr("Circles: lean of uprights in each frame over the speed of the pan. The line: the readout"));
      break;
    case ShutterPlot::Disagreement:
      setToolTip(tr("How far tracked places disagree with one turning camera, for each readout"));
      break;
    default:
      setToolTip({});
  }
  update();
}

namespace {

double niceStep(double span) {
  const double rough = span / 4, power = std::pow(10, std::floor(std::log10(rough)));
  for (const double m : {1.0, 2.0, 5.0})
    if (m * power >= rough) return m * power;
  return 10 * power;
}

QString tick(double v, double step) {
  return withUnit(std::abs(v) < step * 1e-6 ? 0 : v, step < 0.1 ? 2 : step < 1 ? 1 : 0, {});
}

}  // namespace

ShutterPlotView::Axes ShutterPlotView::axes() const {
  Axes a;
  a.area = QRectF(rect()).adjusted(40, 22, -14, -32);
  const auto [left, right] = std::minmax_element(points_.begin(), points_.end());
  a.x0 = left->first;
  a.x1 = right->first;
  for (const auto& [x, y] : points_) {
    a.y0 = std::min(a.y0, y);
    a.y1 = std::max(a.y1, y);
  }
  if (kind_ == ShutterPlot::Lean) {
    a.x0 = std::min(0.0, a.x0);
    a.x1 = std::max(0.0, a.x1);
    a.y1 = 0;
    for (const auto& [x, y] : points_) a.y1 = std::max(a.y1, y);
  }
  if (kind_ == ShutterPlot::Disagreement) {
    a.y1 = 0;
    for (const auto& [x, y] : points_) a.y1 = std::max(a.y1, y);
  }
  const double margin = 0.06 * (a.y1 - a.y0);
  a.y1 += margin;
  if (a.y0 < 0) a.y0 -= margin;
  if (a.x1 <= a.x0) a.x1 = a.x0 + 1;
  if (a.y1 <= a.y0) a.y1 = a.y0 + 1;
  return a;
}

void ShutterPlotView::drawAxes(QPainter& p, const Axes& a) const {
  const double sy = niceStep(a.y1 - a.y0), sx = niceStep(a.x1 - a.x0);
  for (double y = std::ceil(a.y0 / sy) * sy; y <= a.y1; y += sy) {
    p.setPen(QPen(look::kLine, 1));
    p.drawLine(a.at(a.x0, y), a.at(a.x1, y));
    p.setPen(look::kQuiet);
    p.drawText(QRectF(0, a.at(a.x0, y).y() - 8, 35, 16), static_cast<int>(Qt::AlignRight | Qt::AlignVCenter),
               tick(y, sy));
  }
  for (double x = std::ceil(a.x0 / sx) * sx; x <= a.x1 + 1e-9; x += sx) {
    const QPointF at = a.at(x, a.y0);
    p.setPen(QPen(look::kLine, 1));
    p.drawLine(at, at + QPointF(0, 4));
    p.setPen(look::kQuiet);
    p.drawText(QRectF(at.x() - 30, at.y() + 4, 60, 14), Qt::AlignCenter, tick(x, sx));
  }
  const auto title = [&](const QString& y, const QString& x) {
    p.setPen(look::kQuiet);
    p.drawText(QRectF(rect()).adjusted(10, 4, -10, 0), static_cast<int>(Qt::AlignLeft | Qt::AlignTop), y);
    p.drawText(QRectF(rect()).adjusted(10, 0, -10, -2), static_cast<int>(Qt::AlignRight | Qt::AlignBottom),
               x);
  };
  if (kind_ == ShutterPlot::Bands) title(tr("share explained"), tr("bands over the picture"));
  if (kind_ == ShutterPlot::Lean) title(tr("lean over the picture, px"), tr("speed, px per second"));
  if (kind_ == ShutterPlot::Disagreement)
    title(tr("disagreement, px"), tr("readout, ms; below 0: the other way"));
}

void ShutterPlotView::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.fillRect(rect(), look::kGround);
  p.setFont(textFont(11));
  if (kind_ == ShutterPlot::None) {
    p.setPen(look::kQuiet);
    p.drawText(rect(), Qt::AlignCenter, tr("nothing measured yet"));
    return;
  }
  const Axes a = axes();
  drawAxes(p, a);
  p.setClipRect(a.area.adjusted(-3, -3, 3, 3));
  if (kind_ == ShutterPlot::Lean) {
    p.setPen(QPen(look::kQuiet, 1));
    for (const auto& [x, y] : points_) p.drawEllipse(a.at(x, y), 2.6, 2.6);
    p.setPen(QPen(look::kText, 1.6));
    p.drawLine(a.at(a.x0, a.x0 * chosen_s_), a.at(a.x1, a.x1 * chosen_s_));
    return;
  }
  QPolygonF line;
  for (const auto& [x, y] : points_) line << a.at(x, y);
  p.setPen(QPen(look::kText, 1.6));
  p.drawPolyline(line);
  const double chosen = kind_ == ShutterPlot::Bands ? std::abs(chosen_s_) * flicker_hz_ : chosen_s_ * 1000;
  // A cap on the value, so that it does not read as part of the curve.
  const QPointF foot = a.at(chosen, a.y0), top = a.at(chosen, a.y1);
  p.setPen(QPen(look::kText, 1, Qt::DashLine));
  p.drawLine(foot, top);
  p.setBrush(look::kText);
  p.drawPolygon(QPolygonF{top + QPointF(-4, 0), top + QPointF(4, 0), top + QPointF(0, 6)});
}

}  // namespace glenhaze::desktop
