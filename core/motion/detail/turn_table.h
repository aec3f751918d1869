#pragma once
// The camera's turning around one frame's time, tabled: it is asked for at every place's row time, and
// between the table's times it is a cubic.

#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>

#include "core/base/rotation.h"
#include "core/motion/path.h"
#include "core/shutter/shutter.h"

namespace glenhaze::detail {

/// With a readout of 30 ms the table's times are 2.5 ms apart: of a shake of 14 Hz by 1° the cubic misses
/// less than 2e-6 rad, a fiftieth of what tracking is off at best.
class TurnTable {
 public:
  /// `turning(time)`: asked at the table's times, from `around` − `reach` to `around` + `reach` (s, from 0
  /// up); about half a turn between neighbours at most.
  template <typename Turning>
  TurnTable(Turning turning, double around, double reach)
      : first_(around - reach), per_second_(reach > 0 ? (kTimes - 1) / (2 * reach) : 0) {
    turns_[0] = turning(first_);
    if (per_second_ == 0) return;
    for (size_t k = 1; k < kTimes; ++k) {
      turns_[k] = turning(first_ + static_cast<double>(k) / per_second_);
      if (dot(turns_[k], turns_[k - 1]) < 0)
        turns_[k] = {-turns_[k].w, -turns_[k].x, -turns_[k].y, -turns_[k].z};
    }
  }

  /// The turning at a time within reach; those beyond count as its ends.
  Quaternion at(double time_s) const {
    if (per_second_ == 0) return turns_[0];
    const double place = std::clamp((time_s - first_) * per_second_, 0.0, static_cast<double>(kTimes - 1));
    const auto k = static_cast<size_t>(std::clamp(place, 1.0, static_cast<double>(kTimes - 3)));
    // Lagrange's weights of the four neighbours at −1, 0, 1 and 2.
    const double u = place - static_cast<double>(k), v = u - 1, after = u + 1, before = u - 2;
    const double a = -u * v * before / 6, b = after * v * before / 2, c = -after * u * before / 2,
                 d = after * u * v / 6;
    const Quaternion &p = turns_[k - 1], &q = turns_[k], &r = turns_[k + 1], &s = turns_[k + 2];
    return normalized({a * p.w + b * q.w + c * r.w + d * s.w, a * p.x + b * q.x + c * r.x + d * s.x,
                       a * p.y + b * q.y + c * r.y + d * s.y, a * p.z + b * q.z + c * r.z + d * s.z});
  }

 private:
  static constexpr size_t kTimes = 13;
  static double dot(const Quaternion& a, const Quaternion& b) {
    return a.w * b.w + a.x * b.x + a.y * b.y + a.z * b.z;
  }

  double first_, per_second_;
  std::array<Quaternion, kTimes> turns_;
};

/// Turns since frame `index` of a path, as far as places are followed: a little beyond the picture.
inline TurnTable turnsSince(const CameraPath& path, size_t index, const RowTimes& rows) {
  constexpr double kBeyond = 1.2;  // of the way to the picture's edge
  return {[&](double offset) { return path.turnSince(index, offset); }, 0, kBeyond * rows.reach()};
}

}  // namespace glenhaze::detail
