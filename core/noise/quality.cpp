#include "core/noise/quality.h"

#include <algorithm>
#include <chrono>
#include <map>
#include <set>

#include "core/base/parallel.h"
#include "core/noise/detail/trial_footage.h"

namespace glenhaze {

namespace {

double framesPerSecond(const std::vector<Frame>& frames, int side, const Progress& progress) {
  DenoiseSettings settings;
  settings.frames_each_side = side;
  Denoiser denoiser(detail::trialCurve(), settings);
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
  const std::vector<Frame> frames = detail::trialFootage(5);
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
