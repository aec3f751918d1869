#include "core/pipeline/steady_variants.h"

#include <algorithm>
#include <list>

#include "core/frame/reduce.h"
#include "core/pipeline/chain.h"

namespace glenhaze {

std::vector<StabilizationSettings> strengthsAround(const StabilizationSettings& set, bool can_hold_still) {
  StabilizationSettings base = set;
  if (base.steadying != Steadying::KeepMove) {
    base = StabilizationSettings{};
    base.crop_limit = set.crop_limit;
    base.framing = set.framing;
  }
  constexpr double kTimes = 4, kShortest = 0.05, kLongest = 20;
  StabilizationSettings gentle = base, strong = base;
  gentle.smoothing_s = std::max(kShortest, base.smoothing_s / kTimes);
  strong.smoothing_s = std::min(kLongest, base.smoothing_s * kTimes);
  if (can_hold_still && set.steadying != Steadying::HoldStill) strong.steadying = Steadying::HoldStill;
  return {set, gentle, strong};
}

MotionAnswer steadiedBy(const MotionAnswer& answer, MotionRequest request,
                        const StabilizationSettings& settings) {
  MotionAnswer other = answer;
  request.settings = settings;
  steadyAgain(other, request);
  return other;
}

namespace {

Frame reducedTo(Frame frame, int width) {
  while (frame.width > width && frame.width > 2 && frame.height > 2) {
    const int64_t index = frame.index;
    frame = halvedFrame(frame);
    frame.index = index;
  }
  return frame;
}

}  // namespace

void playVariants(const ClipInfo& clip, Fields fields, FrameRange range, const Correction& correction,
                  std::span<const std::shared_ptr<const ClipMotion>> motions, int width,
                  const std::function<bool(SteadyFrames)>& take, const Progress& progress) {
  ClipReader reader(clip, {0, fields});
  if (range.first > 0) reader.seek(range.first);
  std::list<Chain> chains;  // they stay where they are made
  for (int64_t i = range.first; i < range.last; ++i) {
    progress.check();
    const auto frame = reader.next();
    if (!frame) break;
    SteadyFrames out;
    out.index = frame->index;
    out.source = reducedTo(*frame, width);
    if (chains.empty()) {
      const PictureSize small{out.source.width, out.source.height};
      Correction one = correctionAt(correction, {clip.width, clip.height}, small);
      // What is judged here is motion.
      one.noise.reset();
      one.flicker.reset();
      one.hot_pixels.clear();
      one.denoise.shadow_colour = 0;
      one.shutter_local = false;
      for (const auto& motion : motions) {
        one.motion = motion;
        chains.emplace_back(one, small, ChainOptions{});
      }
    }
    for (Chain& chain : chains)
      if (auto done = chain.push(out.source, progress)) out.corrected.push_back(std::move(done->picture));
    progress.update(static_cast<double>(i + 1 - range.first) / static_cast<double>(range.count()));
    if (!take(std::move(out))) return;
  }
}

}  // namespace glenhaze
