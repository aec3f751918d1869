#pragma once
// Where each block of one frame is found in another. Coarse to fine on noisy luma: levels of the pyramid
// average the noise away, and the last step solves for the fraction of a pixel on softened planes
// (B. Lucas, T. Kanade, "An iterative image registration technique…", IJCAI 1981).

#include <algorithm>
#include <array>
#include <optional>
#include <vector>

#include "core/base/progress.h"
#include "core/noise/detail/planes.h"

namespace glenhaze::detail {

constexpr int kBlock = 16;  ///< side of a block, luma samples
constexpr int kStep = 8;    ///< from block to block; the first begins at −kStep

struct BlockVector {
  float dx = 0, dy = 0;
  float sure = 1;  ///< how much structure it rests on, for weighing several
};

/// Blocks (column, row) begin at (column·kStep − kStep, row·kStep − kStep).
struct MotionField {
  int columns = 0, rows = 0;
  std::vector<BlockVector> vectors;
  const BlockVector& at(int column, int row) const {
    return vectors[static_cast<size_t>(row) * static_cast<size_t>(columns) + static_cast<size_t>(column)];
  }
};

int blocksAlong(int samples);

/// What noise leaves of the squared difference of two softened samples: 1 2 1 both ways leaves 9/64 of the
/// variance of white noise.
constexpr float softNoiseEnergy(float sigma) { return sigma * sigma * (9.0F / 64) * 2; }
/// Structure of a block that holds its motion against such noise to some hundredths of a sample, as a
/// multiple of that; the gain is flat about it (benchmarks/noise_photographs).
constexpr float kTrustedStructure = 700;

/// What is looked at of a frame: its luma at several sizes, and softened at full size.
struct MotionPicture {
  std::vector<BytePlane> pyramid;
  SamplePlane soft;
};
MotionPicture motionPicture(const SamplePlane& luma);
/// The same, in memory that was used before.
void makeMotionPicture(const SamplePlane& luma, MotionPicture& to);

/// Motion from `from` to `to`: block at p in `from` is at p + vector in `to`. `sigma`: noise of luma, in
/// code values; random resemblance below it is not followed. Rows in parallel, same result for any number
/// of threads.
/// Throws Error(Cancelled) when `progress` is stopped.
MotionField estimateMotion(const MotionPicture& from, const MotionPicture& to, float sigma,
                           const Progress& progress = {});
/// The same near a guess, which saves the search; of the same size.
MotionField estimateMotion(const MotionPicture& from, const MotionPicture& to, float sigma,
                           const MotionField& guess, const Progress& progress = {});

/// The same without any search: a guess that is right to a sample is made right to a fraction.
MotionField refineMotion(const MotionPicture& from, const MotionPicture& to, float sigma,
                         const MotionField& guess, const Progress& progress = {});

/// The whole number next to v; without the library's call, which costs more than what it is used for.
inline int nearest(float v) { return static_cast<int>(v + (v < 0 ? -0.5F : 0.5F)); }

/// The mean of four vectors that differ by no more than a sample, those with structure before those without.
inline std::optional<BlockVector> agreement(const std::array<BlockVector, 4>& vectors) {
  constexpr float kAgree = 1;
  BlockVector low = vectors[0], high = vectors[0];
  float dx = 0, dy = 0, weight = 0;
  for (const BlockVector& v : vectors) {
    low = {std::min(low.dx, v.dx), std::min(low.dy, v.dy)};
    high = {std::max(high.dx, v.dx), std::max(high.dy, v.dy)};
    dx += v.sure * v.dx;
    dy += v.sure * v.dy;
    weight += v.sure;
  }
  if (high.dx - low.dx > kAgree || high.dy - low.dy > kAgree) return std::nullopt;
  return BlockVector{dx / weight, dy / weight, weight / 4};
}

/// Sum of absolute differences of a square of kStep at (x, y) against the one at (x + dx, y + dy), in steps
/// of 1/kSoftUnit.
int cellDifference(const SamplePlane& from, const SamplePlane& to, int x, int y, int dx, int dy);

/// Guesses: from the first picture to the third by way of the second, and back the way that a field goes.
MotionField chained(const MotionField& first, const MotionField& second);
MotionField turnedAround(const MotionField& field);

}  // namespace glenhaze::detail
