#pragma once
// Specks: small things that are in one frame only, as dust in front of the lens or drops. What the frames
// before and after agree on along the motion, and the one between does not, is taken from them.

#include <array>
#include <vector>

#include "core/noise/detail/block_motion.h"

namespace glenhaze::detail {

struct SpeckSide {
  const std::array<SamplePlane, 3>* planes = nullptr;
  const std::vector<BlockVector>* cells = nullptr;  ///< of luma, rows of blocksAlong(width) + 1
};

/// Mends `planes` in place; returns how many specks. `variance`: noise by luma code, 256 values, code values
/// squared. `sx`, `sy`: log2 of chroma's subsampling; `count`: planes.
int mendSpecks(std::array<SamplePlane, 3>& planes, int count, int sx, int sy, const SpeckSide& before,
               const SpeckSide& after, const float* variance);

}  // namespace glenhaze::detail
