#pragma once
// Frames turned by quarters, and mirrored.

#include "core/frame/frame.h"

namespace glenhaze {

/// Turned clockwise by 0, 90, 180 or 270 degrees; nothing is resampled. 4:2:2 becomes 4:4:0 and the other
/// way round by a quarter turn. Chroma that sits at the left is called centred afterwards where no name fits.
/// `mirrored`: left and right are swapped afterwards.
Frame turnedFrame(const Frame& frame, int degrees, bool mirrored = false);

}  // namespace glenhaze
