#pragma once
// Everything that is done to one clip, as values; and what it means for one frame.

#include <algorithm>
#include <memory>
#include <optional>
#include <vector>

#include "core/finish/finisher.h"
#include "core/finish/flicker.h"
#include "core/finish/hot_pixels.h"
#include "core/finish/shimmer.h"
#include "core/lens/model.h"
#include "core/lens/window.h"
#include "core/motion/frame_map.h"
#include "core/motion/own_motion.h"
#include "core/noise/denoise.h"
#include "core/pipeline/warp.h"

namespace glenhaze {

/// Corrections of one clip. Parts that are empty are not done.
struct Correction {
  std::optional<NoiseCurve> noise;         ///< of the clip's ISO; removed before anything moves
  std::vector<NoiseChange> noise_changes;  ///< where the ISO changes within the clip, by frame
  DenoiseSettings denoise;                 ///< also of flicker and shadow colour
  std::vector<HotPixel> hot_pixels;
  std::optional<FlickerPath> flicker;
  std::optional<Lens> lens;  ///< for the clip's own picture size
  double lens_amount = 1;    ///< 0..1; 0 where only the motion needs the lens
  double fill = 1;           ///< 0: whole picture, 1: filled frame
  PictureSize output;        ///< 0 × 0: the source's size
  Canvas canvas;             ///< what of the output is delivered, with black around it where it ends
  FinishSettings finish;     ///< looks nowhere but in the finished picture, except for shimmer
  Sharpening camera;         ///< its own, to be taken back; px of the source
  bool finishes = false;
  /// Shutter and stabilization; needs the lens. Equal only when it is the same object.
  std::shared_ptr<const ClipMotion> motion;
  /// Also what moves on its own while the rows are read, by dense motion; only where there is motion and the
  /// shutter rolls.
  bool shutter_local = false;

  friend bool operator==(const Correction&, const Correction&) = default;

  /// Whether frames change before they are resampled.
  bool cleans() const {
    return noise.has_value() || !hot_pixels.empty() || (flicker && denoise.flicker > 0) ||
           denoise.shadow_colour > 0 || shimmer() > 0;
  }
  double shimmer() const { return finishes ? finish.shimmer : 0; }
  /// Whether each frame's own motion is measured and taken back.
  bool mendsOwnMotion() const { return shutter_local && motion && motion->shutter.rolls(); }
  /// Frames before a frame and after it that its cleaning looks at.
  int looksBack(int64_t frame) const {
    const auto own = shimmer() > 0 ? static_cast<int>(std::min<int64_t>(ShimmerCalmer::kReach, frame)) : 0;
    return own + (noise ? Denoiser::looksBack(denoise, frame - own) : 0);
  }
  int looksAhead() const {
    return (shimmer() > 0 ? ShimmerCalmer::kReach : 0) + (noise ? denoise.frames_each_side : 0);
  }
  bool movesPixels(PictureSize source) const {
    return lens.has_value() || motion != nullptr || (output.width > 0 && !(output == source)) ||
           canvas.size.width > 0;
  }
};

/// The same correction for the same view at another picture size, for drafts.
Correction correctionAt(const Correction& correction, PictureSize source, PictureSize smaller);

/// The geometry of a correction for one clip. Safe from several threads. Frames are numbered as in the clip;
/// the number matters only where there is motion.
class Geometry {
 public:
  /// Throws Error(BadRequest) when the lens is for another picture size, or is missing where there is motion.
  Geometry(const Correction& correction, PictureSize source);

  bool movesPixels() const { return window_ != nullptr; }
  /// Null when no pixel moves. Made anew for each frame where there is motion. `own`: what moves on its own
  /// in that frame, to be taken back.
  std::shared_ptr<const WarpGrid> grid(int64_t frame,
                                       const std::shared_ptr<const OwnMotion>& own = nullptr) const;
  PictureSize output() const { return output_; }

  /// How large a source pixel is in the middle of the output.
  double enlargement() const;

  /// Where a source pixel ends up, and the other way; empty where it has no counterpart.
  std::optional<Point> toOutput(Point source, int64_t frame) const;
  std::optional<Point> toSource(Point output, int64_t frame) const;

 private:
  PixelMap onCanvas(PixelMap map) const;
  PictureSize source_, inner_, output_;
  Canvas canvas_;
  std::shared_ptr<const ClipMotion> motion_;
  std::shared_ptr<const LensMap> lens_;
  std::shared_ptr<const LensWindow> window_;
  std::shared_ptr<const WarpGrid> still_;  // where there is no motion
};

/// What edges are finished by: how much of their detail the rest of a correction takes.
Crispness crispnessOf(const Correction& correction, const Geometry& geometry);

/// One frame through the one resampling, into `format`; source.index is its number in the clip.
Frame correctFrame(const Frame& source, const Geometry& geometry, PixelFormat format,
                   const std::shared_ptr<const OwnMotion>& own = nullptr);

}  // namespace glenhaze
