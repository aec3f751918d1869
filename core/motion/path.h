#pragma once
// The camera's path: how it was turned (and, where the scene needs it, shifted and scaled) at every
// frame, and at any time between, because rows are read at times of their own.
//
// A scene direction d (in the frame of the clip's first frame) is seen by the lens as the ray
//   v = (s·x + hx·z, s·y + hy·z, z),   (x, y, z) = q⁻¹ · d,
// with orientation q, shift h (of the straight picture, in focal lengths) and scale s.
// Between frames, orientation runs along the spline that was solved with it, where there is one; else along a
// cubic in rotation vectors whose speed and acceleration are steady at the frames (a natural spline). Shift
// and scale run straight.

#include <cstdint>
#include <filesystem>
#include <span>
#include <string>
#include <vector>

#include "core/base/geometry.h"
#include "core/base/rotation.h"
#include "core/motion/rotation_spline.h"

namespace glenhaze {

/// Why a frame's motion is in doubt.
enum class PathDoubt : uint8_t {
  None,
  Cut,      ///< another scene begins: nothing links it to the frame before
  Nothing,  ///< nothing to track
  Blurred,  ///< much less sharp than its neighbours
  Moving,   ///< most of what was tracked moves on its own
};
/// A few words: "", "cut", "nothing to track", "blurred", "much moves on its own".
std::string pathDoubtText(PathDoubt doubt);

struct PathFrame {
  double time_s = 0;
  Quaternion orientation;  ///< against the first frame
  Point shift;             ///< of the straight picture, in focal lengths
  double scale = 1;
  double confidence = 1;  ///< 0..1 of the step from the frame before
  PathDoubt doubt = PathDoubt::None;
  bool operator==(const PathFrame& o) const;
};

/// Immutable; safe from several threads.
class CameraPath {
 public:
  CameraPath() = default;
  /// Times must rise. May be empty or hold one frame.
  explicit CameraPath(std::vector<PathFrame> frames);
  /// With a spline for each scene, or an empty one; its frames' orientations are taken from it.
  CameraPath(std::vector<PathFrame> frames, std::vector<RotationSpline> splines);

  const std::vector<PathFrame>& frames() const { return frames_; }
  bool empty() const { return frames_.empty(); }
  /// First frames of the stretches between cuts, beginning with 0.
  const std::vector<size_t>& scenes() const { return scenes_; }

  /// At any time; before the first and after the last frame of a scene its motion is held on at its speed.
  /// `near`: a frame not far from it, in whose scene to stay.
  Quaternion orientationAt(double time_s, size_t near) const;

  /// Orientation at `offset_s` after frame `index`, in terms of that frame: q(index)⁻¹ · q(t). For row times.
  Quaternion turnSince(size_t index, double offset_s) const;

  bool operator==(const CameraPath& other) const {
    return frames_ == other.frames_ && splines_ == other.splines_;
  }

 private:
  Turn within(size_t first, double share) const;
  std::vector<PathFrame> frames_;
  std::vector<size_t> scenes_;
  std::vector<Turn> step_;               // from each frame to the next
  std::vector<Turn> speed_;              // at each frame, rad per second
  std::vector<RotationSpline> splines_;  // one a scene, or none
};

/// Columns: frame,time_s,rx,ry,rz,shift_x,shift_y,scale,confidence, the shift in px of a picture with this
/// focal length.
std::string pathToCsv(const CameraPath& path, double focal_px);
/// Throws Error(Unreadable) naming the line.
CameraPath pathFromCsv(const std::string& text, double focal_px, const std::string& where);

}  // namespace glenhaze
