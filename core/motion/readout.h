#pragma once
// The readout of the sensor from ordinary shaky footage: the one with which tracked places agree best with
// one rotation per row time (after P.-E. Forssén, E. Ringaby, "Rectifying rolling shutter video from
// hand-held devices", CVPR 2010). Signed readouts along both axes are unknowns of the same least squares as
// the path, so that the direction is a result, not an assumption.

#include <string>
#include <vector>

#include "core/base/progress.h"
#include "core/lens/model.h"
#include "core/motion/tracks.h"
#include "core/shutter/finding.h"

namespace glenhaze {

/// What coding adds to how sure a readout is: tracks err together more than each would say, and where it is
/// coarse (see coarsenessOf) the readout comes out small.
struct CodingDoubt {
  double spread = 1;  ///< times the uncertainty without it
  double pull = 0;    ///< share of the readout, one standard deviation
  double of(double uncertainty_s, double readout_s) const;
};
CodingDoubt codingDoubtOf(const TrackRecord& record, const Coding& coding);

/// Of the most shaken stretch of the clip, up to 400 frames. `frame_interval_s` is that of the footage, and
/// `coding` how it was coded, which adds to the uncertainty; by default each picture for itself.
/// Throws Error(Evidence) when there is nothing to track or the camera hardly turns, Error(BadRequest),
/// Error(Cancelled).
ShutterFinding measureReadout(const TrackRecord& record, const Lens& lens, double frame_interval_s,
                              const Coding& coding = {}, const Progress& progress = {});

}  // namespace glenhaze
