#include "core/lens/bend.h"

#include <cmath>

#include "core/lens/detail/straightness.h"

namespace glenhaze {

using detail::kWidestTan;

double bendAt(const Lens& lens, Point at) {
  const auto ray = LensMap(lens).pixelToRay(at);
  if (!ray || std::hypot(ray->x, ray->y) > kWidestTan * ray->z) return 0;
  const Point centre{lens.cx, lens.cy};
  const Point straight = centre + Point{lens.fx * ray->x / ray->z, lens.fy * ray->y / ray->z};
  return length(straight - centre) - length(at - centre);
}

Bend bendOf(const Lens& lens) {
  constexpr double kWidestJudged = 1.19;  // tangent of 50°
  const LensMap map(lens);
  const Point centre{lens.cx, lens.cy};
  Point corner = centre;
  for (const double x : {0.0, lens.width - 1.0})
    for (const double y : {0.0, lens.height - 1.0})
      if (length(Point{x, y} - centre) > length(corner - centre)) corner = {x, y};
  Bend bend;
  for (double share = 1; share > 0.05; share -= 0.01) {
    bend.at = centre + (corner - centre) * share;
    bend.at_corner = share == 1;
    const auto ray = map.pixelToRay(bend.at);
    if (ray && std::hypot(ray->x, ray->y) <= kWidestJudged * ray->z) break;
  }
  bend.value_px = bendAt(lens, bend.at);
  return bend;
}

double leftOutDeviation(const std::vector<double>& values, size_t groups) {
  constexpr size_t kLeast = 3;
  if (values.size() < kLeast) return -1;
  double mean = 0, sum = 0;
  for (const double b : values) mean += b / static_cast<double>(values.size());
  for (const double b : values) sum += (b - mean) * (b - mean);
  const auto n = static_cast<double>(values.size());
  // Without a group the others may not tell at all: then that one is all there is.
  const double lost = static_cast<double>(groups) / n;
  // Of few sectors the spread itself is not well known: Student's distribution is this much wider.
  const double few = n > kLeast ? std::sqrt((n - 1) / (n - kLeast)) : 2;
  return std::sqrt((n - 1) / n * sum) * lost * few;
}

}  // namespace glenhaze
