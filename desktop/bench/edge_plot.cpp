#include "desktop/bench/edge_plot.h"

#include <QPainter>

#include "desktop/widgets/look.h"

namespace glenhaze::desktop {

EdgePlot::EdgePlot(QWidget* parent) : QWidget(parent) {
  setMinimumHeight(130);
  setAccessibleName(tr("Edge and contrast"));
  setToolTip(
      tr("Left: the edge as the camera draws it, from its dark to its bright side; what passes beyond them "
         "is the "
         "camera's own sharpening. Right: how much contrast is left of ever finer detail."));
}

void EdgePlot::setEdge(const std::optional<EdgeResponse>& edge) {
  edge_ = edge && edge->usable() ? edge : std::nullopt;
  update();
}

void EdgePlot::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.fillRect(rect(), look::kGround);
  p.setFont(textFont(11));
  p.setPen(look::kQuiet);
  if (!edge_) {
    p.drawText(rect(), Qt::AlignCenter, tr("no edge measured yet"));
    return;
  }
  const QRectF area = QRectF(rect()).adjusted(10, 20, -10, -20);
  const double half = area.width() / 2 - 10;
  drawEdge(p, {area.left(), area.top(), half, area.height()});
  drawContrast(p, {area.right() - half, area.top(), half, area.height()});
}

void EdgePlot::drawEdge(QPainter& p, const QRectF& area) const {
  constexpr double kShown_px = 5, kLow = -0.25, kHigh = 1.25;
  const auto at = [&](double x, double v) {
    return QPointF(area.left() + (x + kShown_px) / (2 * kShown_px) * area.width(),
                   area.bottom() - (v - kLow) / (kHigh - kLow) * area.height());
  };
  p.setPen(QPen(look::kLine, 1));
  for (const double side : {0.0, 1.0}) p.drawLine(at(-kShown_px, side), at(kShown_px, side));
  QPolygonF line;
  for (const auto& [x, v] : edge_->edge)
    if (x >= -kShown_px && x <= kShown_px) line << at(x, v);
  p.setPen(QPen(look::kText, 1.5));
  p.drawPolyline(line);
  p.setPen(look::kQuiet);
  p.drawText(QRectF(area.left(), area.top() - 18, area.width(), 16), Qt::AlignLeft, tr("edge"));
  p.drawText(QRectF(area.left(), area.bottom() + 3, area.width(), 16), Qt::AlignHCenter,
             withUnit(2 * kShown_px, 0, tr("px across")));
}

void EdgePlot::drawContrast(QPainter& p, const QRectF& area) const {
  constexpr double kNyquist = 0.5, kHigh = 1.4;
  const auto at = [&](double f, double v) {
    return QPointF(area.left() + f / kNyquist * area.width(),
                   area.bottom() - std::min(v, kHigh) / kHigh * area.height());
  };
  p.setPen(QPen(look::kLine, 1));
  for (const double v : {0.0, 0.5, 1.0}) p.drawLine(at(0, v), at(kNyquist, v));
  QPolygonF line;
  for (size_t i = 0; i < edge_->mtf.size(); ++i)
    if (const double f = static_cast<double>(i) * EdgeResponse::kMtfStep; f <= kNyquist)
      line << at(f, edge_->mtf[i]);
  p.setPen(QPen(look::kText, 1.5));
  p.drawPolyline(line);
  p.setPen(QPen(look::kThrift, 1, Qt::DashLine));
  if (edge_->mtf50 < kNyquist) p.drawLine(at(edge_->mtf50, 0), at(edge_->mtf50, 0.5));
  p.setPen(look::kQuiet);
  p.drawText(QRectF(area.left(), area.top() - 18, area.width(), 16), Qt::AlignLeft, tr("contrast left"));
  p.drawText(QRectF(area.left(), area.bottom() + 3, area.width(), 16), Qt::AlignLeft, QStringLiteral("0"));
  p.drawText(QRectF(area.left(), area.bottom() + 3, area.width(), 16), Qt::AlignRight, tr("0.5 cycles/px"));
}

}  // namespace glenhaze::desktop
