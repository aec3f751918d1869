#pragma once
// Blockiness of hard-compressed footage: steps on the grid of the coder's 8 × 8 blocks that the picture
// itself does not have, measured against the same steps off the grid. What it says of the coder's own noise
// is taken out with the camera's, by transforms that do not share its grid.

#include <array>

#include "core/frame/frame.h"

namespace glenhaze {

/// One plane and one direction; 8-bit codes.
struct GridSteps {
  int phase = 0;      ///< the first grid line lies before this sample, 0..7
  double excess = 0;  ///< mean step on the grid beyond that off it; 0 when there is no grid to be told
  double off = 0;     ///< mean step off the grid
};

struct Blockiness {
  std::array<GridSteps, 3> across, down;  ///< by plane: over vertical and horizontal grid lines
  /// Mean step on luma's grid beyond that off it, as a share of the latter; 0 when none is to be told.
  double share() const;
  bool any() const;
  /// Variance of what the coder left out of a plane, 8-bit codes squared.
  double variance(size_t plane) const;
};

Blockiness measureBlockiness(const Frame& frame);

}  // namespace glenhaze
