#pragma once
// The one thing that is most useful to do next in a shoot.

#include <span>
#include <string>

#include "core/run/plan.h"
#include "core/run/status.h"

namespace glenhaze {

struct NextStep {
  enum class Kind {
    Nothing,  ///< no clips, or nothing is known of them yet
    Name,     ///< nobody has said which camera clips are of
    MeasureLens,
    Render,
    Done  ///< all there is to render is rendered and up to date
  } kind = Kind::Nothing;
  int clip = -1;     ///< to begin with
  int clips = 0;     ///< that it is about
  std::string text;  ///< as a verb and its object: "Name the camera of 6 clips"
};

/// `status` of the plans, in the same order; empty where it is not known.
NextStep nextStep(const PlanList& plans, std::span<const ClipStatus> status, const Shoot& shoot);

}  // namespace glenhaze
