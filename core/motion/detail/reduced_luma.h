#pragma once
// Small pictures to look for motion in.

#include <opencv2/core.hpp>

#include "core/frame/frame.h"

namespace glenhaze::detail {

/// Luma as 8 bit, reduced by a whole factor: each sample the mean of factor × factor.
cv::Mat reducedLuma(const Frame& frame, int factor);

}  // namespace glenhaze::detail
