#pragma once
// Noise whose truth is known without a camera.

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

}  // namespace glenhaze::testing
