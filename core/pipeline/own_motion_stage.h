#pragma once
// Frames with what moves on its own in them: each waits for the one after it.

#include <memory>
#include <optional>

#include "core/pipeline/correction.h"

namespace glenhaze {

struct FrameInMotion {
  Frame frame;
  std::shared_ptr<const OwnMotion> own;
  double seconds = 0;  ///< that measuring it took
};

/// Frames in, frames out, in order. Not safe for two threads at once.
class OwnMotionStage {
 public:
  /// The correction must have motion.
  explicit OwnMotionStage(const Correction& correction);
  OwnMotionStage(const OwnMotionStage&) = delete;
  OwnMotionStage& operator=(const OwnMotionStage&) = delete;

  /// The frame before this one, if there was one.
  std::optional<FrameInMotion> push(const Frame& frame);
  /// The last frame; empty when there is none.
  std::optional<FrameInMotion> drain();

 private:
  FrameInMotion measured(const Frame* after);
  std::shared_ptr<const ClipMotion> motion_;
  LensMap lens_;
  OwnMotionMeter meter_;
  std::optional<Frame> before_, now_;
};

}  // namespace glenhaze
