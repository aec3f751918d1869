#pragma once
// What a measurement becomes in a profile, with its evidence.

#include "core/lens/chart.h"
#include "core/lens/edges.h"
#include "core/motion/self_calibration.h"
#include "core/profile/profile.h"

namespace glenhaze {

LensPart lensPartFrom(const ChartFinding& finding);
LensPart lensPartFrom(const EdgeFinding& finding, std::span<const StraightEdge> edges);
/// Of footage named `source`. The readout that was told beside it goes in only where the profile has no
/// shutter: one that was measured for itself is surer.
void putFootageLens(Profile& profile, const FootageLens& finding, const std::string& source,
                    double frame_interval_s);
LensPart lensPartFrom(const FootageLens& finding, const std::string& source);
/// Noise that was measured in the clip `source` itself, as a curve of its camera at `iso`.
NoiseEntry noiseEntryOfClip(NoiseCurve own, double iso, const std::string& source);
/// Values that were typed or nudged: no residual, marked as set by hand.
LensPart lensPartByHand(const Lens& lens);

}  // namespace glenhaze
