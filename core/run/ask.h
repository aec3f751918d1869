#pragma once
// What only a clip's own pictures can say: its ISO where nothing else does, its light where a profile knows
// several, its flicker, its motion. Asked once; what is found is a fact that is kept.

#include "core/base/progress.h"
#include "core/run/plan.h"

namespace glenhaze {

/// Answers the decision's missing facts from the clip's own noise. Throws Error(Cancelled),
/// Error(Unreadable). What cannot be told is a fact too.
NoiseFact askNoise(const ClipPlan& plan, const Progress& progress = {});

/// The lens by the clip's own motion, where no profile has one. Throws as above.
LensFact askLens(const ClipPlan& plan, const Progress& progress = {});

/// The flicker of a clip: from the store where it is known, else measured and kept there. Throws as above.
FlickerPath flickerOf(const ClipPlan& plan, FactStore& store, const Progress& progress = {});

/// A sentence where a clip's own noise is much more or less than the curve says by which it is removed, ""
/// where it agrees or cannot tell. Asked once, then from the store. Throws as above.
std::string noiseDoubt(const ClipPlan& plan, FactStore& store, const Progress& progress = {});

/// The plan with everything found out that its decision is missing: once, and kept in the store. Throws as
/// above.
ClipPlan answered(const ClipPlan& plan, FactStore& store, const Progress& progress = {});

/// What the stages of a complete treatment need to know of the pictures; `notes` gets sentences about it.
/// Throws as above.
Prepared prepare(const ClipPlan& plan, FactStore& store, std::vector<std::string>& notes,
                 const Progress& progress = {});

}  // namespace glenhaze
