#pragma once
// A motion log: turning rates that something on the camera wrote down, used instead of, or with, what the
// picture shows.
//
// CSV with one line a sample: t,x,y,z – seconds, then rad per second about three axes at right angles; a line
// of names may come first. The axes need not be the camera's, nor the clock the clip's: which is which, and
// how far the clocks are apart, is found by holding the log against the tracked motion.

#include <array>
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "core/motion/path.h"

namespace glenhaze {

struct LogSample {
  double time_s = 0;
  Turn rate;  ///< rad per second
};

struct MotionLog {
  std::vector<LogSample> samples;  ///< times rise
};

/// Throws Error(Unreadable) naming the line; a log of fewer than 8 samples is none.
MotionLog readMotionLog(const std::filesystem::path& path);
MotionLog parseMotionLog(const std::string& text, const std::string& where);

struct LogFit {
  double offset_s = 0;  ///< log time = clip time + offset
  /// Which of the log's axes is the camera's x, y and z, and with which sign: 1, 2, 3, or negative.
  std::array<int, 3> axes{1, 2, 3};
  double agreement = 0;  ///< correlation of all rates, 0..1
  bool usable = false;   ///< the log and the picture tell the same motion
};

/// Offset (to about a fifth of a sample) and axes by the best agreement with a path from the picture, within
/// `reach_s` of the log's own time. With `fixed_offset_s` only the axes are found.
LogFit fitLog(const MotionLog& log, const CameraPath& tracked, double reach_s = 10,
              const std::optional<double>& fixed_offset_s = std::nullopt);

/// The path that the log tells, at the frames of `like`; what it does not cover is taken from `like` and in
/// doubt. Shift and scale stay those of `like`.
CameraPath pathFromLog(const MotionLog& log, const LogFit& fit, const CameraPath& like);

}  // namespace glenhaze
