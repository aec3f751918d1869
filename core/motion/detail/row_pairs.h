#pragma once
// What the fits of a turning have in common: when places of a picture were read, and sums over pairs.

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

#include "core/motion/detail/path_solver.h"
#include "core/motion/detail/spline_system.h"

namespace glenhaze::detail {

/// The picture that pairs are of. `pixel`: one of its middle, rad.
struct SplinePicture {
  int width = 0, height = 0;
  double pixel = 0;
};

/// Where a place lies along the picture's sides, −½ … ½, and a little beyond.
inline double shareOf(double at, int count) {
  return std::clamp(at / std::max(1, count - 1) - 0.5, -kOutermost, kOutermost);
}
inline Eigen::Vector2d sharesOf(Point p, const SplinePicture& picture) {
  return {shareOf(p.x, picture.width), shareOf(p.y, picture.height)};
}

/// From a frame's time to its outermost row's, s. `readout`: signed, right and down positive.
inline double reachOf(const Eigen::Vector2d& readout) { return kOutermost * readout.cwiseAbs().sum(); }

/// Both axes together stay within what one frame's rows may tie together: the band has been laid out for
/// that.
inline Eigen::Vector2d withinLimit(const Eigen::Vector2d& readout, double limit_s) {
  const double both = readout.cwiseAbs().sum();
  return both > limit_s ? Eigen::Vector2d(readout * (limit_s / both)) : readout;
}

/// How fast the camera turns about a moment, in the world's axes, rad/s; tabled, since it is asked for often.
class Speeds {
 public:
  Speeds(const RotationSpline& spline, double around, double reach);
  Vector3 at(double t) const {
    const double at = std::clamp((t - first_) * per_second_, 0.0, kTimes - 1.001);
    const auto k = static_cast<size_t>(at);
    return speeds_[k] + (speeds_[k + 1] - speeds_[k]) * (at - static_cast<double>(k));
  }

 private:
  static constexpr int kTimes = 9;
  double first_, per_second_;
  std::array<Vector3, kTimes> speeds_;
};

/// When both places of a pair were read, and where that lies on the spline.
struct PairTimes {
  double ta = 0, tb = 0;
  RotationSpline::Support at_a, at_b;
};

/// Σ wⱼ·v, at the controls that a pair's two times touch; with the sign of its first.
template <typename To, typename Vector>
void addAt(To& to, const PairTimes& o, int first, const Vector& v) {
  for (size_t c = 0; c < RotationSpline::kOrder; ++c) {
    to.template middleRows<3>(3 * (static_cast<int>(o.at_a.first + c) - first)) += o.at_a.weights[c] * v;
    to.template middleRows<3>(3 * (static_cast<int>(o.at_b.first + c) - first)) -= o.at_b.weights[c] * v;
  }
}

/// Pairs whose products are summed as one, and when their rows were read.
struct PairGroup {
  std::array<double, 6> m{};  // weighted products of the residual's slopes: the lower half, column by column
  double ta = 0, tb = 0, weight = 0;
};

/// Adds wwᵀ ⊗ m of all groups to the sums of the controls. All six entries in one go.
void addProducts(FrameSums& sums, const std::vector<PairGroup>& groups, const RotationSpline& spline);

constexpr double kFloor_px = 0.05;  // what tracking is off at best, seen on photographs whose truth is known
constexpr double kWidest_px = 1.5;  // behind which a residual's scale is not believed

/// Weights that fall with the residual (px), as for single steps; the precision that one of full weight has.
double weightsOf(const std::vector<double>& errors_px, std::vector<double>& shares);

}  // namespace glenhaze::detail
