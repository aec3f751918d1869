#include "desktop/bench/bend_plot.h"

#include <QPainter>
#include <algorithm>
#include <cmath>
#include <vector>

#include "core/lens/bend.h"
#include "desktop/widgets/look.h"

namespace glenhaze::desktop {

namespace {

// How far places lie farther out once they are straightened, px, from the centre to where the lens is judged.
std::vector<QPointF> bendAcross(const Lens& lens) {
  constexpr int kSteps = 60;
  std::vector<QPointF> curve;
  const Point centre{lens.cx, lens.cy}, out = bendOf(lens).at - centre;
  for (int i = 0; i <= kSteps; ++i) {
    const double share = static_cast<double>(i) / kSteps;
    curve.emplace_back(share * length(out), bendAt(lens, centre + out * share));
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
  const Bend bend = bendOf(*now_);
  const QString figure = withUnit(bend.value_px, 1, QStringLiteral("px"));
  p.drawText(QRectF(rect()).adjusted(12, 5, -12, 0), static_cast<int>(Qt::AlignLeft | Qt::AlignTop),
             bend.at_corner ? tr("bend, px · corner %1").arg(figure) : tr("bend, px · here %1").arg(figure));
  p.drawText(QRectF(rect()).adjusted(12, 0, -12, -3), static_cast<int>(Qt::AlignRight | Qt::AlignBottom),
             before.empty() ? tr("from the centre") : tr("from the centre · dashed: profile now"));
}

}  // namespace glenhaze::desktop
