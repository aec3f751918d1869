#include <algorithm>
#include <cmath>

#include "core/base/error.h"
#include "core/noise/measure.h"

namespace glenhaze {

namespace {

constexpr double kFirstLevel = 4, kLastLevel = 252, kLevelStep = 8;
constexpr double kReach = 9;    // codes: how far a point bends the curve around it
constexpr double kPrior = 400;  // samples that the model counts for where points are few

// Photon and read noise in light, seen through the curve of ITU-R BT.709-6 (item 1.2): what a camera's own
// curve does otherwise, the points say. Both are variances in code values squared for a unit of light.
struct Shape {
  double photon = 0, read = 0;
};

std::pair<double, double> basisAt(double level) {
  const double v = std::clamp((level - 16) / 219, 0.0, 1.0);
  const double light = v < 0.081 ? v / 4.5 : std::pow((v + 0.099) / 1.099, 1 / 0.45);
  const double slope = light < 0.018 ? 4.5 : 1.099 * 0.45 * std::pow(light, -0.55);
  return {light * slope * slope, slope * slope};
}

double shapeAt(const Shape& s, double level) {
  const auto [photon, read] = basisAt(level);
  return s.photon * photon + s.read * read;
}

// Weighted least squares of relative errors, neither part below zero.
Shape fitShape(std::span<const NoisePoint> points, size_t channel) {
  double pp = 0, pr = 0, rr = 0, py = 0, ry = 0;
  for (const NoisePoint& point : points) {
    if (point.weight[channel] <= 0 || point.variance[channel] <= 0) continue;
    const auto [p, r] = basisAt(point.level);
    const double w = std::min(point.weight[channel], 1e4) /
                     (point.variance[channel] * point.variance[channel]),
                 y = point.variance[channel];
    pp += w * p * p;
    pr += w * p * r;
    rr += w * r * r;
    py += w * p * y;
    ry += w * r * y;
  }
  const double det = pp * rr - pr * pr;
  Shape s;
  if (det > 1e-12 * pp * rr) s = {(rr * py - pr * ry) / det, (pp * ry - pr * py) / det};
  if (s.photon <= 0 && s.read <= 0) s = {pp > 0 ? py / pp : 0, 0};
  if (s.read < 0) s = {py / std::max(1e-12, pp), 0};
  if (s.photon < 0) s = {0, ry / std::max(1e-12, rr)};
  return s;
}

}  // namespace

NoiseCurve curveThrough(std::span<const NoisePoint> points, double iso) {
  if (points.empty())
    throw Error(ErrorKind::Evidence, "There is nothing to draw a noise curve through", "", "", "");
  NoiseCurve curve;
  curve.iso = iso;
  for (double level = kFirstLevel; level <= kLastLevel; level += kLevelStep) curve.level.push_back(level);
  for (size_t c = 0; c < kNoiseChannels; ++c) {
    const bool told = std::any_of(points.begin(), points.end(),
                                  [&](const NoisePoint& p) { return p.weight[c] > 0 && p.variance[c] > 0; });
    if (!told) continue;  // a picture without colour has no such curve
    const Shape shape = fitShape(points, c);
    for (const double level : curve.level) {
      const double model = std::max(1e-6, shapeAt(shape, level));
      double ratio = kPrior, weight = kPrior;
      for (const NoisePoint& p : points) {
        if (p.weight[c] <= 0) continue;
        const double d = (p.level - level) / kReach;
        const double w = p.weight[c] * std::exp(-0.5 * d * d);
        ratio += w * p.variance[c] / std::max(1e-6, shapeAt(shape, p.level));
        weight += w;
      }
      const double sigma = std::sqrt(model * ratio / weight);
      curve.sigma[c].push_back(sigma);
      // The deviation of n samples scatters by 1/√(2n); the model alone is taken as good to a tenth.
      const double told_by = weight - kPrior;
      curve.spread[c].push_back(sigma * std::min(0.1, std::sqrt(1 / (2 * std::max(told_by, 1.0)))));
    }
  }
  return curve;
}

}  // namespace glenhaze
