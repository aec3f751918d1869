#include <algorithm>
#include <cmath>
#include <iterator>

#include "core/base/error.h"
#include "core/base/statistics.h"
#include "core/frame/tone.h"
#include "core/noise/detail/clipped.h"
#include "core/noise/measure.h"

namespace glenhaze {

namespace {

constexpr double kFirstLevel = 4, kLastLevel = 252, kLevelStep = 4;
constexpr double kReach = 9;          // codes: how far a point bends the curve around it
constexpr double kModelGood = 0.7;    // log of the variance: half or double
constexpr double kLeastRatio = 0.01;  // of the model's variance: what a tone curve's shoulder leaves of noise
constexpr double kPrior = 400;        // samples that the model counts for where points are few

// Photon and read noise in light, seen through the curve of ITU-R BT.709-6 (item 1.2): what a camera's own
// curve does otherwise, the points say. Both are variances in code values squared for a unit of light.
struct Shape {
  double photon = 0, read = 0;
};

std::pair<double, double> basisAt(double level) {
  const double v = std::clamp((level - 16) / 219, 0.0, 1.0);
  constexpr int kBt709 = 1;
  const double light = toneCurveOf(kBt709).toLight(v);
  const double slope = light < 0.018 ? 4.5 : 1.099 * 0.45 * std::pow(light, -0.55);
  return {light * slope * slope, slope * slope};
}

double shapeAt(const Shape& s, double level) {
  const auto [photon, read] = basisAt(level);
  return s.photon * photon + s.read * read;
}

constexpr double kUsual = 1;  // of the variance: how far a camera's own tone curve bends it off the model

std::vector<double> seenOnly(const std::vector<double>& values) {
  std::vector<double> seen;
  std::copy_if(values.begin(), values.end(), std::back_inserter(seen), [](double v) { return v > 0; });
  return seen;
}

// Weighted least squares, neither part below zero; `expected`: the variance that errors are relative to.
Shape fitShapeTo(std::span<const NoisePoint> points, size_t channel, const std::vector<double>& expected) {
  double pp = 0, pr = 0, rr = 0, py = 0, ry = 0;
  for (size_t i = 0; i < points.size(); ++i) {
    const NoisePoint& point = points[i];
    if (expected[i] <= 0) continue;
    const auto [p, r] = basisAt(point.level);
    const double w = std::min(point.weight[channel], 1e4) / (expected[i] * expected[i]),
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

// Errors relative to what is seen come first, then to the fit itself, where it is not far above what is seen:
// a shoulder that takes nearly all noise from highlights would else pull the whole curve down to it.
Shape fitShape(std::span<const NoisePoint> points, size_t channel) {
  constexpr int kRounds = 6;
  std::vector<double> expected(points.size());
  for (size_t i = 0; i < points.size(); ++i)
    expected[i] = points[i].weight[channel] > 0 ? points[i].variance[channel] : 0;
  const double middle = medianOf(seenOnly(expected));
  for (double& e : expected)
    if (e > 0) e = std::max(e, middle);
  Shape shape = fitShapeTo(points, channel, expected);
  for (int round = 0; round < kRounds; ++round) {
    for (size_t i = 0; i < points.size(); ++i)
      if (expected[i] > 0) {
        const double model = shapeAt(shape, points[i].level), off = points[i].variance[channel] / model - 1;
        expected[i] = std::max(1e-6, model) * std::max(1.0, std::sqrt(std::abs(off) / kUsual));
      }
    shape = fitShapeTo(points, channel, expected);
  }
  return shape;
}

// What was seen at one level against the model.
struct Bend {
  double level = 0, log_ratio = 0, weight = 0;
  double sides = 1;  ///< times scatter: a line through points on one side of a level turns about them
  double apart = 0;  ///< what the points there are off the smooth curve beyond chance, as a share of sigma
};

// The model as it is seen: its noise cut off where codes end.
struct Expected {
  NoiseCurve curve;
  double varianceAt(size_t c, double level) const {
    const double sigma = curve.sigmaAt(static_cast<int>(c), level);
    return std::max(1e-6, sigma * sigma);
  }
};

// Where noise is cut off, a point says nothing of what it would be without ends.
std::vector<NoisePoint> clearOfEnds(std::span<const NoisePoint> points, const CodeEnds& ends) {
  constexpr double kSigmas = 2.5;
  std::vector<NoisePoint> clear;
  for (const NoisePoint& p : points) {
    const double reach = kSigmas * std::sqrt(p.variance[0]);
    if (p.level > ends.low + reach && p.level < ends.high - reach) clear.push_back(p);
  }
  return clear.empty() ? std::vector<NoisePoint>(points.begin(), points.end()) : clear;
}

bool isTold(std::span<const NoisePoint> points, size_t channel) {
  return std::any_of(points.begin(), points.end(),
                     [=](const NoisePoint& p) { return p.weight[channel] > 0 && p.variance[channel] > 0; });
}

// A picture without colour has no curves of it.
Expected expectedFrom(std::span<const NoisePoint> points, const CodeEnds& ends) {
  NoiseCurve model;
  for (double level = kFirstLevel; level <= kLastLevel; level += kLevelStep) model.level.push_back(level);
  const std::vector<NoisePoint> clear = clearOfEnds(points, ends);
  for (size_t c = 0; c < kNoiseChannels; ++c) {
    if (!isTold(points, c)) continue;
    const Shape shape = fitShape(isTold(clear, c) ? std::span<const NoisePoint>(clear) : points, c);
    for (const double level : model.level)
      model.sigma[c].push_back(std::sqrt(std::max(1e-6, shapeAt(shape, level))));
  }
  return {detail::asClipped(model, ends)};
}

// The ratio around a level as a line through what was seen nearby: a mean would be pulled aside wherever the
// points lie on one side only or the ratio changes, as it does near black.
double ratioAround(std::span<const NoisePoint> points, size_t c, const Expected& expected, double level) {
  double weight = 0, slant = 0, bend = 0, ratio = 0, tilt = 0;
  for (const NoisePoint& p : points) {
    if (p.weight[c] <= 0) continue;
    const double d = (p.level - level) / kReach;
    const double w = p.weight[c] * std::exp(-0.5 * d * d);
    const double beyond = p.variance[c] / expected.varianceAt(c, p.level) - 1;
    weight += w;
    slant += w * d;
    bend += w * d * d;
    ratio += w * beyond;
    tilt += w * d * beyond;
  }
  const auto with = [&](double prior) {
    const double rise =
        ((weight + prior) * tilt - slant * ratio) / ((weight + prior) * (bend + prior) - slant * slant);
    return (ratio - slant * rise) / (weight + prior);
  };
  // The model counts for less where it is far off: a shoulder takes nearly all noise from highlights.
  const double off = std::log(std::max(kLeastRatio, 1 + with(kPrior))) / kModelGood;
  return std::clamp(1 + with(kPrior / (1 + off * off)), kLeastRatio, 1 / kLeastRatio);
}

// At the levels where points are, gathered; ascending.
std::vector<Bend> bendsOf(std::span<const NoisePoint> points, size_t c, const Expected& expected) {
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
    bends.back().apart += p->weight[c] * p->variance[c] / expected.varianceAt(c, p->level);
    bends.back().weight += p->weight[c];
  }
  for (Bend& b : bends) {
    b.level /= b.weight;
    b.log_ratio = std::log(ratioAround(points, c, expected, b.level));
    const double off = (std::log(std::max(1e-6, b.apart / b.weight)) - b.log_ratio) / 2;
    b.apart = std::sqrt(std::max(0.0, off * off - 1 / (2 * b.weight)));
  }
  constexpr double kOneSided = 2;  // a line's error at the end of its points against that of their mean
  for (Bend* b : {&bends.front(), &bends.back()}) b->sides = kOneSided;
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
  const bool below = level <= bends.front().level;
  if (below || level >= bends.back().level) {
    // Where all points are at one level, both ends are the same.
    Bend bend = below ? bends.front() : bends.back();
    if (std::abs(level - bend.level) > kReach) bend.weight = 0;
    return bend;
  }
  const auto b = std::find_if(bends.begin(), bends.end(), [&](const Bend& q) { return q.level > level; });
  const auto a = b - 1;
  const double t = (level - a->level) / (b->level - a->level);
  const double away = std::min(level - a->level, b->level - level) / kReach;
  return {level, (1 - t) * a->log_ratio + t * b->log_ratio,
          std::min(a->weight, b->weight) * std::exp(-0.5 * away * away), std::max(a->sides, b->sides),
          std::max(a->apart, b->apart)};
}

// How sure a curve is at a level, as a share of sigma; `astray`: by how far it lies from what was seen. The
// deviation of n samples scatters by 1/√(2n), a little less for being smoothed; the model alone is taken as
// good to a tenth. What points are apart from the smooth curve says how far it may be wrong between them.
// Both factors are found on photographs (tests/accuracy/noise_test.cpp).
double spreadAt(const Bend& bend, double astray) {
  constexpr double kSmoothed = 0.6, kApart = 0.6, kModel = 0.1;
  const double scatter = std::min(kModel, bend.sides * std::sqrt(1 / (2 * std::max(bend.weight, 1.0))));
  return std::hypot(kSmoothed * scatter, kApart * bend.apart, astray);
}

}  // namespace

NoiseCurve curveThrough(std::span<const NoisePoint> points, double iso, const CodeEnds& ends) {
  if (points.empty())
    throw Error(ErrorKind::Evidence, "There is nothing to draw a noise curve through", "", "", "");
  const Expected expected = expectedFrom(points, ends);
  NoiseCurve curve;
  curve.iso = iso;
  curve.level = expected.curve.level;
  for (size_t c = 0; c < kNoiseChannels; ++c) {
    if (expected.curve.sigma[c].empty()) continue;
    const std::vector<Bend> bends = bendsOf(points, c, expected);
    for (const double level : curve.level) {
      const Bend bend = bendAt(bends, level);
      const double sigma = std::sqrt(expected.varianceAt(c, level) * std::exp(bend.log_ratio));
      curve.sigma[c].push_back(sigma);
      curve.spread[c].push_back(sigma * spreadAt(bend, astrayAt(level) * beyondSeen(bends, level)));
    }
  }
  return curve;
}

}  // namespace glenhaze
