// What blocks are fetched, joined and judged by, worked out once.
#include <algorithm>
#include <cmath>

#include "core/noise/detail/block_kernel.h"

namespace glenhaze::detail {

BlockTables::BlockTables() {
  constexpr double kPi = 3.14159265358979323846;
  for (int p = 0; p < kPhases; ++p) {
    double weights[kTaps], sum = 0;
    for (int k = 0; k < kTaps; ++k) {
      // Lanczos with three lobes.
      const double d = k - (kTaps / 2 - 1) - static_cast<double>(p) / kPhases;
      const double a = kPi * d;
      weights[k] = std::abs(d) < 1e-9 ? 1
                   : std::abs(d) >= 3 ? 0
                                      : 3 * std::sin(a) * std::sin(a / 3) / (a * a);
      sum += weights[k];
    }
    // Rounded so that they add up to one: colours stay.
    int left = 1 << 15, largest = 0;
    for (int k = 0; k < kTaps; ++k) {
      const int rounded = static_cast<int>(std::lround(weights[k] / sum * (1 << 15)));
      left -= rounded;
      taps[p * kTaps + k] = static_cast<int16_t>(std::min(rounded, 32767));
      if (weights[k] > weights[largest]) largest = k;
    }
    int16_t& most = taps[p * kTaps + largest];
    most = static_cast<int16_t>(std::min(most + left, 32767));
  }
  double along[kBlock];
  for (int i = 0; i < kBlock; ++i) along[i] = std::pow(std::sin(kPi * (i + 0.5) / kBlock), 2);
  for (int y = 0; y < kBlock; ++y)
    for (int x = 0; x < kBlock; ++x) window[y * kBlock + x] = static_cast<float>(along[y] * along[x]);
}

float surelyNoise(const MergeJob& job, int scale) {
  // Frames as they were filmed: below what is expected on every scale, for at and above it chance and a
  // little structure look alike, and the cosines tell them apart better. What is remembered differs by
  // little but the noise of the frame itself, which hides less: up to what chance makes of it.
  constexpr float kSurely = 0.85F;
  constexpr float kScaleChance[kScales] = {0.0884F, 0.1768F, 0.3536F, 0.7071F};
  return job.forgetting > 0 ? 1 + kScaleChance[scale] : kSurely;
}

void expectedEnergies(const float* spectrum, float (&expected)[kScales][kBands]) {
  constexpr double kPi = 3.14159265358979323846;
  const auto bandOf = [](int x, int y) {
    const int f = std::max(x, y);
    return f >= 8 ? 4 : f >= 4 ? 3 : f >= 2 ? 2 : f;
  };
  for (int scale = 0; scale < kScales; ++scale) {
    // Of one cosine along one side, the energy left in means of `size` samples.
    const int size = 1 << scale;
    double left[kBlock], band[kBands] = {};
    for (int f = 0; f < kBlock; ++f) {
      left[f] = 0;
      for (int i = 0; i < kBlock; i += size) {
        double sum = 0;
        for (int n = i; n < i + size; ++n) sum += std::cos(kPi * (2 * n + 1) * f / (2 * kBlock));
        left[f] += (f == 0 ? 1.0 : 2.0) / kBlock * sum * sum / size;
      }
    }
    for (int y = 0; y < kBlock; ++y)
      for (int x = 0; x < kBlock; ++x)
        band[bandOf(x, y)] += static_cast<double>(spectrum[y * kBlock + x]) * left[y] * left[x];
    for (int b = 0; b < kBands; ++b) expected[scale][b] = static_cast<float>(band[b]);
  }
}

}  // namespace glenhaze::detail
