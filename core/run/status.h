#pragma once
// What a run would do to a clip, against what is in the output folder: rendered, out of date and why, not
// rendered, facts missing, refused.

#include <string>

#include "core/clip/fact_store.h"
#include "core/run/plan.h"
#include "core/run/record.h"

namespace glenhaze {

struct ClipStatus {
  enum class Kind {
    Rendered,
    OutOfDate,
    NotRendered,
    MissingFacts,
    Refused,
    Blocked
  } kind = Kind::NotRendered;
  std::string why;  ///< what changed, what is missing, why refused, what is in the way; "" where there is
                    ///< nothing to say
};
std::string statusName(ClipStatus::Kind kind);

/// `record` of the output folder; null where there is none. Reads the first and last 64 KiB of clip and
/// output.
ClipStatus statusOf(const ClipPlan& plan, RunRecord* record);

/// Everything that is known of a clip already: its probe, its identity, and what the store holds.
ClipFacts knownFacts(const std::filesystem::path& clip, FactStore& store);

}  // namespace glenhaze
