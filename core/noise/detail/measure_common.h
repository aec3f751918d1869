#pragma once
// What both ways of measuring noise share: planes, the ends of the code range, noise per octave of detail.

#include <array>

#include "core/noise/detail/block_motion.h"
#include "core/noise/measure.h"

namespace glenhaze::detail {

CodeEnds codeEnds(const ColourTags& colour);

/// Where the codes of footage end, by where samples pile up.
class EndsSeen {
 public:
  /// Some of the samples of a plane of luma.
  void add(const FloatPlane& luma);
  /// Black is where it is said to be unless samples run on below it; white only where they are seen to pile
  /// up: many cameras write beyond it.
  CodeEnds ends(const CodeEnds& said) const;

 private:
  double countAt(double code) const;

  std::array<double, 256> counts_{};
};

/// Power of coefficients per octave, summed over blocks.
struct OctaveSums {
  std::array<double, kNoiseOctaves> power{}, count{};
  void add(const float* block, ptrdiff_t stride);
  void add(const OctaveSums& other);
  /// Per octave against white noise of the same variance.
  std::array<double, kNoiseOctaves> relative() const;
};

struct Planes {
  std::array<FloatPlane, 3> plane;
  int count = 0;
};
/// Throws Error(Evidence) for pictures that are stored as red, green and blue.
Planes planesOf(const Frame& frame);

/// Relative RMS between points and curve, luma.
double residualOf(const std::vector<NoisePoint>& points, const NoiseCurve& curve);

}  // namespace glenhaze::detail
