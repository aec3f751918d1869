#include "desktop/bench/lens_marks.h"

#include "core/lens/coverage.h"
#include "desktop/widgets/look.h"

namespace glenhaze::desktop {

namespace {

constexpr double kResidualScale = 30;

QPolygonF exaggerated(const std::vector<QPointF>& line, double times) {
  QPolygonF out;
  if (line.size() < 2) return out;
  const QPointF a = line.front(), chord = line.back() - a;
  const double l2 = QPointF::dotProduct(chord, chord);
  for (const QPointF& p : line) {
    const QPointF d = p - a;
    const QPointF along = chord * (QPointF::dotProduct(d, chord) / std::max(1e-9, l2));
    out << a + along + (d - along) * times;
  }
  return out;
}

std::optional<QPointF> place(const PictureView& view, const LensMarks& marks, Point source) {
  if (!marks.window) return view.toScreen({source.x, source.y});
  const auto out = marks.window->toOutput(source);
  if (!out) return std::nullopt;
  return view.toScreen({out->x, out->y});
}

void drawChart(QPainter& p, const PictureView& view, const LensMarks& marks) {
  if (!marks.state.chart()) return;
  for (const ChartView& v : marks.state.chart()->views) {
    if (v.frame != marks.frame) continue;
    for (size_t i = 0; i < v.corners.size(); ++i) {
      const auto at = place(view, marks, v.corners[i]);
      if (!at) continue;
      p.setBrush(Qt::NoBrush);
      p.setPen(QPen(look::kDeep, 3));
      p.drawEllipse(*at, 3.2, 3.2);
      p.setPen(QPen(look::kText, 1.3));
      p.drawEllipse(*at, 3.2, 3.2);
      if (i >= v.residuals.size() || marks.window) continue;
      const QPointF tip = *at + QPointF(v.residuals[i].x, v.residuals[i].y) * kResidualScale;
      drawRimmed(p, QPolygonF{*at, tip}, 1.3);
    }
    drawTag(p, QPointF(12, 28),
            v.left_out.empty() ? LensState::tr("corners, %1 left; arrows %2 times as large")
                                     .arg(withUnit(v.rms_px, 2, QStringLiteral("px")))
                                     .arg(static_cast<int>(kResidualScale))
                               : LensState::tr("left out: %1").arg(QString::fromStdString(v.left_out)));
    return;
  }
}

void drawEdges(QPainter& p, const PictureView& view, const LensMarks& marks) {
  const auto& finding = marks.state.edgeFinding();
  std::vector<QRectF> tags;
  for (size_t e = 0; e < marks.state.edges().size(); ++e) {
    const StraightEdge& edge = marks.state.edges()[e];
    if (edge.frame != marks.frame || edge.source != marks.state.shot().path.string()) continue;
    const bool chosen = static_cast<int>(e) == marks.chosen_row;
    const bool out = !edge.in_use || (finding && e < finding->edges.size() && finding->edges[e].left_out);
    std::vector<QPointF> line;
    for (const Point& q : edge.points)
      if (const auto at = place(view, marks, q)) line.push_back(*at);
    if (line.size() < 2) continue;
    QPolygonF drawn = exaggerated(line, marks.exaggerate ? kBowExaggeration : 1);
    if (out) {
      p.setPen(QPen(look::kQuiet, 1.2, Qt::DashLine));
      p.drawPolyline(drawn);
    } else {
      drawRimmed(p, drawn, chosen ? 3 : 1.5);
    }
    if (marks.exaggerate) {
      p.setPen(QPen(look::kText, 0.8, Qt::DotLine));
      p.drawLine(line.front(), line.back());
    }
    // Names only where there is room: the chosen edge and those whose tag covers no other.
    if (!finding || e >= finding->edges.size()) continue;
    const QPointF at = drawn[drawn.size() / 2] + QPointF(8, -4);
    const QRectF box(at.x() - 4, at.y() - 22, 90, 26);
    const bool free =
        std::none_of(tags.begin(), tags.end(), [&](const QRectF& t) { return t.intersects(box); });
    if (!chosen && (out || !free || tags.size() > 14)) continue;
    tags.push_back(box);
    drawTag(p, at, withUnit(finding->edges[e].rms_px, 2, QStringLiteral("px")));
  }
  if (marks.stroke.size() >= 2) {
    QPolygonF line;
    for (const Point& q : marks.stroke) line << view.toScreen({q.x, q.y});
    drawRimmed(p, line, 1.5);
  }
}

void drawCoverage(QPainter& p, const PictureView& view, const LensMarks& marks) {
  const std::vector<bool>* cells = nullptr;
  if (marks.state.way() == LensState::Way::Chart && marks.state.chart())
    cells = &marks.state.chart()->covered;
  if (marks.state.way() == LensState::Way::Edges && marks.state.edgeFinding())
    cells = &marks.state.edgeFinding()->covered;
  if (cells == nullptr || marks.window) return;
  const double w = marks.size.width(), h = marks.size.height();
  p.setPen(Qt::NoPen);
  p.setBrush(QBrush(QColor(0x2B, 0x2C, 0x2D, 200), Qt::BDiagPattern));
  for (int r = 0; r < kCoverageRows; ++r)
    for (int c = 0; c < kCoverageColumns; ++c)
      if (!(*cells)[static_cast<size_t>(r * kCoverageColumns + c)])
        p.drawRect(
            QRectF(view.toScreen({c * w / kCoverageColumns - 0.5, r * h / kCoverageRows - 0.5}),
                   view.toScreen({(c + 1) * w / kCoverageColumns - 0.5, (r + 1) * h / kCoverageRows - 0.5})));
}

void drawEnlargement(QPainter& p, const PictureView& view, const LensMarks& marks) {
  if (!marks.state.lens() || marks.state.lens()->width != marks.size.width()) return;
  const LensWindow window(*marks.state.lens(), {});
  constexpr int kColumns = 9, kRows = 5;
  const EnlargementMap map = enlargementMap(window, kColumns, kRows);
  for (int r = 0; r < kRows; ++r)
    for (int c = 0; c < kColumns; ++c) {
      const QPointF out((c + 0.5) * window.width() / kColumns, (r + 0.5) * window.height() / kRows);
      const auto source = window.toSource({out.x(), out.y()});
      if (!source) continue;
      const auto at = place(view, marks, *source);
      const float value = map.mean[static_cast<size_t>(r * kColumns + c)];
      if (at && value > 0)
        drawTag(p, *at + QPointF(-18, 8), withUnit(static_cast<double>(value), 2, QStringLiteral("×")));
    }
}

}  // namespace

void drawLensMarks(QPainter& p, const PictureView& view, const LensMarks& marks) {
  if (marks.coverage) drawCoverage(p, view, marks);
  if (marks.state.way() == LensState::Way::Chart) drawChart(p, view, marks);
  if (marks.state.way() != LensState::Way::Chart) drawEdges(p, view, marks);
  if (marks.enlargement) drawEnlargement(p, view, marks);
}

}  // namespace glenhaze::desktop
