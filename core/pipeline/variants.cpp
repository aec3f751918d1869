#include "core/pipeline/variants.h"

#include <algorithm>
#include <chrono>
#include <deque>

#include "core/base/error.h"
#include "core/pipeline/chain.h"

namespace glenhaze {

namespace {

// The frame that a chain is for, through all of it. `pushed`: how many frames that took.
FinishedFrame finishedBy(Chain& chain, std::span<const Frame> frames, int& pushed, const Progress& progress) {
  pushed = 0;
  for (const Frame& frame : frames) {
    if (frame.index < chain.feedFrom()) continue;
    ++pushed;
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
  std::deque<Chain> chains;
  int64_t before = 0, after = 0;
  for (const DenoiseSettings& s : settings) {
    Correction own = correction;
    own.denoise = s;
    chains.emplace_back(own, PictureSize{clip.width, clip.height},
                        ChainOptions{.first = index, .measure_own_motion = false, .format = {}});
    before = std::max(before, index - chains.back().feedFrom());
    after = std::max(after, chains.back().feedBeyond());
  }
  const auto [frames, middle] =
      framesAround(clip, index, static_cast<int>(before), static_cast<int>(after), {0, fields}, progress);
  std::vector<VariantFrame> results;
  for (Chain& chain : chains) {
    const auto started = std::chrono::steady_clock::now();
    int pushed = 0;
    const FinishedFrame done = finishedBy(chain, frames, pushed, progress);
    VariantFrame result;
    // What a frame takes in a stream of them.
    result.seconds =
        std::chrono::duration<double>(std::chrono::steady_clock::now() - started).count() / pushed;
    if (correction.noise) result.removal = judgeRemoval(frames[middle], done.clean, *correction.noise);
    result.corrected = done.picture;
    results.push_back(std::move(result));
    progress.update(static_cast<double>(results.size()) / static_cast<double>(settings.size()));
  }
  return results;
}

}  // namespace glenhaze
