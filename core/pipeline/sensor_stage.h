#pragma once
// What is done to frames on the sensor's own pixels, before anything moves them: hot pixels, blockiness,
// flicker, noise, shimmer, shadow colour, in this order, as a stream.

#include <memory>
#include <optional>

#include "core/base/progress.h"
#include "core/pipeline/correction.h"

namespace glenhaze {

/// Frames in, frames out, in order; holds back what noise removal and the calming of
/// shimmer look ahead. The same bits whatever the
/// number of threads. Not safe for two threads at once.
class SensorStage {
 public:
  /// The first `lead` frames only stand beside those after them and do not come out.
  explicit SensorStage(const Correction& correction, int lead = 0);

  /// As Denoiser: the frame that is finished by this one, if any. Throws what Denoiser throws.
  std::optional<Frame> push(Frame frame, const Progress& progress = {});
  /// The frames still inside; to be called until it is empty.
  std::optional<Frame> drain(const Progress& progress = {});

 private:
  Frame mended(Frame frame) const;
  std::optional<Frame> cleaned(Frame frame, const Progress& progress);
  std::optional<Frame> finished(std::optional<Frame> frame) const;

  Correction correction_;
  std::optional<Denoiser> denoiser_;
  std::optional<ShimmerCalmer> calmer_;
  int lead_;
};

}  // namespace glenhaze
