#include "desktop/bench/bend_plot.h"

#include <QPainter>
#include <algorithm>
#include <cmath>
#include <vector>

#include "desktop/widgets/look.h"

namespace glenhaze::desktop {

namespace {

// Displacement towards the straight picture along the diagonal, px; stops at the field's edge.
std::vector<QPointF> bendAcross(const Lens& lens) {
  std::vector<QPointF> curve;
  const LensMap map(lens);
  const double reach = std::hypot(lens.width, lens.height) / 2;
  for (int i = 0; i <= 60; ++i) {
    const double r = reach * i / 60, c = lens.width / (2 * reach), s = lens.height / (2 * reach);
    const auto p = map.undistort({lens.cx + r * c, lens.cy + r * s});
    if (!p) break;
    curve.emplace_back(r, std::hypot(p->x - lens.cx, p->y - lens.cy) - r);
  }
  return curve;
}

}  // namespace

BendPlot::BendPlot(QWidget* parent) : QWidget(parent) {
  setFixedHeight(116);
  setAccessibleName(tr("Bend over distance from the centre"));
}

void BendPlot::setLenses(const std::optional<Lens>& now, const std::optional<Lens>& before) {
  now_ = now;
  before_ = before;
  update();
}

void BendPlot::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.fillRect(rect(), look::kGround);
  p.setFont(textFont(11));
  p.setPen(look::kQuiet);
  if (!now_) {
    p.drawText(rect(), Qt::AlignCenter, tr("nothing measured yet"));
    return;
  }
  const auto now = bendAcross(*now_);
  const auto before = before_ && !(*before_ == *now_) ? bendAcross(*before_) : std::vector<QPointF>{};
  double low = 0, high = 1, reach = 1;
  for (const auto* curve : {&now, &before})
    for (const QPointF& q : *curve) {
      low = std::min(low, q.y());
      high = std::max(high, q.y());
      reach = std::max(reach, q.x());
    }
  const QRectF area = QRectF(rect()).adjusted(12, 22, -12, -20);
  const auto at = [&](QPointF q) {
    return QPointF(area.left() + q.x() / reach * area.width(),
                   area.bottom() - (q.y() - low) / (high - low) * area.height());
  };
  const auto draw = [&](const std::vector<QPointF>& curve, const QPen& pen) {
    QPolygonF line;
    for (const QPointF& q : curve) line << at(q);
    p.setPen(pen);
    p.drawPolyline(line);
  };
  p.setPen(QPen(look::kLine, 1));
  p.drawLine(at({0, 0}), at({reach, 0}));
  draw(before, QPen(look::kQuiet, 1.2, Qt::DashLine));
  draw(now, QPen(look::kText, 1.8));
  p.setPen(look::kQuiet);
  p.drawText(
      QRectF(rect()).adjusted(12, 5, -12, 0), static_cast<int>(Qt::AlignLeft | Qt::AlignTop),
      tr("bend, px · corner %1").arg(withUnit(now.empty() ? 0 : now.back().y(), 0, QStringLiteral("px"))));
  p.drawText(QRectF(rect()).adjusted(12, 0, -12, -3), static_cast<int>(Qt::AlignRight | Qt::AlignBottom),
             before.empty() ? tr("from the centre") : tr("from the centre · dashed: profile now"));
}

}  // namespace glenhaze::desktop
