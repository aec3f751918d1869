#pragma once
// From a Treatment to pictures: the one chain of stages, in the order of processing, for renders, previews,
// trials and the console.
//
//   decode → hot pixels, flicker, noise → ONE resampling that holds lens, shutter, stabilization and window
//
//   Chain chain(correction, size, format);
//   while (auto frame = reader.next())
//     if (auto done = chain.push(*frame)) use(*done);
//   while (auto done = chain.drain()) use(*done);

#include <filesystem>
#include <functional>
#include <optional>

#include "core/pipeline/clip_motion.h"
#include "core/pipeline/correction.h"
#include "core/pipeline/own_motion_stage.h"
#include "core/pipeline/sensor_stage.h"
#include "core/treat/treatment.h"

namespace glenhaze {

/// What the pictures of a clip have to be looked at for, before the first frame can be finished.
struct Prepared {
  std::optional<FlickerPath> flicker;
  std::shared_ptr<const ClipMotion> motion;
};

/// The stages' settings. What is not prepared yet is left out, for looking at meanwhile.
Correction correctionOf(const Treatment& treatment, const Prepared& prepared = {});

/// What a treatment's motion is worked out from; nothing where it has none. `tracks_file`: where tracks are
/// kept.
std::optional<MotionRequest> motionRequestOf(const Treatment& treatment, const ClipInfo& clip,
                                             const std::filesystem::path& tracks_file);

/// Frames in, finished frames out, in order; holds back what noise removal and own motion look ahead. The
/// same bits whatever the number of threads. Not safe for two threads at once.
class Chain {
 public:
  /// `format`: of the finished frames, for each source frame. Throws Error(BadRequest) for a correction that
  /// does not fit the picture.
  Chain(const Correction& correction, PictureSize source, std::function<PixelFormat(const Frame&)> format);

  /// The frame that is finished by this one, if any. Throws Error(Cancelled).
  std::optional<Frame> push(const Frame& frame, const Progress& progress = {});
  /// The frames still inside; to be called until it is empty.
  std::optional<Frame> drain(const Progress& progress = {});

 private:
  std::optional<Frame> follow(const Frame& clean, const Progress& progress);
  Frame placed(const Frame& frame, const std::shared_ptr<const OwnMotion>& own) const;

  Geometry geometry_;
  std::optional<SensorStage> sensor_;
  std::optional<OwnMotionStage> own_;
  std::function<PixelFormat(const Frame&)> format_;
};

}  // namespace glenhaze
