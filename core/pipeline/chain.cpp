#include "core/pipeline/chain.h"

namespace glenhaze {

Correction correctionOf(const Treatment& t, const Prepared& prepared) {
  Correction c;
  if (t.cleaning) {
    c.noise = t.cleaning->noise;
    c.noise_changes = t.cleaning->changes;
    c.denoise = t.cleaning->settings;
    c.hot_pixels = t.cleaning->hot_pixels;
    c.flicker = prepared.flicker;
  }
  c.lens = t.lens;
  c.lens_amount = t.lens_amount;
  c.fill = t.fill;
  c.output = t.output;
  c.motion = prepared.motion;
  c.shutter_local = t.motion && t.motion->own_motion;
  return c;
}

std::optional<MotionRequest> motionRequestOf(const Treatment& t, const ClipInfo& clip,
                                             const std::filesystem::path& tracks_file) {
  if (!t.motion || !t.lens) return std::nullopt;
  MotionRequest r;
  r.clip = clip;
  r.fields = t.fields;
  r.lens = *t.lens;
  r.shutter = t.motion->shutter;
  r.settings = t.motion->settings;
  r.masks = t.motion->masks;
  r.hand = t.motion->hand;
  r.log = t.motion->log;
  r.window = {t.output.width, t.output.height, t.lens_amount, t.fill};
  if (t.range.first > 0 || t.range.last < clip.frames) r.range = t.range;
  r.tracks_file = tracks_file;
  return r;
}

Chain::Chain(const Correction& correction, PictureSize source,
             std::function<PixelFormat(const Frame&)> format)
    : geometry_(correction, source), format_(std::move(format)) {
  if (correction.cleans()) sensor_.emplace(correction);
  if (correction.mendsOwnMotion()) own_.emplace(correction);
}

std::optional<Frame> Chain::push(const Frame& frame, const Progress& progress) {
  progress.check();
  if (!sensor_) return follow(frame, progress);
  const auto clean = sensor_->push(frame, progress);
  return clean ? follow(*clean, progress) : std::nullopt;
}

std::optional<Frame> Chain::drain(const Progress& progress) {
  // What comes out of one stage may stay in the next one.
  while (sensor_) {
    const auto clean = sensor_->drain(progress);
    if (!clean) break;
    if (auto done = follow(*clean, progress)) return done;
  }
  if (!own_) return std::nullopt;
  const auto last = own_->drain();
  return last ? std::optional(placed(last->frame, last->own)) : std::nullopt;
}

std::optional<Frame> Chain::follow(const Frame& clean, const Progress& progress) {
  progress.check();
  if (!own_) return placed(clean, nullptr);
  const auto ready = own_->push(clean);
  return ready ? std::optional(placed(ready->frame, ready->own)) : std::nullopt;
}

Frame Chain::placed(const Frame& frame, const std::shared_ptr<const OwnMotion>& own) const {
  return correctFrame(frame, geometry_, format_(frame), own);
}

}  // namespace glenhaze
