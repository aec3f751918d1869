#include "core/noise/detail/clipped.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <set>

namespace glenhaze::detail {

namespace {

constexpr double kFarOff = 6;       // sigmas from both ends: nothing is cut off
constexpr double kLeastLeft = 0.1;  // of sigma
constexpr double kFinest_code = 0.01;

double density(double x) { return std::exp(-0.5 * x * x) / std::sqrt(2 * std::numbers::pi); }
double below(double x) { return 0.5 * std::erfc(-x / std::numbers::sqrt2); }

// The level before clipping whose noise is seen about `seen`: the mean rises with the level.
double levelSeenAs(double seen, const NoiseCurve& curve, const CodeEnds& ends) {
  const double reach = kFarOff * std::max(curve.sigmaAt(0, ends.low), curve.sigmaAt(0, ends.high));
  double low = ends.low - reach, high = ends.high + reach;
  while (high - low > kFinest_code) {
    const double middle = (low + high) / 2;
    (clippedNoise(middle, curve.sigmaAt(0, middle), ends).mean < seen ? low : high) = middle;
  }
  return (low + high) / 2;
}

// Those of the curve, and closer ones where noise is cut off.
std::vector<double> levelsFor(const NoiseCurve& curve, const CodeEnds& ends) {
  constexpr double kStep = 1;
  std::set<double> levels(curve.level.begin(), curve.level.end());
  for (double level = ends.low; level < ends.low + 3 * curve.sigmaAt(0, level); level += kStep)
    levels.insert(level);
  for (double level = ends.high; level > ends.high - 3 * curve.sigmaAt(0, level); level -= kStep)
    levels.insert(level);
  std::erase_if(levels, [&](double v) { return v < curve.level.front() || v > curve.level.back(); });
  return {levels.begin(), levels.end()};
}

}  // namespace

ClippedNoise clippedNoise(double level, double sigma, const CodeEnds& ends) {
  const double a = (ends.low - level) / sigma, b = (ends.high - level) / sigma;
  const double under = below(a), over = below(-b), between = 1 - under - over;
  // First and second moments about the level, in sigmas: what is within, and what is piled up at the ends.
  const double first = density(a) - density(b) + a * under + b * over;
  const double second = between + a * density(a) - b * density(b) + a * a * under + b * b * over;
  return {level + sigma * first, sigma * std::sqrt(std::max(0.0, second - first * first))};
}

NoiseCurve asClipped(const NoiseCurve& curve, const CodeEnds& ends) {
  if (curve.sigma[0].empty()) return curve;
  NoiseCurve seen = curve;
  seen.level = levelsFor(curve, ends);
  for (auto* part : {&seen.sigma, &seen.spread})
    for (auto& channel : *part) channel.clear();
  for (const double at : seen.level) {
    const double level = levelSeenAs(at, curve, ends), sigma = curve.sigmaAt(0, level);
    const double left = std::max(kLeastLeft, clippedNoise(level, sigma, ends).sigma / sigma);
    for (size_t c = 0; c < kNoiseChannels; ++c) {
      if (curve.sigma[c].empty()) continue;
      seen.sigma[c].push_back(left * valueAt(curve.level, curve.sigma[c], level));
      if (!curve.spread[c].empty())
        seen.spread[c].push_back(left * valueAt(curve.level, curve.spread[c], level));
    }
  }
  return seen;
}

}  // namespace glenhaze::detail
