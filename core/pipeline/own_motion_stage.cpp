#include "core/pipeline/own_motion_stage.h"

#include <chrono>

namespace glenhaze {

OwnMotionStage::OwnMotionStage(const Correction& correction)
    : motion_(correction.motion), lens_(*correction.lens), meter_(motion_->path, motion_->shutter, lens_) {}

FrameInMotion OwnMotionStage::measured(const Frame* after) {
  FrameInMotion done;
  const auto begun = std::chrono::steady_clock::now();
  done.own = std::make_shared<OwnMotion>(meter_.measure(before_ ? &*before_ : nullptr, *now_, after));
  done.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begun).count();
  done.frame = *now_;
  return done;
}

std::optional<FrameInMotion> OwnMotionStage::push(const Frame& frame) {
  std::optional<FrameInMotion> done;
  if (now_) done = measured(&frame);
  before_ = std::move(now_);
  now_ = frame;
  return done;
}

std::optional<FrameInMotion> OwnMotionStage::drain() {
  if (!now_) return std::nullopt;
  FrameInMotion done = measured(nullptr);
  before_.reset();
  now_.reset();
  return done;
}

}  // namespace glenhaze
