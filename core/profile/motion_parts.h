#pragma once
// The shutter and stabilization parts of a profile.

#include <string>
#include <utility>
#include <vector>

#include "core/motion/stabilize.h"
#include "core/motion/tracks.h"
#include "core/profile/evidence.h"
#include "core/shutter/finding.h"

namespace glenhaze {

struct ShutterPart {
  Shutter shutter;  ///< the sensor's own direction, as in a picture that was not turned in the camera
  Origin origin = Origin::Measured;
  std::string method;           ///< "lamp", "pan", "footage", "log", "typed"
  double uncertainty_s = 0;     ///< standard deviation; 0: none
  double frame_interval_s = 0;  ///< of the footage it was measured on; 0: not known
  ShutterPlot plot_kind = ShutterPlot::None;
  std::vector<std::pair<double, double>> plot;
  std::vector<Evidence> evidence;
};

struct StabilizationPart {
  StabilizationSettings settings;  ///< the camera's default
  std::vector<MotionMask> masks;   ///< what is never the scene
};

/// What a measurement becomes. `method` as above, `source`: the reference shot.
ShutterPart shutterPartFrom(const ShutterFinding& finding, const std::string& method,
                            const std::string& source, double frame_interval_s);
ShutterPart shutterPartByHand(const Shutter& shutter);

}  // namespace glenhaze
