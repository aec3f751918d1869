#pragma once
// From a Treatment to pictures: the one chain of stages, in the order of processing, for renders, previews,
// trials and the console.
//
//   decode → hot pixels, flicker, noise → ONE resampling that holds lens, shutter, stabilization and window
//   → edges → colour
//
//   Chain chain(correction, size, {});
//   while (auto frame = reader.next())
//     if (auto done = chain.push(*frame)) use(done->picture);
//   while (auto done = chain.drain()) use(done->picture);

#include <filesystem>
#include <functional>
#include <optional>

#include "core/pipeline/clip_motion.h"
#include "core/pipeline/correction.h"
#include "core/pipeline/own_motion_stage.h"
#include "core/pipeline/sensor_stage.h"
#include "core/pipeline/watch.h"
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

/// A frame that is through all stages, and what became of it on the way.
struct FinishedFrame {
  Frame picture;
  Frame clean;                           ///< without its noise; the source itself where nothing is cleaned
  std::shared_ptr<const OwnMotion> own;  ///< what moves on its own in it, where that is measured
  double own_seconds = 0;                ///< what measuring it took
};

struct ChainOptions {
  /// Frames before this one only stand beside those after them and do not come out; see Chain::feedFrom().
  int64_t first = 0;
  /// What moves on its own is measured although it is not taken back.
  bool measure_own_motion = false;
  /// Of the finished picture, for each clean frame; empty: stays as it is.
  std::function<PixelFormat(const Frame&)> format;
  RenderWatch* watch = nullptr;  ///< told where the time goes; outlives the chain
};

/// Frames in, finished frames out, in order; holds back what noise removal and own motion look ahead. The
/// same bits whatever the number of threads, and whatever frame it begins with. Not safe for two threads at
/// once.
class Chain {
 public:
  /// Throws Error(BadRequest) for a correction that does not fit the picture.
  Chain(const Correction& correction, PictureSize source, ChainOptions options);

  /// The frame to push first, so that `options.first` comes out as if all had been pushed. Frames are to be
  /// pushed from there on without a gap.
  int64_t feedFrom() const { return feed_from_; }
  /// Frames beyond the last wanted one that help it, as far as the clip has them; what comes out after it is
  /// not wanted.
  int64_t feedBeyond() const { return feed_beyond_; }
  /// Whether each frame is finished by itself, without those around it.
  bool alone() const { return feed_from_ == first_ && !sensor_looks_ && !own_; }

  /// The frame that is finished by this one, if any. Throws Error(Cancelled); the chain is then of no further
  /// use.
  std::optional<FinishedFrame> push(Frame frame, const Progress& progress = {});
  /// The frames still inside; to be called until it is empty.
  std::optional<FinishedFrame> drain(const Progress& progress = {});

 private:
  std::optional<FinishedFrame> follow(const Frame& clean, const Progress& progress);
  FinishedFrame placed(const FrameInMotion& frame) const;

  int64_t first_, feed_from_ = 0, feed_beyond_ = 0;
  bool sensor_looks_, takes_back_;
  Geometry geometry_;
  std::optional<SensorStage> sensor_;
  std::optional<OwnMotionStage> own_;
  std::optional<Finisher> finisher_;
  std::function<PixelFormat(const Frame&)> format_;
  RenderWatch* watch_;
};

}  // namespace glenhaze
