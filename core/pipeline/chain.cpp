#include "core/pipeline/chain.h"

#include <algorithm>

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
  c.canvas = t.canvas;
  c.motion = prepared.motion;
  c.shutter_local = t.motion && t.motion->own_motion;
  if (t.finishing) {
    c.finishes = true;
    c.finish = t.finishing->settings;
    c.camera = t.finishing->camera;
  }
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
  r.own_shutter = t.motion->own_shutter;
  r.settings = t.motion->settings;
  r.masks = t.motion->masks;
  r.hand = t.motion->hand;
  r.log = t.motion->log;
  r.window = {t.output.width, t.output.height, t.lens_amount, t.fill};
  if (t.range.first > 0 || t.range.last < clip.frames) r.range = t.range;
  r.tracks_file = tracks_file;
  return r;
}

Chain::Chain(const Correction& correction, PictureSize source, ChainOptions options)
    : first_(options.first),
      sensor_looks_(correction.looksAhead() > 0),
      takes_back_(correction.mendsOwnMotion()),
      geometry_(correction, source),
      format_(std::move(options.format)),
      watch_(options.watch) {
  const bool own = takes_back_ || (options.measure_own_motion && correction.motion && correction.lens &&
                                   correction.motion->shutter.rolls());
  // What moves on its own is told by the frame before as well, as it looks when it is clean.
  const int64_t clean_from = std::max<int64_t>(0, first_ - (own ? 1 : 0));
  feed_from_ = clean_from - correction.looksBack(clean_from);
  feed_beyond_ = correction.looksAhead() + (own ? 1 : 0);
  if (correction.cleans()) sensor_.emplace(correction, static_cast<int>(clean_from - feed_from_));
  if (own) own_.emplace(correction);
  if (correction.finishes) finisher_.emplace(crispnessOf(correction, geometry_), correction.finish);
}

std::optional<FinishedFrame> Chain::push(Frame frame, const Progress& progress) {
  progress.check();
  if (!sensor_) return follow(frame, progress);
  const auto clean =
      watched(watch_, RenderWatch::Clean, [&] { return sensor_->push(std::move(frame), progress); });
  return clean ? follow(*clean, progress) : std::nullopt;
}

std::optional<FinishedFrame> Chain::drain(const Progress& progress) {
  // What comes out of one stage may stay in the next one.
  while (sensor_) {
    const auto clean = watched(watch_, RenderWatch::Clean, [&] { return sensor_->drain(progress); });
    if (!clean) break;
    if (auto done = follow(*clean, progress)) return done;
  }
  const auto last = own_ ? own_->drain() : std::nullopt;
  if (!last || last->frame.index < first_) return std::nullopt;
  return placed(*last);
}

std::optional<FinishedFrame> Chain::follow(const Frame& clean, const Progress& progress) {
  progress.check();
  if (!own_) return placed({clean, nullptr, 0});
  const auto ready = own_->push(clean);
  if (!ready || ready->frame.index < first_) return std::nullopt;
  return placed(*ready);
}

FinishedFrame Chain::placed(const FrameInMotion& in) const {
  const PixelFormat format = format_ ? format_(in.frame) : in.frame.format;
  const auto back = takes_back_ ? in.own : nullptr;
  const bool finishes = finisher_ && finisher_->changes(in.frame);
  const PixelFormat before = finishes ? Finisher::formatBefore(format) : format;
  // A picture that stays where it is needs no more bits than it has.
  const bool stays = !geometry_.movesPixels() &&
                     (in.frame.format == format || (finishes && in.frame.format.chroma == format.chroma));
  Frame picture = stays ? in.frame : watched(watch_, RenderWatch::Place, [&] {
    return correctFrame(in.frame, geometry_, before, back);
  });
  if (finishes)
    picture = watched(watch_, RenderWatch::Finish, [&] { return finisher_->finish(picture, format); });
  return {std::move(picture), in.frame, in.own, in.seconds};
}

}  // namespace glenhaze
