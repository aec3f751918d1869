#include <algorithm>
#include <cmath>

#include "core/base/error.h"
#include "core/noise/measure.h"

namespace glenhaze {

namespace {

constexpr double kFirstLevel = 4, kLastLevel = 252, kLevelStep = 4;
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

// What was seen at one level against the model.
struct Bend {
  double level = 0, log_ratio = 0, weight = 0;
  double apart = 0;  ///< what the points there are off the smooth curve beyond chance, as a share of sigma
};

// The ratio around a level as a line through what was seen nearby: a mean would be pulled aside wherever the
// points lie on one side only or the ratio changes, as it does near black.
double ratioAround(std::span<const NoisePoint> points, size_t c, const Shape& shape, double level) {
  double weight = kPrior, slant = 0, bend = kPrior, ratio = 0, tilt = 0;
  for (const NoisePoint& p : points) {
    if (p.weight[c] <= 0) continue;
    const double d = (p.level - level) / kReach;
    const double w = p.weight[c] * std::exp(-0.5 * d * d);
    const double beyond = p.variance[c] / std::max(1e-6, shapeAt(shape, p.level)) - 1;
    weight += w;
    slant += w * d;
    bend += w * d * d;
    ratio += w * beyond;
    tilt += w * d * beyond;
  }
  const double rise = (weight * tilt - slant * ratio) / (weight * bend - slant * slant);
  return std::clamp(1 + (ratio - slant * rise) / weight, 0.2, 5.0);
}

// At the levels where points are, gathered; ascending.
std::vector<Bend> bendsOf(std::span<const NoisePoint> points, size_t c, const Shape& shape) {
  constexpr double kGather = 6;  // codes
  std::vector<Bend> bends;
  std::vector<const NoisePoint*> sorted;
  for (const NoisePoint& p : points)
    if (p.weight[c] > 0) sorted.push_back(&p);
  std::sort(sorted.begin(), sorted.end(),
            [](const NoisePoint* a, const NoisePoint* b) { return a->level < b->level; });
  double first = -1e9;
  for (const NoisePoint* p : sorted) {
    if (p->level - first > kGather) {
      bends.push_back({});
      first = p->level;
    }
    bends.back().level += p->level * p->weight[c];
    bends.back().apart += p->weight[c] * p->variance[c] / std::max(1e-6, shapeAt(shape, p->level));
    bends.back().weight += p->weight[c];
  }
  for (Bend& b : bends) {
    b.level /= b.weight;
    b.log_ratio = std::log(ratioAround(points, c, shape, b.level));
    const double off = (std::log(std::max(1e-6, b.apart / b.weight)) - b.log_ratio) / 2;
    b.apart = std::sqrt(std::max(0.0, off * off - 1 / (2 * b.weight)));
  }
  return bends;
}

// Cameras' own curves differ: so much, as a share of sigma for each code, a curve may be off beyond the
// levels that were seen (tests/accuracy/noise_test.cpp has a camera that is not this model's); more near
// black, where the model's variance is in proportion to the distance from it.
double astrayAt(double level) {
  constexpr double kBlack = 16, kAnywhere = 0.012;
  return kAnywhere + 0.5 / std::max(1.0, level - kBlack);
}

// How far a level lies from those that were seen.
double beyondSeen(const std::vector<Bend>& bends, double level) {
  return std::max({0.0, bends.front().level - level, level - bends.back().level});
}

// Between levels that were seen in proportion, beyond them as at the last.
Bend bendAt(const std::vector<Bend>& bends, double level) {
  if (level <= bends.front().level)
    return {level, bends.front().log_ratio, level < bends.front().level - kReach ? 0 : bends.front().weight,
            bends.front().apart};
  if (level >= bends.back().level)
    return {level, bends.back().log_ratio, level > bends.back().level + kReach ? 0 : bends.back().weight,
            bends.back().apart};
  const auto b = std::find_if(bends.begin(), bends.end(), [&](const Bend& q) { return q.level > level; });
  const auto a = b - 1;
  const double t = (level - a->level) / (b->level - a->level);
  const double away = std::min(level - a->level, b->level - level) / kReach;
  return {level, (1 - t) * a->log_ratio + t * b->log_ratio,
          std::min(a->weight, b->weight) * std::exp(-0.5 * away * away), std::max(a->apart, b->apart)};
}

// How sure a curve is at a level, as a share of sigma; `astray`: by how far it lies from what was seen. The
// deviation of n samples scatters by 1/√(2n), a little less for being smoothed; the model alone is taken as
// good to a tenth. What points are apart from the smooth curve says how far it may be wrong between them.
// Both factors are found on photographs (tests/accuracy/noise_test.cpp).
double spreadAt(const Bend& bend, double astray) {
  constexpr double kSmoothed = 0.72, kApart = 0.6, kModel = 0.1;
  const double scatter = std::min(kModel, std::sqrt(1 / (2 * std::max(bend.weight, 1.0))));
  return std::hypot(kSmoothed * scatter, kApart * bend.apart, astray);
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
    const std::vector<Bend> bends = bendsOf(points, c, shape);
    for (const double level : curve.level) {
      const Bend bend = bendAt(bends, level);
      const double sigma = std::sqrt(std::max(1e-6, shapeAt(shape, level)) * std::exp(bend.log_ratio));
      curve.sigma[c].push_back(sigma);
      curve.spread[c].push_back(sigma * spreadAt(bend, astrayAt(level) * beyondSeen(bends, level)));
    }
  }
  return curve;
}

}  // namespace glenhaze
