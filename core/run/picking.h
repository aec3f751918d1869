#pragma once
// The good parts of a shoot's clips: looked for once, kept with the other facts, suggested, taken.

#include <span>
#include <vector>

#include "core/clip/fact_store.h"
#include "core/clip/pick.h"
#include "core/run/plan.h"

namespace glenhaze {

/// What the store knows of a clip's moments; empty where nobody has looked yet.
std::optional<ClipTimeline> knownTimeline(const ClipPlan& plan, FactStore& store);
/// The same, looked at where it has to be. Throws Error(Unreadable), Error(Cancelled).
ClipTimeline timelineOf(const ClipPlan& plan, FactStore& store, const Progress& progress = {});

/// For all films that a run would render; `clip` of a suggestion: among `plans`. Clips that cannot be looked
/// at are passed over. Throws Error(Cancelled).
std::vector<Suggestion> suggestFor(std::span<const ClipPlan> plans, FactStore& store,
                                   const PickOptions& options, const Progress& progress = {});

/// Adds a stretch to a clip's, in its place; what it overlaps goes.
void keepStretch(ShootClip& clip, Stretch stretch);

}  // namespace glenhaze
