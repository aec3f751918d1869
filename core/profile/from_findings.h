#pragma once
// What a measurement becomes in a profile, with its evidence.

#include "core/lens/chart.h"
#include "core/lens/edges.h"
#include "core/motion/self_calibration.h"
#include "core/profile/profile.h"

namespace glenhaze {

LensPart lensPartFrom(const ChartFinding& finding);
LensPart lensPartFrom(const EdgeFinding& finding, std::span<const StraightEdge> edges);
/// Of footage named `source`.
LensPart lensPartFrom(const FootageLens& finding, const std::string& source);
/// Values that were typed or nudged: no residual, marked as set by hand.
LensPart lensPartByHand(const Lens& lens);

}  // namespace glenhaze
