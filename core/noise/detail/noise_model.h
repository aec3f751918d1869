#pragma once
// A noise curve as the work on blocks wants it.

#include <array>
#include <memory>
#include <vector>

#include "core/noise/curve.h"
#include "core/noise/detail/block_kernel.h"
#include "core/noise/detail/planes.h"

namespace glenhaze::detail {

struct NoiseModel {
  NoiseCurve curve;
  std::array<std::array<float, kBlockArea>, 3> spectrum;
  float expected[3][kScales][kBands] = {};         ///< of each plane, see MergeJob
  std::array<std::array<float, 256>, 3> variance;  ///< by luma code, strength included
  /// Noise at middle grey stands for the picture where motion is concerned.
  float motion_sigma = 0;
};

/// `luma`, `chroma`: strengths, multiples of the measured noise.
std::shared_ptr<const NoiseModel> noiseModel(NoiseCurve curve, double luma, double chroma);

/// Noise of each block of a plane, code values squared: by the luma that it covers, with `coded` added.
/// `sx`, `sy`: log2 of the plane's subsampling.
std::vector<float> blockVariances(const NoiseModel& noise, const SamplePlane& luma, int channel, int sx,
                                  int sy, int columns, int rows, float coded);

}  // namespace glenhaze::detail
