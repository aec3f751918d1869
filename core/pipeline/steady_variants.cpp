#include "core/pipeline/steady_variants.h"

#include <algorithm>

#include "core/frame/reduce.h"

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
  std::vector<Geometry> geometries;
  for (int64_t i = range.first; i < range.last; ++i) {
    progress.check();
    const auto frame = reader.next();
    if (!frame) break;
    SteadyFrames out;
    out.index = frame->index;
    out.source = reducedTo(*frame, width);
    if (geometries.empty()) {
      const PictureSize small{out.source.width, out.source.height};
      Correction one = correctionAt(correction, {clip.width, clip.height}, small);
      for (const auto& motion : motions) {
        one.motion = motion;
        geometries.emplace_back(one, small);
      }
    }
    for (const Geometry& g : geometries)
      out.corrected.push_back(g.movesPixels() ? correctFrame(out.source, g, out.source.format) : out.source);
    progress.update(static_cast<double>(i + 1 - range.first) / static_cast<double>(range.count()));
    if (!take(std::move(out))) return;
  }
}

}  // namespace glenhaze
