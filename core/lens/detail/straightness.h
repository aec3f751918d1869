#pragma once
// How straight a set of points is, as filmed and through a lens.

#include <span>
#include <vector>

#include "core/base/geometry.h"
#include "core/lens/model.h"

namespace glenhaze::detail {

/// Points farther than this from the axis (tan of 79°) do not take part.
constexpr double kWidestTan = 5.0;

struct LineFit {
  double angle = 0;   ///< of the normal, rad
  double offset = 0;  ///< normal · point
  double rms = 0, worst = 0;
};

/// Total least squares; `weight[i]`: px as filmed per unit of distance.
LineFit fitLine(const std::vector<Point>& points, const std::vector<double>& weight);

/// Points through a lens onto the plane z = 1, with how many px as filmed one unit there is. Points outside
/// the lens's field are left out.
struct Straightened {
  std::vector<Point> points;
  std::vector<double> weight;
};
Straightened straighten(std::span<const Point> points, const LensMap& map);

/// From the first to the last point.
double lengthOf(std::span<const Point> points);

/// The farthest point from the chord, px.
double bowOf(std::span<const Point> points);

/// The same of the smooth curve through the points (a cubic over the chord, robustly fitted): single points
/// that texture beside the edge has drawn aside are not a bow.
double smoothBowOf(std::span<const Point> points);

/// At most `most` of the points, evenly spread.
std::vector<Point> evenly(const std::vector<Point>& points, size_t most);

}  // namespace glenhaze::detail
