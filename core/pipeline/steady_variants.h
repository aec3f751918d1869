#pragma once
// A stretch of a clip under several strengths of stabilization, for choosing among them while they play.

#include <functional>
#include <memory>
#include <span>
#include <vector>

#include "core/pipeline/clip_motion.h"
#include "core/pipeline/correction.h"

namespace glenhaze {

/// What is set first, then a quarter of its smoothing, and four times of it, or holding still where the clip
/// allows that. With nothing set to keep steady: the usual strengths.
std::vector<StabilizationSettings> strengthsAround(const StabilizationSettings& set, bool can_hold_still);

/// The clip's motion under other settings. Throws Error(BadRequest) for settings out of range.
MotionAnswer steadiedBy(const MotionAnswer& answer, MotionRequest request,
                        const StabilizationSettings& settings);

/// One frame: as it was filmed, and through lens and shutter under each motion; all reduced to the same size.
struct SteadyFrames {
  int64_t index = 0;
  Frame source;
  std::vector<Frame> corrected;
};

/// Frames of `range` in order, reduced by halves to at most `width`, as long as `take` answers true. Noise is
/// left where it is: what is judged here is motion. Throws Error(Unreadable), Error(Cancelled).
void playVariants(const ClipInfo& clip, Fields fields, FrameRange range, const Correction& correction,
                  std::span<const std::shared_ptr<const ClipMotion>> motions, int width,
                  const std::function<bool(SteadyFrames)>& take, const Progress& progress = {});

}  // namespace glenhaze
