#pragma once
// Tracks as rays with their row shares: what the solvers of path and readout both work on.

#include <algorithm>
#include <vector>

#include "core/lens/model.h"
#include "core/motion/tracks.h"

namespace glenhaze::detail {

struct RayPair {
  Ray a, b;          // unit, in the frame before and in this one
  Point at_a, at_b;  // source px
};

/// Rays of one frame's pairs; pairs outside the lens's field are left out.
std::vector<RayPair> raysOf(const FrameTracks& frame, const LensMap& lens);

/// Weight of a residual in units of its scale: Tukey's biweight, 0 from 4.685 on (P. Huber, E. Ronchetti,
/// "Robust Statistics").
inline double biweight(double scaled) {
  const double u = scaled / 4.685;
  if (u >= 1 || u <= -1) return 0;
  const double v = 1 - u * u;
  return v * v;
}

/// Standard deviation of residuals' lengths, within bounds. Much may move on its own: it is that of the
/// better 35 %, which of a Rayleigh distribution lie below 0.928 σ.
inline double residualScale(std::vector<double> lengths, double least, double most) {
  const auto at = lengths.begin() + static_cast<ptrdiff_t>(lengths.size() * 35 / 100);
  std::nth_element(lengths.begin(), at, lengths.end());
  return std::clamp(*at / 0.928, least, most);
}

}  // namespace glenhaze::detail
