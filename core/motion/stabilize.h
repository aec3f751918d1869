#pragma once
// From the camera's path to a steadier one.
//
// Keeping the move: the smooth path p minimises Σ wᵢ|pᵢ − rᵢ|² + λ Σ |pᵢ₋₁ − 2pᵢ + pᵢ₊₁|² in rotation vectors
// against the measured path r (E. T. Whittaker, "On a new method of graduation", 1923), linearised anew about
// its own result until it stays. With all weights 1 it passes what is slower than the time constant τ and
// falls with the fourth power of the frequency above, λ = (2 sin(π/(2πτ·fps)))⁻⁴. Where the window would
// leave the picture, weights rise until it does not (constrained smoothing, as M. Grundmann et al.,
// "Auto-directed video stabilization with robust L1 optimal camera paths", CVPR 2011, do with a linear
// program).
//
// Holding still: one orientation for all frames, the one that costs the least crop.

#include <array>
#include <cstdint>
#include <string>
#include <vector>

#include "core/lens/window.h"
#include "core/motion/path.h"
#include "core/shutter/shutter.h"

namespace glenhaze {

enum class Steadying {
  Off,  ///< every frame stays as the camera was held; only the shutter is corrected
  KeepMove,
  HoldStill,
};
enum class Framing {
  Filled,      ///< one scale for the whole clip, no blank in any frame
  FilledSlow,  ///< the scale changes slowly, as little as each stretch needs
  Uncropped,   ///< everything the camera saw, edges moving
};

/// Whose motion is taken out, where near and far things move apart.
enum class SteadiedPart {
  Most,  ///< what most of the picture does, or the scene behind it where that is told
  Far,
  Near,
};

/// Where the delivery window lies, by hand, at a frame; straight lines between.
struct WindowKey {
  int64_t frame = 0;
  Point offset;     ///< of its middle, as shares of the output's width and height
  double size = 1;  ///< share of the output's width that is shown, 0.1..1
  bool operator==(const WindowKey& o) const;
};

/// What holds at a frame between keys in order of their frames; without keys the whole window.
WindowKey windowAt(const std::vector<WindowKey>& keys, int64_t frame);

struct StabilizationSettings {
  Steadying steadying = Steadying::KeepMove;
  double smoothing_s = 0.8;            ///< time constant, 0.05..20
  double pan = 1, tilt = 1, roll = 1;  ///< share of each that is taken out, 0..1
  double shift = 1, scale = 1;         ///< likewise, where modelled
  bool level = false;                  ///< keep the horizon level
  double level_roll_deg = 0;  ///< how far the camera was turned clockwise in the first frame, −180..180
  double crop_limit = 0.15;   ///< share of the width that may be lost, 0..0.8
  Framing framing = Framing::Filled;
  SteadiedPart part = SteadiedPart::Most;
  std::vector<WindowKey> window;
  bool operator==(const StabilizationSettings&) const = default;
  /// Throws Error(BadRequest) naming the field, its value and the broken rule.
  void validate() const;
};

/// How one frame is shown: the camera that is not there.
struct VirtualFrame {
  Quaternion orientation;  ///< against the clip's first frame, as in the path
  Point shift;             ///< in focal lengths
  double scale = 1;
  double zoom = 1;  ///< beyond that of the lens window
  Point offset;     ///< of the window's middle, as shares of the output's width and height
};

/// Frames in which steadying falls short, and why.
struct DoubtfulRange {
  int64_t first = 0, last = 0;  ///< last: behind the last one
  std::string why;
};

struct StabilizedClip {
  std::vector<VirtualFrame> frames;                  ///< one for each of the path
  double zoom = 1;                                   ///< largest within the in and out points
  double crop = 0;                                   ///< share of the width that is lost there, 0..1
  double needed_crop = 0;                            ///< that full smoothing would have needed
  double shake_before_deg = 0, shake_after_deg = 0;  ///< RMS above 1 Hz, largest axis sum
  std::vector<float> shake_left_deg;                 ///< the same of each frame after it, all axes together
  std::vector<DoubtfulRange> doubtful;
  bool can_hold_still = false;
  std::string hold_reason;  ///< why it is offered, or is not
  std::string doubt;        ///< why the figures of the whole clip cannot be trusted, "" where they can
  std::string advice;       ///< what to do, "" when all is well
};

/// What of the source lies in each frame's view: the picture's border as world directions at its row times.
/// Worked out once for a path, lens and shutter; settings are then answered at once. Immutable; safe from
/// several threads.
class StabilizationRoom {
 public:
  StabilizationRoom(const CameraPath& path, const Lens& lens, const Shutter& shutter,
                    const LensWindow& window);

  /// The zoom at which frame `i`, seen as `view`, shows no blank; view.zoom is not looked at.
  double neededZoom(size_t i, const VirtualFrame& view, double size = 1) const;

  const CameraPath& path() const { return path_; }
  const LensWindow& window() const { return window_; }
  double focal_px() const { return focal_px_; }

 private:
  CameraPath path_;
  LensWindow window_;
  double focal_px_;
  std::vector<std::array<float, 3>> borders_;  // per frame kBorder directions
};

/// `first`, `last`: the in and out points as frames; smoothing looks at the whole clip, crop at what lies
/// within.
StabilizedClip stabilize(const StabilizationRoom& room, const StabilizationSettings& settings, int64_t first,
                         int64_t last);

}  // namespace glenhaze
