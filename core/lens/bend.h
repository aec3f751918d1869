#pragma once
// How far a lens bends, in pixels where it bends most, and how sure that is: the headline of every lens that
// was measured. Coefficients say little by themselves; a corner that is off by pixels is seen.

#include <vector>

#include "core/lens/model.h"

namespace glenhaze {

/// How far a lens bends: how much farther out a place of the picture lies once it is straightened, against a
/// lens that is as large in the middle and bends nothing, px; positive: what is straight bows outward as
/// filmed (barrel).
struct Bend {
  Point at;               ///< source px: the farthest corner, or towards it as far as 50° from the axis
  bool at_corner = true;  ///< false: the lens is so wide that straightening the corner itself says little
  double value_px = 0;
  double uncertainty_px = 0;  ///< standard deviation, from leaving out parts of the evidence; −1: not known
};
/// Where a lens is judged, and its value there.
Bend bendOf(const Lens& lens);
/// Of another lens at the same place; 0 where that lies outside its field.
double bendAt(const Lens& lens, Point at);

/// Standard deviation of a value from what it is without one group of the evidence after the other
/// (delete-a-group jackknife; B. Efron, C. Stein, "The jackknife estimate of variance", 1981). `groups`: how
/// many there are; some may have given no value. −1 for under three values.
double leftOutDeviation(const std::vector<double>& values, size_t groups);

}  // namespace glenhaze
