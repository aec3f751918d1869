#pragma once
// The readout from a pan past uprights (or a tilt past level lines, for sensors that are read sideways).
//
// What moves at v px/s across the rows leans by v · readout over the picture's height. Lean and speed are
// measured in every frame by shifting strips of rows against each other and against the next frame, and the
// readout is the slope of a line through all frames, fitted robustly; its offset is how the camera hung.

#include <optional>

#include "core/base/progress.h"
#include "core/lens/model.h"
#include "core/media/clip_info.h"
#include "core/shutter/finding.h"

namespace glenhaze {

/// With the lens, uprights are straightened first; without, it must bend little. Throws Error(Evidence) where
/// the camera does not pan or nothing upright can be seen, Error(BadRequest) for a lens of another size,
/// Error(Unreadable), Error(Cancelled). Looks at up to 150 frames.
ShutterFinding measurePan(const ClipInfo& clip, const std::optional<Lens>& lens,
                          const Progress& progress = {});

}  // namespace glenhaze
