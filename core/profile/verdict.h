#pragma once
// How good a measurement is, in a sentence, and what would make it better, in another. Every limit is of what
// is seen in a picture: shares of its width, so that they mean the same at every size.

#include <string>

#include "core/lens/chart.h"
#include "core/lens/edges.h"
#include "core/motion/self_calibration.h"
#include "core/noise/measure.h"
#include "core/shutter/finding.h"

namespace glenhaze {

/// "Good: sure to 0.3 px at the corner. A view of the chart in the upper left corner would settle it."
std::string verdictOf(const ChartFinding& finding);
std::string verdictOf(const EdgeFinding& finding);
/// Of one that is usable.
std::string verdictOf(const FootageLens& finding);
std::string verdictOf(const ShutterFinding& finding);
/// Of a curve from patches or from a locked-off shot.
std::string verdictOf(const NoiseFinding& finding);

}  // namespace glenhaze
