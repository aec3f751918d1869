#pragma once
// The part of a clip that says most.

#include <vector>

#include "core/motion/tracks.h"

namespace glenhaze::detail {

/// How far the picture moved at each frame, px²; 0 where a scene begins.
std::vector<double> motionsOf(const TrackRecord& record);
/// How much that motion changed at each frame, px².
std::vector<double> changesOf(const TrackRecord& record);

/// The stretch of up to 400 frames, without a cut or a long pause, in which the sum of `scores` (of each
/// frame) is largest.
TrackRecord stretchWithMost(const std::vector<double>& scores, const TrackRecord& record,
                            double frame_interval_s);

}  // namespace glenhaze::detail
