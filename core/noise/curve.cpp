#include "core/noise/curve.h"

#include <algorithm>

namespace glenhaze {

double valueAt(const std::vector<double>& level, const std::vector<double>& values, double luma) {
  if (values.empty()) return 0;
  const auto above = std::upper_bound(level.begin(), level.end(), luma);
  if (above == level.begin()) return values.front();
  if (above == level.end()) return values.back();
  const auto i = static_cast<size_t>(above - level.begin());
  const double share = (luma - level[i - 1]) / (level[i] - level[i - 1]);
  return values[i - 1] + share * (values[i] - values[i - 1]);
}

double NoiseCurve::sigmaAt(int channel, double luma) const {
  return valueAt(level, sigma[static_cast<size_t>(channel)], luma);
}

bool NoiseCurve::tellsColours(int channel) const {
  const auto& shares = primaries[static_cast<size_t>(channel)];
  return shares[0] + shares[1] + shares[2] > 0;
}

double NoiseCurve::colourRatio(int channel, double luma, const std::array<float, 3>& codes) const {
  if (!tellsColours(channel)) return 1;
  const double grey = sigmaAt(channel, luma);
  if (grey <= 0) return 1;
  double sum = 0;
  for (size_t p = 0; p < 3; ++p) {
    const double own = sigmaAt(channel, static_cast<double>(codes[p])) / grey;
    sum += primaries[static_cast<size_t>(channel)][p] * own * own;
  }
  return sum;
}

NoiseCurve scaledCurve(const NoiseCurve& curve, double factor) {
  NoiseCurve out = curve;
  for (auto* part : {&out.sigma, &out.spread})
    for (auto& channel : *part)
      for (double& value : channel) value *= factor;
  return out;
}

}  // namespace glenhaze
