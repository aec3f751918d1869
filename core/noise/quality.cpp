#include "core/noise/quality.h"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <map>
#include <random>
#include <set>

#include "core/base/parallel.h"

namespace glenhaze {

namespace {

constexpr int kWidth = 1920, kHeight = 1080;

// A textured picture that moves by a few pixels a frame, with noise: what removal costs hangs on both.
std::vector<Frame> footage(int count) {
  std::vector<Frame> frames;
  for (int i = 0; i < count; ++i) {
    Frame frame = makeFrame(kWidth, kHeight, {});
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

double framesPerSecond(const std::vector<Frame>& frames, int side, const Progress& progress) {
  NoiseCurve curve;
  curve.iso = 1600;
  curve.level = {0, 255};
  for (auto& sigma : curve.sigma) sigma = {4.3, 4.3};
  DenoiseSettings settings;
  settings.frames_each_side = side;
  Denoiser denoiser(curve, settings);
  // The first ones fill the window and warm everything up.
  int pushed = 0, done = 0;
  std::chrono::steady_clock::time_point started;
  while (done < 4) {
    const auto out = denoiser.push(frames[static_cast<size_t>(pushed++) % frames.size()], progress);
    if (!out) continue;
    if (done++ == 0) started = std::chrono::steady_clock::now();
  }
  return (done - 1) / std::chrono::duration<double>(std::chrono::steady_clock::now() - started).count();
}

}  // namespace

NoiseSpeed measureNoiseSpeed(const Progress& progress) {
  const std::vector<Frame> frames = footage(5);
  const int most = workerThreads();
  std::set<int> counts{most};
  for (int n = 1; n < most; n *= 2) counts.insert(n);
  // Half of them: where two threads share a core, the second brings little, or harm.
  counts.insert(std::max(1, most / 2));
  NoiseSpeed found;
  // Each twice, taking turns, and the better counts: other programs come and go.
  constexpr int kRounds = 2;
  const double steps =
      kRounds * static_cast<double>(counts.size()) + static_cast<double>(kNoiseQualities.size());
  double step = 0, best = 0;
  std::map<int, double> fastest;
  for (int round = 0; round < kRounds; ++round)
    for (const int n : counts) {
      const ThreadLimit limit(n);
      fastest[n] = std::max(fastest[n], framesPerSecond(frames, 1, progress));
      progress.update(++step / steps);
    }
  for (const auto& [n, fps] : fastest)
    // More threads must bring something: they keep the rest of the machine waiting.
    if (fps > 1.05 * best) {
      best = fps;
      found.threads = n;
    }
  const ThreadLimit limit(found.threads);
  for (const NoiseQuality& quality : kNoiseQualities) {
    found.rows.push_back({quality, framesPerSecond(frames, quality.frames_each_side, progress)});
    progress.update(++step / steps);
  }
  return found;
}

}  // namespace glenhaze
