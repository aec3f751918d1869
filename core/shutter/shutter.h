#pragma once
// The rolling shutter: when each place of a frame was read.
//
// A row that lies a share s of the picture along the scan direction is read at
//   t = t0 + readout · (s − ½),   s = row / (rows − 1),
// where t0 is the time of the frame, which so means its middle. (Row-time model: A. Karpenko et al.,
// "Digital video stabilization and rolling shutter correction using gyroscopes", 2011.)

#include <optional>
#include <string>

#include "core/base/geometry.h"

namespace glenhaze {

/// Which way the rows are read, in the picture as stored. Unknown: cannot be told (and does not matter
/// where the readout is 0).
enum class ScanDirection { Down, Up, Left, Right, Unknown };

/// "down", "up", "left", "right", "unknown", as in files and on the command line.
std::string scanDirectionName(ScanDirection direction);
std::optional<ScanDirection> scanDirectionFromName(const std::string& name);

struct Shutter {
  double readout_s = 0;  ///< first to last row, ≥ 0; 0: global shutter
  ScanDirection direction = ScanDirection::Down;

  bool operator==(const Shutter&) const = default;
  /// Throws Error(BadRequest) naming the field, its value and the broken rule.
  void validate() const;
  /// Whether rows differ in time, and which way is known.
  bool rolls() const { return readout_s > 0 && direction != ScanDirection::Unknown; }
};

/// The direction in a picture whose pixels were turned clockwise by `degrees` (0, 90, 180, 270) after the
/// sensor was read, as when the camera writes an upright picture although it was held otherwise.
ScanDirection turnedClockwise(ScanDirection direction, int degrees);

/// Seconds along x and y, right and down positive; zero where the direction is unknown.
Point signedReadout(const Shutter& shutter);

/// When places of a picture were read, against the frame's own time. Cheap to copy, safe from several
/// threads.
class RowTimes {
 public:
  RowTimes() = default;
  /// Width and height from 1 up, px.
  RowTimes(const Shutter& shutter, int width, int height);
  /// By signed readouts along both axes (right and down positive), s.
  RowTimes(Point readout_s, int width, int height);
  /// Seconds after the frame's time, −readout/2 … readout/2 within the picture and beyond it outside.
  double at(Point pixel) const { return offset_ + pixel.x * per_x_ + pixel.y * per_y_; }
  /// From the frame's time to its outermost row's, s, from 0 up.
  double reach() const { return reach_; }

 private:
  double offset_ = 0, per_x_ = 0, per_y_ = 0, reach_ = 0;
};

}  // namespace glenhaze
