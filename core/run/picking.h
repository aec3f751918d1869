#pragma once
// The good parts of a shoot's clips: looked for once, kept with the other facts, suggested, taken.

#include <span>
#include <vector>

#include "core/clip/fact_store.h"
#include "core/clip/pick.h"
#include "core/run/plan.h"

namespace glenhaze {

/// A clip's moments: what the store knows of them, else looked at now. Throws Error(Unreadable),
/// Error(Cancelled).
ClipTimeline timelineOf(const ClipPlan& plan, FactStore& store, const Progress& progress = {});

/// For all films that a run would render; `clip` of a suggestion: among `plans`. Clips that cannot be looked
/// at are passed over. Throws Error(Cancelled).
std::vector<Suggestion> suggestFor(std::span<const ClipPlan> plans, FactStore& store,
                                   const PickOptions& options, const Progress& progress = {});

/// Adds a stretch to a clip's, in its place; what it overlaps goes.
void keepStretch(ShootClip& clip, Stretch stretch);

}  // namespace glenhaze
