#pragma once
// What luma tells the other planes: where each of their cells is found in another picture, and how far that
// is trusted.

#include <vector>

#include "core/noise/detail/block_motion.h"

namespace glenhaze::detail {

/// For each picture looked at: vectors of the cells of a plane (rows of columns + 1), trust of its blocks.
struct PlaneGuide {
  std::vector<std::vector<BlockVector>> cells;
  std::vector<std::vector<float>> trust;
};

/// Vectors of luma's cells from those of its blocks; `from`, `to`: softened luma that the field was found on.
std::vector<BlockVector> cellVectors(const MotionField& field, const SamplePlane& from,
                                     const SamplePlane& to);

/// Luma's cells and trust, looked up for the cells and blocks of a subsampled plane of `columns` and `rows`
/// of blocks; `sx`, `sy`: log2 of its subsampling.
PlaneGuide subsampled(const PlaneGuide& luma, int luma_columns, int luma_rows, int columns, int rows, int sx,
                      int sy);

}  // namespace glenhaze::detail
