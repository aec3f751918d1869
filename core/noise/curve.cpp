#include "core/noise/curve.h"

#include <algorithm>

namespace glenhaze {

double NoiseCurve::sigmaAt(int channel, double luma) const {
  const std::vector<double>& s = sigma[static_cast<size_t>(channel)];
  if (s.empty()) return 0;
  const auto above = std::upper_bound(level.begin(), level.end(), luma);
  if (above == level.begin()) return s.front();
  if (above == level.end()) return s.back();
  const auto i = static_cast<size_t>(above - level.begin());
  const double share = (luma - level[i - 1]) / (level[i] - level[i - 1]);
  return s[i - 1] + share * (s[i] - s[i - 1]);
}

NoiseCurve scaledCurve(const NoiseCurve& curve, double factor) {
  NoiseCurve out = curve;
  for (auto* part : {&out.sigma, &out.spread})
    for (auto& channel : *part)
      for (double& value : channel) value *= factor;
  return out;
}

}  // namespace glenhaze
