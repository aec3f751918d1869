#pragma once
// One frame between the delivered picture and the picture as filmed: window → camera that is not there →
// the camera as each row was read → lens. The one map that lens, shutter and stabilization make together.

#include <array>
#include <memory>
#include <optional>
#include <vector>

#include "core/lens/model.h"
#include "core/lens/window.h"
#include "core/motion/path.h"
#include "core/motion/stabilize.h"
#include "core/shutter/shutter.h"

namespace glenhaze {

/// How a clip moves and what becomes of it.
struct ClipMotion {
  CameraPath path;
  Shutter shutter;                   ///< in the picture as stored
  std::vector<VirtualFrame> frames;  ///< one for each of the path
};

/// Immutable; safe from several threads. Keeps references to lens and window.
class FrameMap {
 public:
  /// `frame`: of the path; others are held to its ends.
  FrameMap(const ClipMotion& motion, int64_t frame, const LensMap& lens, const LensWindow& window);
  /// The frame of a path that is not empty, seen as `view`.
  FrameMap(const CameraPath& path, const Shutter& shutter, size_t frame, const VirtualFrame& view,
           const LensMap& lens, const LensWindow& window);

  /// Output pixel → source pixel; empty outside the lens's field. The row that a place was read in depends on
  /// where it is: solved by fixed-point steps to under 0.002 px.
  std::optional<Point> toSource(Point output) const;
  const RowTimes& rows() const { return rows_; }
  /// The other way; empty where the output has no such place.
  std::optional<Point> toOutput(Point source) const;

 private:
  static constexpr int kTimes = 33;
  using Matrix = std::array<double, 9>;
  std::optional<Point> pixelAt(const Ray& ray, double time) const;
  Matrix matrixAt(double time) const;

  const LensMap& lens_;
  const LensWindow& window_;
  RowTimes rows_;
  std::array<Matrix, kTimes> matrices_{};  // view ray → lens ray, at times evenly over the readout
  double first_time_ = 0, per_second_ = 0;
  double zoom_ = 1;
  Point middle_, offset_;
  double source_per_output_ = 1;
};

}  // namespace glenhaze
