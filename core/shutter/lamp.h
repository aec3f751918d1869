#pragma once
// The readout from a lamp that flickers at a known rate.
//
// A lamp of frequency f (100 or 120 Hz on mains) on an even surface makes bands with a period of P rows:
//   readout = (rows − 1) / (f · P).
// All frames are fitted together, each row against its own mean over the clip, so that a scene of any kind is
// told from the bands; the sign of the readout that fits is the way in which the rows are read. Bands that
// stand still, as 120 Hz at 30 frames a second, cannot be told from the scene: then the wall must be even.

#include "core/base/progress.h"
#include "core/media/clip_info.h"
#include "core/shutter/finding.h"

namespace glenhaze {

/// Throws Error(BadRequest) for a frequency outside 10..2000 Hz, Error(Evidence) where no bands can be seen,
/// Error(Unreadable), Error(Cancelled). Looks at up to 120 frames.
ShutterFinding measureLamp(const ClipInfo& clip, double flicker_hz, const Progress& progress = {});

}  // namespace glenhaze
