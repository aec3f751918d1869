#pragma once
// A noise curve as the work on blocks wants it.

#include <array>
#include <memory>
#include <vector>

#include "core/frame/primaries.h"
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

/// A plane's grid of blocks.
struct BlockGrid {
  int channel = 0;
  int sx = 0, sy = 0;  ///< log2 of the plane's subsampling
  int columns = 0, rows = 0;
};

/// Noise of each block of a plane, code values squared: by the luma that it covers, with `coded` added.
std::vector<float> blockVariances(const NoiseModel& noise, const SamplePlane& luma, const BlockGrid& grid,
                                  float coded);

/// What a block of a grid covers, 8-bit codes.
struct BlockColour {
  float luma = 0;
  std::array<float, 3> primaries{};  ///< codes of luma
};

/// Of each block. `planes`: luma, Cb, Cr; `chroma`: the grid of a plane of chroma.
std::vector<BlockColour> blockColours(const std::array<SamplePlane, 3>& planes, const BlockGrid& grid,
                                      const BlockGrid& chroma, const PrimaryCodes& codes);

/// What the colours of a channel's blocks make of their variances: factors, one for each block.
std::vector<float> colourFactors(const NoiseModel& noise, int channel,
                                 const std::vector<BlockColour>& colours);

}  // namespace glenhaze::detail
