#pragma once
// What a measurement of the shutter says.

#include <cstdint>
#include <string>
#include <utility>
#include <vector>

#include "core/shutter/shutter.h"

namespace glenhaze {

/// What the measurement rests on, for a plot.
enum class ShutterPlot {
  None,
  Bands,         ///< x: bands over the picture's height, y: strength (0..1)
  Lean,          ///< x: speed (px per s), y: lean (px over the picture's height)
  Disagreement,  ///< x: readout (ms, signed along the scan axis), y: RMS left (px)
};

/// What one frame of a pan shows.
struct PanSight {
  int64_t frame = 0;
  double speed = 0;  ///< px per second, right (or down, of sensors read sideways) positive
  double lean = 0;   ///< px over the picture's height (width), the camera's own hang taken off
};

struct ShutterFinding {
  Shutter shutter;
  double uncertainty_s = 0;   ///< standard deviation of the readout
  double share_of_frame = 0;  ///< readout over frame interval
  ShutterPlot kind = ShutterPlot::None;
  std::vector<std::pair<double, double>> plot;
  std::vector<PanSight> sights;  ///< of a pan
  int frames = 0;                ///< that it rests on
  double residual = -1;          ///< in the unit of the plot's y; −1: none
  bool global = false;           ///< no readout to be seen within the uncertainty
  std::vector<std::string> warnings;
};

/// What is odd about a readout: longer than the frame lasts, or far from what cameras have (common practice,
/// no source: large sensors 50 to 75 % of the frame interval, phones and small cameras close to 100 %, at
/// their full rate). Empty when nothing is.
std::vector<std::string> plausibilityOf(const Shutter& shutter, double frame_interval_s);

}  // namespace glenhaze
