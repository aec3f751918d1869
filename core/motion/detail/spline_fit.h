#pragma once
// The camera's turning as a spline, and with it, where wanted, the readouts, in one solve over all tracked
// places.
//
// A place seen along the ray a in one frame and along b in the next gives the residual
//   e = q(tᵃ)·a − q(tᵇ)·b,   t = frame's time + readoutₓ·(x-share − ½) + readout_y·(y-share − ½),
// weighed by Tukey's biweight.

#include "core/motion/detail/pair_rays.h"
#include "core/motion/detail/row_pairs.h"
#include "core/motion/detail/spline_system.h"

namespace glenhaze::detail {

/// What links one frame to the frame before it.
struct SplineFrame {
  double time_s = 0;
  std::vector<RayPair> pairs;  ///< of frames that are linked; b as if nothing but turning had moved it
  Quaternion turn;             ///< where there are no pairs: the step that is supposed instead
};

std::vector<double> timesOf(const std::vector<SplineFrame>& frames);

/// `readout`: signed, right and down positive, s; `spread`: its standard uncertainty.
struct SplineReadout {
  Eigen::Vector2d readout = Eigen::Vector2d::Zero();
  Eigen::Vector2d spread = Eigen::Vector2d::Zero();
};

/// A step that is supposed, for a frame that nothing links to the one before.
FrameSums supposedStep(FrameSums sums, const RotationSpline& spline, double before_s, double now_s,
                       const Quaternion& turn);

class SplineFit : public SplineSystem {
 public:
  /// `frames`: a stretch of one scene, at least 3, times rising; the first one's pairs do not count. `knots`:
  /// of the whole scene. `held_from`: controls that are known already stay, from `known.firstTime()` on.
  /// `start(time)`: the turning to begin with.
  template <typename At>
  SplineFit(std::vector<SplineFrame> frames, const SplineKnots& knots, const SplinePicture& picture,
            double longest_readout_s, At start, const RotationSpline& known = {}, size_t held_from = 0)
      : SplineFit(std::move(frames), knots, picture, longest_readout_s) {
    beginWith(start, known, held_from);
  }

  /// The turning alone, rows read as `readout` says.
  void solve(const Eigen::Vector2d& readout, const Progress& progress);
  /// The turning and those readouts that are `free`, beginning with `readout`.
  SplineReadout solveReadout(const Eigen::Vector2d& readout, std::array<bool, 2> free, double limit_s,
                             const Progress& progress);
  /// The residuals' RMS with other readouts, the turning solved anew under the same prior, px.
  double rmsPxAt(const Eigen::Vector2d& readout, const Progress& progress) const;

 protected:
  FrameSums sumFrame(size_t i) const override;
  Eigen::VectorXd moveGlobals(const Eigen::VectorXd& change) override;
  double sizeOf(const Eigen::VectorXd& moved) const override { return moved.cwiseAbs().maxCoeff() * 1000; }

 private:
  struct Placed;
  SplineFit(std::vector<SplineFrame> frames, const SplineKnots& knots, const SplinePicture& picture,
            double longest_readout_s);
  FrameSums empty(size_t i) const;
  std::vector<Placed> placed(size_t i) const;
  double weigh(std::vector<Placed>& placed) const;
  std::vector<PairGroup> grouped(size_t i, const std::vector<Placed>& all, double per_variance,
                                 bool together) const;
  void addReadouts(FrameSums& sums, size_t i, const std::vector<Placed>& all, double per_variance) const;

  std::vector<SplineFrame> frames_;
  SplinePicture picture_;
  Eigen::Vector2d readout_ = Eigen::Vector2d::Zero();
  double limit_s_ = 0;  // of both readouts together
};

}  // namespace glenhaze::detail
