#include "core/noise/detail/trial_footage.h"

#include <algorithm>
#include <cmath>
#include <random>

#include "core/base/parallel.h"

namespace glenhaze::detail {

std::vector<Frame> trialFootage(int count) {
  std::vector<Frame> frames;
  for (int i = 0; i < count; ++i) {
    Frame frame = makeFrame(1920, 1080, {});
    frame.colour = {1, 1, 1, false, ChromaSiting::Left};
    for (size_t p = 0; p < 3; ++p) {
      Plane& plane = frame.planes[p];
      parallelBlocks(plane.height, 32, [&](int first, int last) {
        for (int y = first; y < last; ++y) {
          std::minstd_rand random(static_cast<unsigned>(1 + y + 4096 * i + 65536 * static_cast<int>(p)));
          for (int x = 0; x < plane.width; ++x) {
            const int u = p == 0 ? x + 5 * i : 2 * x + 5 * i, v = p == 0 ? y + i : 2 * y + i;
            // Large shapes, edges, and texture of a few samples' size.
            const double scene =
                p == 0 ? 110 + 30 * std::sin(u * 0.021) * std::cos(v * 0.017) + ((u / 37 + v / 23) % 3) * 14 +
                             7 * std::sin(u * 0.61 + v * 0.23) * std::sin(v * 0.47 - u * 0.11)
                       : 128 + 12 * std::sin(u * 0.01 + v * 0.008);
            // The mean of a few even ones is near enough to normal.
            double noise = -6;
            for (int k = 0; k < 4; ++k)
              noise += 3.0 * static_cast<double>(random()) / std::minstd_rand::max();
            plane.row<uint8_t>(y)[x] = static_cast<uint8_t>(std::clamp(scene + 2.5 * noise, 0.0, 255.0));
          }
        }
      });
    }
    frames.push_back(std::move(frame));
  }
  return frames;
}

NoiseCurve trialCurve() {
  NoiseCurve curve;
  curve.iso = 1600;
  curve.level = {0, 255};
  for (auto& sigma : curve.sigma) sigma = {4.3, 4.3};
  return curve;
}

}  // namespace glenhaze::detail
