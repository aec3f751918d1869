#include "desktop/bench/noise_plot.h"

#include <QPainter>
#include <algorithm>
#include <cmath>

#include "desktop/widgets/look.h"

namespace glenhaze::desktop {

NoisePlot::NoisePlot(QWidget* parent) : QWidget(parent) {
  setMinimumHeight(150);
  setAccessibleName(tr("Noise over level"));
  setToolTip(
      tr("Deviation over luma level, both in 8-bit code values. Circles: what was seen of luma. Long dashes: "
         "the profile now."));
}

void NoisePlot::setCurves(const std::optional<NoiseCurve>& now, const std::optional<NoiseCurve>& before,
                          const std::vector<NoisePoint>& points) {
  now_ = now;
  before_ = before && now && *before == *now ? std::nullopt : before;
  points_ = points;
  update();
}

void NoisePlot::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.fillRect(rect(), look::kGround);
  p.setFont(textFont(11));
  p.setPen(look::kQuiet);
  if (!now_ && !before_) {
    p.drawText(rect(), Qt::AlignCenter, tr("nothing measured yet"));
    return;
  }
  const NoiseCurve& curve = now_ ? *now_ : *before_;
  double high = 1;
  for (const auto& sigma : curve.sigma)
    for (const double s : sigma) high = std::max(high, s);
  for (const NoisePoint& q : points_) high = std::max(high, std::sqrt(q.variance[0]));
  high *= 1.08;
  const QRectF area = QRectF(rect()).adjusted(30, 22, -34, -20);
  const auto at = [&](double level, double sigma) {
    return QPointF(area.left() + level / 255 * area.width(), area.bottom() - sigma / high * area.height());
  };
  const double step = high > 12 ? 5 : high > 5 ? 2 : 1;
  for (double s = 0; s < high; s += step) {
    p.setPen(QPen(look::kLine, 1));
    p.drawLine(at(0, s), at(255, s));
    p.setPen(look::kQuiet);
    p.drawText(QRectF(0, at(0, s).y() - 8, 25, 16), static_cast<int>(Qt::AlignRight | Qt::AlignVCenter),
               QString::number(s, 'f', 0));
  }
  static const std::array<Qt::PenStyle, 3> kStyles{Qt::SolidLine, Qt::DashDotLine, Qt::DotLine};
  static const std::array<const char*, 3> kNames{"Y′", "Cb", "Cr"};
  const auto draw = [&](const NoiseCurve& c, size_t channel, const QPen& pen) {
    QPolygonF line;
    for (size_t i = 0; i < c.level.size() && i < c.sigma[channel].size(); ++i)
      line << at(c.level[i], c.sigma[channel][i]);
    p.setPen(pen);
    p.drawPolyline(line);
    return line.isEmpty() ? QPointF() : line.back();
  };
  if (before_ && now_) draw(*before_, 0, QPen(look::kQuiet, 1, Qt::CustomDashLine));
  p.setPen(QPen(look::kQuiet, 1));
  for (const NoisePoint& q : points_) p.drawEllipse(at(q.level, std::sqrt(q.variance[0])), 2.2, 2.2);
  double last = -100;
  for (size_t c = 0; c < 3; ++c) {
    const QPointF end = draw(curve, c, QPen(look::kText, c == 0 ? 1.8 : 1.2, kStyles[c]));
    if (end.isNull()) continue;
    // Names beside the ends of the lines, moved apart where they would meet.
    const double y = std::abs(end.y() - last) < 13 ? last + 13 : end.y();
    last = y;
    p.setPen(look::kText);
    p.drawText(QRectF(end.x() + 4, y - 8, 30, 16), static_cast<int>(Qt::AlignLeft | Qt::AlignVCenter),
               QString::fromUtf8(kNames[c]));
  }
  p.setPen(look::kQuiet);
  p.drawText(QRectF(rect()).adjusted(10, 4, -10, 0), static_cast<int>(Qt::AlignLeft | Qt::AlignTop),
             tr("noise σ, code values"));
  p.drawText(QRectF(rect()).adjusted(10, 0, -10, -3), static_cast<int>(Qt::AlignRight | Qt::AlignBottom),
             tr("luma level"));
}

}  // namespace glenhaze::desktop
