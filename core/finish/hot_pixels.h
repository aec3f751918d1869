#pragma once
// Hot and dead pixels: places of the sensor that always show too much or too little. Found on a shot that
// holds still, kept in the profile, mended from what lies around them before anything else is done to a
// frame.

#include <span>
#include <vector>

#include "core/base/progress.h"
#include "core/media/clip_info.h"

namespace glenhaze {

struct HotPixel {
  int x = 0, y = 0;   ///< luma sample, of the picture as stored
  double excess = 0;  ///< mean luma beyond its surroundings, 8-bit codes; below 0: dead

  bool operator==(const HotPixel&) const = default;
};

struct HotPixelFinding {
  std::vector<HotPixel> pixels;  ///< strongest first
  int frames = 0;
  bool dark = false;  ///< the shots are dark nearly everywhere, so that nothing in the scene can be mistaken
};

/// From shots that hold still, best with the lens covered; several of different scenes tell sensor from
/// scene: only what shows in all counts. Throws Error(Evidence) when a shot moves or sizes differ,
/// Error(Cancelled).
HotPixelFinding findHotPixels(std::span<const ClipInfo> shots, const Progress& progress = {});

/// Mends the luma within a pixel of each and the chroma over it, from the ring around. Pixels outside are
/// passed over. The frame's samples must be its own.
void mendHotPixels(Frame& frame, std::span<const HotPixel> pixels);

}  // namespace glenhaze
