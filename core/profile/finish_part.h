#pragma once
// The finish part of a profile: how the camera draws an edge, and what is done about it.

#include <optional>
#include <vector>

#include "core/finish/edges_finding.h"
#include "core/finish/settings.h"
#include "core/profile/evidence.h"

namespace glenhaze {

/// How a camera draws edges.
struct EdgesPart {
  EdgeSummary summary;
  Origin origin = Origin::Measured;
  std::vector<Evidence> evidence;
};

struct FinishPart {
  FinishSettings settings;  ///< the camera's default
  std::optional<EdgesPart> edges;
};

/// What a measurement becomes.
EdgesPart edgesPartFrom(const EdgesFinding& finding);

}  // namespace glenhaze
