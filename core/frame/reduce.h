#pragma once
// Smaller versions of frames, for drafts and for analysis.

#include "core/frame/frame.h"

namespace glenhaze {

/// Half as wide and high (rounded down, at least 1): every sample is the mean of 2 × 2, plane by plane.
/// Positions follow (x + ½)/2 − ½. Rows in parallel.
Frame halvedFrame(const Frame& frame);

}  // namespace glenhaze
