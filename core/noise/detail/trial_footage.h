#pragma once
// Footage that trials of speed are made on.

#include <vector>

#include "core/frame/frame.h"
#include "core/noise/curve.h"

namespace glenhaze::detail {

/// A textured picture of 1920 × 1080 that moves by a few pixels a frame, with noise: what removal costs hangs
/// on both.
std::vector<Frame> trialFootage(int count);
/// The noise in it.
NoiseCurve trialCurve();

}  // namespace glenhaze::detail
