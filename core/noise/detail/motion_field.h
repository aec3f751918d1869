#pragma once
// What a search for motion finds: a vector for each of the blocks of a picture, which overlap by half.

#include <algorithm>
#include <array>
#include <cstddef>
#include <limits>
#include <optional>
#include <vector>

#include "core/base/progress.h"

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

/// Of four vectors the one for which `difference(dx, dy)`, of whole samples, is least; the first among
/// equals. Those that round alike are tried once.
template <typename Difference>
BlockVector bestOf(const std::array<BlockVector, 4>& vectors, Difference difference) {
  std::array<int, 4> dx{}, dy{};
  size_t best = 0;
  int least = std::numeric_limits<int>::max();
  for (size_t i = 0; i < vectors.size(); ++i) {
    dx[i] = nearest(vectors[i].dx);
    dy[i] = nearest(vectors[i].dy);
    bool tried = false;
    for (size_t j = 0; j < i; ++j) tried |= dx[i] == dx[j] && dy[i] == dy[j];
    if (tried) continue;
    if (const int d = difference(dx[i], dy[i]); d < least) {
      least = d;
      best = i;
    }
  }
  return vectors[best];
}

/// Each vector the mean of those around that go the same way, those with structure before those without: most
/// of what noise does to a single one is gone. Throws Error(Cancelled) when `progress` is stopped.
MotionField calmed(const MotionField& field, const Progress& progress);

/// Guesses: from the first picture to the third by way of the second, and back the way that a field goes.
MotionField chained(const MotionField& first, const MotionField& second);
MotionField turnedAround(const MotionField& field);

}  // namespace glenhaze::detail
