#include "core/lens/detail/straightness.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

namespace glenhaze::detail {

LineFit fitLine(const std::vector<Point>& points, const std::vector<double>& weight) {
  Point mean;
  for (const Point& p : points) mean = mean + p * (1.0 / static_cast<double>(points.size()));
  double xx = 0, xy = 0, yy = 0;
  for (const Point& p : points) {
    const Point d = p - mean;
    xx += d.x * d.x;
    xy += d.x * d.y;
    yy += d.y * d.y;
  }
  LineFit fit;
  fit.angle = 0.5 * std::atan2(2 * xy, xx - yy) + M_PI / 2;
  const Point normal{std::cos(fit.angle), std::sin(fit.angle)};
  fit.offset = dot(normal, mean);
  double sum = 0;
  for (size_t i = 0; i < points.size(); ++i) {
    const double e = (dot(normal, points[i]) - fit.offset) * weight[i];
    sum += e * e;
    fit.worst = std::max(fit.worst, std::abs(e));
  }
  fit.rms = std::sqrt(sum / static_cast<double>(points.size()));
  return fit;
}

Straightened straighten(std::span<const Point> points, const LensMap& map) {
  Straightened out;
  const auto plane = [&](Point p) -> std::optional<Point> {
    const auto ray = map.pixelToRay(p);
    if (!ray || std::hypot(ray->x, ray->y) > kWidestTan * ray->z) return std::nullopt;
    return Point{ray->x / ray->z, ray->y / ray->z};
  };
  for (size_t i = 0; i < points.size(); ++i) {
    const auto here = plane(points[i]);
    if (!here) continue;
    // Scale across the edge: a px step along its normal as filmed.
    const Point before = points[i == 0 ? 0 : i - 1], after = points[std::min(i + 1, points.size() - 1)];
    const Point along = after - before;
    const double l = std::max(1e-9, length(along));
    const auto across = plane(points[i] + Point{-along.y / l, along.x / l});
    if (!across) continue;
    out.points.push_back(*here);
    out.weight.push_back(1 / std::max(1e-9, length(*across - *here)));
  }
  return out;
}

std::vector<Point> evenly(const std::vector<Point>& points, size_t most) {
  if (points.size() <= most) return points;
  std::vector<Point> out;
  for (size_t i = 0; i < most; ++i) out.push_back(points[i * (points.size() - 1) / (most - 1)]);
  return out;
}

double lengthOf(std::span<const Point> points) { return length(points.back() - points.front()); }

double bowOf(std::span<const Point> points) {
  const Point chord = points.back() - points.front();
  const double l = length(chord);
  if (l < 1e-9) return 0;
  double worst = 0;
  for (const Point& p : points) {
    const Point d = p - points.front();
    worst = std::max(worst, std::abs(d.x * chord.y - d.y * chord.x) / l);
  }
  return worst;
}

double smoothBowOf(std::span<const Point> points) {
  constexpr size_t kTerms = 4;
  if (points.size() < 3 * kTerms) return bowOf(points);
  const Point first = points.front(), chord = points.back() - first;
  const double l = length(chord);
  if (l < 1e-9) return 0;
  const auto n = static_cast<Eigen::Index>(points.size());
  Eigen::MatrixX4d basis(n, 4);
  Eigen::VectorXd offset(n), weight = Eigen::VectorXd::Ones(n);
  for (Eigen::Index i = 0; i < n; ++i) {
    const Point d = points[static_cast<size_t>(i)] - first;
    const double t = 2 * (d.x * chord.x + d.y * chord.y) / (l * l) - 1;
    basis.row(i) << 1, t, t * t, t * t * t;
    offset(i) = (d.x * chord.y - d.y * chord.x) / l;
  }
  Eigen::Vector4d c;
  for (int round = 0; round < 5; ++round) {
    c = (basis.transpose() * weight.asDiagonal() * basis)
            .ldlt()
            .solve(basis.transpose() * weight.asDiagonal() * offset);
    const Eigen::ArrayXd left = (offset - basis * c).array().abs();
    // Huber's weights; half of the points lie within the median.
    std::vector<double> sorted(left.begin(), left.end());
    std::nth_element(sorted.begin(), sorted.begin() + n / 2, sorted.end());
    const double near = std::max(1e-3, 1.5 * sorted[static_cast<size_t>(n / 2)]);
    weight = (near / left.max(near)).matrix();
  }
  const auto at = [&](double t) { return c(0) + t * (c(1) + t * (c(2) + t * c(3))); };
  double worst = 0;
  for (double t = -1; t <= 1; t += 1.0 / 64)
    worst = std::max(worst, std::abs(at(t) - (at(-1) * (1 - t) + at(1) * (1 + t)) / 2));
  return worst;
}

}  // namespace glenhaze::detail
