#include "core/shutter/finding.h"

#include <cmath>

namespace glenhaze {

std::vector<std::string> plausibilityOf(const Shutter& shutter, double frame_interval_s) {
  std::vector<std::string> notes;
  if (!(shutter.readout_s > 0) || !(frame_interval_s > 0)) return notes;
  const double share = shutter.readout_s / frame_interval_s;
  const std::string percent = std::to_string(std::lround(share * 100)) + " % of the frame interval";
  if (share > 1.02)
    notes.push_back("The readout is " + percent + ": no camera reads longer than a frame lasts.");
  else if (share < 0.12)
    notes.push_back("The readout is only " + percent +
                    "; common are 50 to 75 % for large sensors and close to 100 % for small cameras at their "
                    "highest rate.");
  return notes;
}

}  // namespace glenhaze
