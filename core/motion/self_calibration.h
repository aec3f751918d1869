#pragma once
// The lens of a camera from ordinary footage in which it turns: focal length, bend, readout and turning in
// one solve over tracked places (R. Hartley, "Self-calibration of stationary cameras", IJCV 1997; L. Oth et
// al., "Rolling shutter camera calibration", CVPR 2013).

#include <string>
#include <vector>

#include "core/base/progress.h"
#include "core/lens/bend.h"
#include "core/motion/tracks.h"
#include "core/shutter/finding.h"

namespace glenhaze {

struct FootageLens {
  Lens lens;                     ///< Brown–Conrady or Kannala–Brandt with two coefficients; fx = fy
  double focal_uncertainty = 0;  ///< standard deviation, as a share of the focal length
  Bend bend;
  std::vector<double> stddev;  ///< of fx fy cx cy and the coefficients; 0 for what was held
  bool usable = false;         ///< the focal length is told
  bool bend_told = false;      ///< otherwise the lens is straight: what it may bend is the bend's uncertainty
  std::string why;             ///< why it is not usable; "" when it is
  Shutter shutter;             ///< direction unknown where no readout is told
  double readout_uncertainty_s = 0;
  bool readout_told = false;
  double turned_deg = 0;  ///< the widest angle between two frames
  double seen_to = 0;     ///< how far out places were seen, as a share of the way to the corner
  double rms_px = 0;
  int frames = 0;  ///< that it rests on
  std::vector<std::string> warnings;

  /// The readout beside it, as a measurement of its own.
  ShutterFinding readout() const;
};

/// Of the stretch of the clip with most motion, up to 400 frames. `coding`: how the footage was coded, which
/// adds to the uncertainties; by default each picture for itself. Throws Error(Evidence) when there is
/// nothing to track, Error(Cancelled).
FootageLens measureLensFrom(const TrackRecord& record, double frame_interval_s, const Coding& coding = {},
                            const Progress& progress = {});

}  // namespace glenhaze
