#pragma once
// What only a clip's own footage can say: its ISO where nothing else does, its light where a profile knows
// several, its flicker. Asked once, before the clip is rendered.

#include "core/base/progress.h"
#include "core/noise/iso_table.h"
#include "core/run/plan.h"

namespace glenhaze {

struct ClipFindings {
  std::optional<IsoEstimate> iso;
  std::optional<LightPick> light;
  std::optional<FlickerPath> flicker;
  std::optional<MotionAnswer> motion;
  std::vector<std::string> notes;  ///< sentences: what was found, or why it could not be
};

/// Throws Error(Cancelled), Error(Unreadable). What cannot be told is a note, not an error.
ClipFindings askClip(const ClipPlan& plan, const Progress& progress = {});

/// Puts findings into the plan's correction; its questions are then answered.
void answerQuestions(ClipPlan& plan, const ClipFindings& findings);

}  // namespace glenhaze
