#include "desktop/compare/own_marks.h"

#include <algorithm>

#include "desktop/widgets/look.h"
#include "desktop/widgets/picture_view.h"

namespace glenhaze::desktop {

namespace {

constexpr int kAcross = 44;         // places asked along the picture's width
constexpr double kLeast_px = 0.15;  // off by less is not to be seen

bool shown(Point at, PictureSize size) {
  return at.x >= 0 && at.y >= 0 && at.x < size.width && at.y < size.height;
}

}  // namespace

OwnMarks::OwnMarks(const PreviewFrame& frame, const Correction& correction, PictureSize source) {
  if (!frame.own || !correction.motion) return;
  known_ = true;
  taken_back_ = correction.mendsOwnMotion();
  seconds_ = frame.own_seconds;
  const Geometry geometry(correction, source);
  const RowTimes rows(correction.motion->shutter, source.width, source.height);
  const double step = static_cast<double>(source.width) / kAcross;
  for (double y = step / 2; y < source.height; y += step)
    for (double x = step / 2; x < source.width; x += step) {
      const Point at{x, y};
      const Point off = frame.own->at(at) * rows.at(at);
      farthest_ = std::max(farthest_, length(off));
      if (length(off) < kLeast_px) continue;
      const auto from = geometry.toOutput(at, frame.index),
                 to = geometry.toOutput(at - off * kTimes, frame.index);
      if (!from || !to || !shown(*from, geometry.output())) continue;
      marks_.push_back({{from->x, from->y}, {to->x, to->y}});
    }
}

void OwnMarks::draw(QPainter& painter, const PictureView& view, int pane) const {
  for (const Mark& m : marks_) {
    const QPointF from = view.toScreen(m.from, pane), to = view.toScreen(m.to, pane);
    drawRimmed(painter, QPolygonF{from, to}, 1.6);
    drawRimmed(painter, QPolygonF{from + QPointF(-2, 0), from + QPointF(2, 0)}, 3);
  }
}

QString OwnMarks::text() const {
  if (!known_) return {};
  if (farthest_ < kLeast_px)
    return QObject::tr("Nothing in this frame moves enough on its own to be seen leaning.");
  const QString off = withUnit(farthest_, 1, QStringLiteral("px"));
  const QString cost = withUnit(seconds_ * 1000, 0, QStringLiteral("ms"));
  return taken_back_ ? QObject::tr("Own motion: up to <b>%1</b> off, taken back; %2 a frame.").arg(off, cost)
                     : QObject::tr(
                           "Own motion leaves places up to <b>%1</b> off. Lines show where they belong, "
                           "%2 times as long.")
                           .arg(off)
                           .arg(kTimes, 0, 'f', 0);
}

}  // namespace glenhaze::desktop
