#include "core/finish/shadows.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <vector>

#include "core/base/parallel.h"

namespace glenhaze {

namespace {

// Gain of chroma by luma code.
std::vector<float> gainsOf(const Frame& frame, double strength) {
  const int black = blackValue(frame.format, frame.colour, 0);
  const double end = (frame.format.maxValue() - black) / 6.0;
  std::vector<float> gains(static_cast<size_t>(frame.format.maxValue()) + 1, 1);
  for (size_t v = 0; v < gains.size(); ++v) {
    const double t = std::clamp((static_cast<double>(v) - black) / end, 0.0, 1.0);
    gains[v] = static_cast<float>(1 - strength * (1 - t * t * (3 - 2 * t)));
  }
  return gains;
}

template <typename T>
void calmed(Frame& frame, const std::vector<float>& gains) {
  const int sx = frame.format.shiftX(), sy = frame.format.shiftY();
  const auto neutral = static_cast<float>(blackValue(frame.format, frame.colour, 1));
  for (size_t p = 1; p < 3; ++p) {
    Plane& plane = frame.planes[p];
    parallelBlocks(plane.height, 64, [&](int first, int last) {
      for (int y = first; y < last; ++y) {
        const T* luma = frame.planes[0].row<T>(std::min(y << sy, frame.height - 1));
        T* row = plane.row<T>(y);
        for (int x = 0; x < plane.width; ++x) {
          const size_t code = std::min<size_t>(luma[std::min(x << sx, frame.width - 1)], gains.size() - 1);
          row[x] = static_cast<T>(neutral + gains[code] * (static_cast<float>(row[x]) - neutral) + 0.5F);
        }
      }
    });
  }
}

}  // namespace

void calmShadowColour(Frame& frame, double strength) {
  if (strength <= 0 || frame.format.numPlanes() < 3 || frame.colour.matrix == 0) return;
  const std::vector<float> gains = gainsOf(frame, strength);
  if (frame.format.bytesPerSample() == 1)
    calmed<uint8_t>(frame, gains);
  else
    calmed<uint16_t>(frame, gains);
}

}  // namespace glenhaze
