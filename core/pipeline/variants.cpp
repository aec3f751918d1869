#include "core/pipeline/variants.h"

#include <algorithm>
#include <chrono>

#include "core/base/error.h"
#include "core/pipeline/chain.h"

namespace glenhaze {

namespace {

// Frame `index`, which is one of `frames`, through the whole chain.
FinishedFrame finishedBy(Chain& chain, std::span<const Frame> frames, const Progress& progress) {
  for (const Frame& frame : frames) {
    if (frame.index < chain.feedFrom()) continue;
    if (auto done = chain.push(frame, progress)) return std::move(*done);
  }
  auto done = chain.drain(progress);
  if (!done) throw Error(ErrorKind::Unreadable, "This frame cannot be read", "", "", "");
  return std::move(*done);
}

}  // namespace

std::vector<VariantFrame> tryVariants(const ClipInfo& clip, Fields fields, int64_t index,
                                      const Correction& correction, std::span<const DenoiseSettings> settings,
                                      const Progress& progress) {
  int side = 0;
  for (const DenoiseSettings& s : settings) side = std::max(side, s.frames_each_side);
  // What moves on its own is told by one frame more.
  const auto [frames, middle] =
      framesAround(clip, index, side + (correction.mendsOwnMotion() ? 1 : 0), {0, fields}, progress);
  std::vector<VariantFrame> results;
  for (const DenoiseSettings& s : settings) {
    Correction own = correction;
    own.denoise = s;
    Chain chain(own, {clip.width, clip.height}, {.first = index, .measure_own_motion = false, .format = {}});
    const auto started = std::chrono::steady_clock::now();
    const FinishedFrame done = finishedBy(chain, frames, progress);
    VariantFrame result;
    result.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - started).count();
    if (correction.noise) result.removal = judgeRemoval(frames[middle], done.clean, *correction.noise);
    result.corrected = done.picture;
    results.push_back(std::move(result));
    progress.update(static_cast<double>(results.size()) / static_cast<double>(settings.size()));
  }
  return results;
}

}  // namespace glenhaze
