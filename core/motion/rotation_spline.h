#pragma once
// Rotations over time as a quintic B-spline with even knots, in its cumulative form (M.-J. Kim, M.-S. Kim,
// S. Shin, "A general construction scheme for unit quaternion curves with simple high order derivatives",
// SIGGRAPH 1995): smooth to the fourth derivative, without a chart that could run out.

#include <array>
#include <cstddef>
#include <vector>

#include "core/base/rotation.h"

namespace glenhaze {

/// Immutable; safe from several threads.
class RotationSpline {
 public:
  static constexpr size_t kOrder = 6;  ///< controls that a moment rests on

  /// Which controls a moment rests on, and how much; the weights sum to 1.
  struct Support {
    size_t first = 0;
    std::array<double, kOrder> weights{};
  };

  RotationSpline() = default;
  /// Runs from `first_s` over controls.size() − 5 spans of `spacing_s` > 0. At least kOrder controls.
  RotationSpline(double first_s, double spacing_s, std::vector<Quaternion> controls);

  bool empty() const { return controls_.empty(); }
  double firstTime() const { return first_s_; }
  double spacing() const { return spacing_s_; }
  const std::vector<Quaternion>& controls() const { return controls_; }
  /// From each control to the next, rotation vectors in the former's frame.
  const std::vector<Turn>& steps() const { return steps_; }

  /// Before the first and after the last span the motion is held on at its speed.
  Quaternion at(double time_s) const;
  /// The same of a moment whose support is known, within the spans.
  Quaternion at(const Support& support) const;
  /// Within the spans; others are held to their ends.
  Support supportAt(double time_s) const;
  bool operator==(const RotationSpline& o) const {
    return first_s_ == o.first_s_ && spacing_s_ == o.spacing_s_ && controls_ == o.controls_;
  }

 private:
  double lastTime() const;
  double first_s_ = 0, spacing_s_ = 1;
  std::vector<Quaternion> controls_;
  std::vector<Turn> steps_;
};

}  // namespace glenhaze
