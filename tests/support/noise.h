#pragma once
// Noise whose truth is known without a camera.

#include <algorithm>
#include <cmath>
#include <random>

#include "core/frame/frame.h"
#include "core/noise/curve.h"

namespace glenhaze::testing {

/// White noise of the same deviation at every level, 8-bit codes.
inline NoiseCurve evenCurve(double sigma_y, double sigma_c, double iso = 800) {
  NoiseCurve c;
  c.iso = iso;
  c.level = {0, 255};
  c.sigma = {std::vector{sigma_y, sigma_y}, std::vector{sigma_c, sigma_c}, std::vector{sigma_c, sigma_c}};
  return c;
}
inline NoiseCurve evenCurve(double sigma) { return evenCurve(sigma, sigma); }

/// Independent normal noise on every sample of every plane; one stream a frame.
inline Frame noisy(const Frame& clean, double sigma_y, double sigma_c, unsigned seed) {
  Frame out = cloneFrame(clean);
  std::mt19937 random(seed);
  const double unit = 1 << (clean.format.bit_depth - 8);
  for (size_t p = 0; p < static_cast<size_t>(clean.format.numPlanes()); ++p) {
    std::normal_distribution<double> noise(0, (p == 0 ? sigma_y : sigma_c) * unit);
    for (int y = 0; y < out.planes[p].height; ++y)
      for (int x = 0; x < out.planes[p].width; ++x) {
        const double v = out.planes[p].at(x, y, out.format.bytesPerSample()) + noise(random);
        const int code = std::clamp(static_cast<int>(std::lround(v)), 0, out.format.maxValue());
        if (out.format.bytesPerSample() == 1)
          out.planes[p].row<uint8_t>(y)[x] = static_cast<uint8_t>(code);
        else
          out.planes[p].row<uint16_t>(y)[x] = static_cast<uint16_t>(code);
      }
  }
  return out;
}

}  // namespace glenhaze::testing
