#pragma once
// Which time stamp each frame of a clip has: the one rule for it, used by seeking, tracks, in and out points,
// the cut of sound, and changes of ISO.

#include <cstdint>
#include <vector>

#include "core/base/rational.h"

namespace glenhaze {

/// Frames in order of presentation, from 0; stamps in the clip's time base, strictly rising. A plain value.
class FrameTimes {
 public:
  FrameTimes() = default;

  /// A constant rate. `count` may be 0.
  static FrameTimes even(int64_t start, double ticks_per_frame, int64_t count);

  /// From the stamps of a file's packets in the order they lie in it (INT64_MIN: it has none). Frames may be
  /// stored out of order by up to a second or 32 frames, as codecs do. Where stamps cannot tell frames apart,
  /// or start again, frames are numbered in the order that they are decoded in, and spaced evenly,
  /// `usual_ticks` apart from `start` on; a few that are the same twice are only spread over the gap that
  /// follows. See fault().
  static FrameTimes ofStamps(std::vector<int64_t> stamps, double usual_ticks, double ticks_per_second,
                             int64_t start = 0);

  /// Why the file's own stamps could not be used.
  enum class Fault { None, Missing, Twice, Backwards, Gap };

  int64_t count() const { return count_; }
  bool empty() const { return count_ == 0; }
  /// As it was, from what its accessors give; `stamps`: of all frames where they are not even, else empty.
  static FrameTimes kept(int64_t start, double ticks, int64_t count, Fault fault,
                         std::vector<int64_t> stamps);

  Fault fault() const { return fault_; }
  /// False: a frame is known by counting from the start alone.
  bool ordered() const { return fault_ == Fault::None; }

  /// Out of range: as if the clip went on at its usual rate.
  int64_t stampAt(int64_t index) const;
  /// The frame that is shown at `stamp`: the last one that begins at or, by rounding of containers, less than
  /// half a frame behind it; held to the clip.
  int64_t indexAt(int64_t stamp) const;
  /// From the first frame, in ticks; count() gives the end of the clip.
  int64_t ticksTo(int64_t index) const { return stampAt(index) - stampAt(0); }
  double usualTicks() const { return ticks_; }
  /// Whether frames are evenly spaced, but for rounding of the container.
  bool isEven() const { return stamps_.empty(); }

 private:
  int64_t start_ = 0, count_ = 0;
  double ticks_ = 1;  // per frame: exact where even, the usual one elsewhere
  Fault fault_ = Fault::None;
  std::vector<int64_t> stamps_;  // empty where even
};

}  // namespace glenhaze
