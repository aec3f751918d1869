#pragma once
// The bridge between our pixel formats and FFmpeg's; used by media and by the screen conversion.

#include "core/frame/frame.h"

namespace glenhaze {

/// FFmpeg's AVPixelFormat as int for a planar format, −1 when there is none.
int avPixelFormat(const PixelFormat& format, const ColourTags& colour);

/// The planar format that holds everything in FFmpeg's `av_pixel_format`; `exact` is false when frames
/// must be converted to it first (packed or exotic layouts).
struct FormatChoice {
  PixelFormat format;
  bool exact = true;
  bool rgb = false;  ///< planes G, B, R
  bool full_range_by_name = false;
};
FormatChoice chooseFormat(int av_pixel_format);

}  // namespace glenhaze
