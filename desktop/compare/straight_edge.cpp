#include "desktop/compare/straight_edge.h"

#include <QLineF>
#include <QObject>
#include <QPainter>
#include <array>

#include "core/lens/edges.h"
#include "desktop/widgets/look.h"
#include "desktop/widgets/picture_view.h"

namespace glenhaze::desktop {

namespace {

// Of the edge followed from end to end; below 0 when there is no single one.
double bowOf(const Frame& frame, Point a, Point b) {
  const std::array<Point, 2> marks = {a, b};
  const SnappedEdge edge = snapEdge(frame, marks);
  if (!edge.found) return -1;
  const LensMap straight(straightLens(frame.width, frame.height, frame.width));
  return measureStraightness(edge.points, straight).bow_px;
}

}  // namespace

bool StraightEdge::press(QPointF at, double reach) {
  if (!on) return false;
  const auto near = [&](QPointF q) { return QLineF(at, q).length() < reach; };
  holds_a_ = near(a);
  if (!holds_a_ && !near(b)) a = at;
  held() = at;
  return true;
}

void StraightEdge::drag(QPointF at) { held() = at; }

void StraightEdge::draw(QPainter& p, const PictureView& v, int pane) const {
  if (!on) return;
  const QPointF from = v.toScreen(a, pane), to = v.toScreen(b, pane);
  drawRimmed(p, QPolygonF{from, to}, 1.4);
  p.setPen(QPen(look::kDeep, 1));
  p.setBrush(look::kText);
  for (const QPointF& q : {from, to}) p.drawRect(QRectF(q.x() - 4, q.y() - 4, 8, 8));
}

QString StraightEdge::measured(const Frame& corrected, const Frame& source,
                               const Correction& correction) const {
  const double now = bowOf(corrected, {a.x(), a.y()}, {b.x(), b.y()});
  if (now < 0) return QObject::tr("No single edge from end to end here.");
  QString text =
      QObject::tr("Bow under the straight edge: <b>%1</b>").arg(withUnit(now, 2, QStringLiteral("px")));
  if (!correction.lens) return text;
  const Geometry geometry(correction, {source.width, source.height});
  const auto from = geometry.toSource({a.x(), a.y()}, source.index),
             to = geometry.toSource({b.x(), b.y()}, source.index);
  if (!from || !to) return text;
  if (const double before = bowOf(source, *from, *to); before >= 0)
    text += QObject::tr(", in the source %1").arg(withUnit(before, 2, QStringLiteral("px")));
  return text;
}

}  // namespace glenhaze::desktop
