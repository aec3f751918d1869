#include <algorithm>
#include <cmath>

#include "core/base/parallel.h"
#include "core/motion/stabilize.h"

namespace glenhaze {

namespace {

constexpr int kPerSide = 16;
constexpr size_t kBorder = 4 * kPerSide;

// Places along the picture's border, in order around it.
Point borderPoint(size_t k, double w, double h) {
  const double t = static_cast<double>(k % kPerSide) / kPerSide;
  switch (k / kPerSide) {
    case 0:
      return {t * w, 0};
    case 1:
      return {w, t * h};
    case 2:
      return {(1 - t) * w, h};
    default:
      return {0, (1 - t) * h};
  }
}

// The nearest that a stretch comes to the middle, as the larger of |x| and |y|: convex along the stretch, so
// one of its ends, a zero of either, or a place where both are equal.
double nearest(Point a, Point b) {
  const auto at = [&](double t) {
    return std::max(std::abs(a.x + t * (b.x - a.x)), std::abs(a.y + t * (b.y - a.y)));
  };
  double best = std::min(at(0), at(1));
  const double dx = b.x - a.x, dy = b.y - a.y;
  const auto consider = [&](double numerator, double denominator) {
    if (std::abs(denominator) < 1e-12) return;
    const double t = -numerator / denominator;
    if (t > 0 && t < 1) best = std::min(best, at(t));
  };
  consider(a.x, dx);
  consider(a.y, dy);
  consider(a.x - a.y, dx - dy);
  consider(a.x + a.y, dx + dy);
  return best;
}

}  // namespace

StabilizationRoom::StabilizationRoom(const CameraPath& path, const Lens& lens, const Shutter& shutter,
                                     const LensWindow& window)
    : path_(path), window_(window), focal_px_(lens.fx) {
  const LensMap map(lens);
  const RowTimes rows(shutter, lens.width, lens.height);
  std::vector<std::optional<Ray>> rays(kBorder);
  std::vector<double> times(kBorder);
  for (size_t k = 0; k < kBorder; ++k) {
    const Point p = borderPoint(k, lens.width - 1, lens.height - 1);
    rays[k] = map.pixelToRay(p);
    times[k] = rows.at(p);
  }
  borders_.resize(path.frames().size() * kBorder);
  parallelBlocks(static_cast<int>(path.frames().size()), 16, [&](int first, int last) {
    for (int n = first; n < last; ++n)
      for (size_t k = 0; k < kBorder; ++k) {
        const auto i = static_cast<size_t>(n);
        const PathFrame& f = path.frames()[i];
        auto& to = borders_[i * kBorder + k];
        if (!rays[k]) {
          to = {0, 0, 0};  // outside the lens's field: no bound
          continue;
        }
        // Against the frame, not the world: floats are good to a hundredth of a pixel so.
        const Ray seen{(rays[k]->x - f.shift.x * rays[k]->z) / f.scale,
                       (rays[k]->y - f.shift.y * rays[k]->z) / f.scale, rays[k]->z};
        const Ray turned = path.turnSince(i, times[k]) * seen;
        to = {static_cast<float>(turned.x), static_cast<float>(turned.y), static_cast<float>(turned.z)};
      }
  });
}

double StabilizationRoom::neededZoom(size_t i, const VirtualFrame& view, double size) const {
  const RotationMatrix to_view = matrixOf(inverse(view.orientation) * path_.frames()[i].orientation);
  const double half_w = window_.width() / 2.0, half_h = window_.height() / 2.0;
  const Point middle{(window_.width() - 1) / 2.0 + view.offset.x * window_.width(),
                     (window_.height() - 1) / 2.0 + view.offset.y * window_.height()};
  std::array<Point, kBorder> at;
  std::array<bool, kBorder> seen{};
  for (size_t k = 0; k < kBorder; ++k) {
    const auto& d = borders_[i * kBorder + k];
    if (d[0] == 0 && d[1] == 0 && d[2] == 0) continue;
    Ray ray = to_view * Ray{d[0], d[1], d[2]};
    if (ray.z < 0.02) continue;
    ray = {view.scale * ray.x + view.shift.x * ray.z, view.scale * ray.y + view.shift.y * ray.z, ray.z};
    const auto p = window_.fromRay(ray);
    if (!p) continue;
    seen[k] = true;
    at[k] = {(p->x - middle.x) / half_w, (p->y - middle.y) / half_h};
  }
  double room = 1e3;
  for (size_t k = 0; k < kBorder; ++k) {
    const size_t next = (k + 1) % kBorder;
    if (seen[k] && seen[next])
      room = std::min(room, nearest(at[k], at[next]));
    else if (seen[k])
      room = std::min(room, std::max(std::abs(at[k].x), std::abs(at[k].y)));
  }
  return size / std::max(room, 1e-3);
}

}  // namespace glenhaze
