#pragma once
// The readout from a lamp that flickers at a known rate.
//
// A lamp of frequency f (100 or 120 Hz on mains) on an even surface makes bands with a period of P rows:
//   readout = (rows − 1) / (f · P).
// Each row's brightness against its own mean over the clip leaves the bands without the scene; in every frame
// a sine of one common period is fitted to them. Which way the bands run from frame to frame says which way
// the rows are read.

#include "core/base/progress.h"
#include "core/media/clip_info.h"
#include "core/shutter/finding.h"

namespace glenhaze {

/// Throws Error(BadRequest) for a frequency outside 10..2000 Hz, Error(Evidence) where no bands can be seen,
/// Error(Unreadable), Error(Cancelled). Looks at up to 120 frames.
ShutterFinding measureLamp(const ClipInfo& clip, double flicker_hz, const Progress& progress = {});

}  // namespace glenhaze
