#pragma once
// What moves on its own while the rows are read, and near things passed by: what one rotation per row cannot
// explain. Measured as dense motion between neighbouring frames (T. Kroeger et al., "Fast Optical Flow using
// Dense Inverse Search", ECCV 2016, as in OpenCV's video module) less the motion that the camera's turning
// makes.
//
// A place that moves by v px a second and is read t after the middle of its frame stands t·v from where it
// should be. That is what the map shows, and what the local correction takes back.

#include <memory>
#include <vector>

#include "core/frame/frame.h"
#include "core/lens/model.h"
#include "core/motion/path.h"
#include "core/shutter/shutter.h"

namespace glenhaze {

/// A smooth field over the source picture. Immutable once made; safe from several threads.
class OwnMotion {
 public:
  OwnMotion() = default;
  /// Values at points `spacing` px apart, the first at (0, 0), row by row; px a second.
  OwnMotion(int columns, int rows, double spacing, std::vector<Point> values);

  bool empty() const { return values_.empty(); }
  /// Velocity at a source pixel, px a second; outside the picture that of its border.
  Point at(Point source) const;
  /// Fastest of all points, px a second.
  double fastest() const;

 private:
  int columns_ = 0, rows_ = 0;
  double spacing_ = 1;
  std::vector<Point> values_;
};

/// Where the camera's turning takes a source pixel of frame `from` in frame `to` (a neighbour), each read at
/// its own row time; empty outside the lens's field.
std::optional<Point> carriedBy(const CameraPath& path, const RowTimes& rows, const LensMap& lens, size_t from,
                               size_t to, Point source);

/// Where the row that is read there shows what would stand at `still` in the middle of the frame.
Point shownAt(const OwnMotion& own, const RowTimes& rows, Point still);

/// Of frames in order; each answer needs the frame after. Not safe for two threads at once.
class OwnMotionMeter {
 public:
  /// Keeps references. The path's frames are those that are pushed, numbered by Frame::index.
  OwnMotionMeter(const CameraPath& path, const Shutter& shutter, const LensMap& lens);
  ~OwnMotionMeter();

  /// What moves on its own in `now`; `before` and `after` may be null at the ends of a clip. At a cut, and
  /// where neither neighbour agrees, the field is zero.
  OwnMotion measure(const Frame* before, const Frame& now, const Frame* after);

 private:
  struct Inside;
  std::unique_ptr<Inside> inside_;
};

}  // namespace glenhaze
