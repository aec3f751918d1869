#pragma once
// Pictures for judging noise by eye; nothing here goes into rendered clips.

#include "core/frame/frame.h"

namespace glenhaze {

/// One channel (0 Y′, 1 Cb, 2 Cr) of a frame, slow changes taken away and the rest `gain` times as large
/// around middle grey: a single plane of 8-bit full range, of the size of luma.
Frame channelDetail(const Frame& frame, int channel, double gain);

/// What was removed: `before` − `after`, `gain` times as large around middle grey, in the format of `before`.
/// Both must be of one size and format, else Error(BadRequest).
Frame removedPart(const Frame& before, const Frame& after, double gain);

}  // namespace glenhaze
