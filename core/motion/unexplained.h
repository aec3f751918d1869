#pragma once
// What the picture does that the camera's path does not say: near and far things that move apart, things that
// move on their own, a lens or a readout that is wrong. No setting of the steadying takes it out, so it is
// part of every figure of what shake is left.
//
// Every tracked place is held against the path; the middle of what is left is taken for each part of the
// picture, once from every other place and once from the rest. The product of both says how much the part
// really moves, since the errors of single places have no part in it.

#include "core/lens/model.h"
#include "core/motion/path.h"
#include "core/motion/tracks.h"
#include "core/shutter/shutter.h"

namespace glenhaze {

struct UnexplainedMotion {
  /// RMS over the steadier ones of the parts, faster than 1 Hz, both axes together, while they do not drift:
  /// what things do on their own is no shake.
  double shake_deg = 0;
  double any_shake_deg = 0;    ///< the same with what drifts
  double moving_share = 0;     ///< of all parts, that drift against the path, 0..1
  double drift_deg_per_s = 0;  ///< of those, the middle one
};

/// Of the parts, where things may move on their own.
constexpr double kSteadierParts = 0.7;

/// The path's frames are those of the record. `steadier`: share of the parts that counts, 0..1.
UnexplainedMotion unexplainedMotion(const TrackRecord& record, const Lens& lens, const Shutter& shutter,
                                    const CameraPath& path, double steadier = kSteadierParts);

}  // namespace glenhaze
