#pragma once
// The camera's turning as a spline with two knots a frame, and with it, where wanted, the readouts, in one
// solve over all tracked places.
//
// A place seen along the ray a in one frame and along b in the next gives the residual
//   e = q(tᵃ)·a − q(tᵇ)·b,   t = frame's time + readoutₓ·(x-share − ½) + readout_y·(y-share − ½),
// weighed by Tukey's biweight. What the frames leave open is settled by a prior: differences of the fourth
// order between the spline's controls are normal about zero, with one spread for each of tilt, pan and roll.
// The spreads are those under which the tracks are likeliest (type II maximum likelihood; D. MacKay,
// "Bayesian interpolation", Neural Computation 1992), searched over all sizes, since there may be several
// that are likelier than their neighbours.

#include <array>
#include <cstddef>
#include <vector>

#include "core/base/progress.h"
#include "core/motion/detail/band.h"
#include "core/motion/detail/pair_rays.h"
#include "core/motion/rotation_spline.h"

namespace glenhaze::detail {

/// What links one frame to the frame before it.
struct SplineFrame {
  double time_s = 0;
  std::vector<RayPair> pairs;  ///< of frames that are linked; b as if nothing but turning had moved it
  Quaternion turn;             ///< where there are no pairs: the step that is supposed instead
};

/// `readout`: signed, right and down positive, s; `spread`: its standard uncertainty.
struct SplineReadout {
  Eigen::Vector2d readout = Eigen::Vector2d::Zero();
  Eigen::Vector2d spread = Eigen::Vector2d::Zero();
};

/// Where a scene's knots lie: even in time, two to the middle frame interval.
struct SplineKnots {
  double first_s = 0, spacing_s = 1;
  /// For frames at these times (rising) whose rows are read up to half of `longest_readout_s` before and
  /// after.
  static SplineKnots of(const std::vector<double>& times_s, double longest_readout_s);
};

/// Whether frames come without pauses: over a longer one the knots between would be many and say nothing.
bool isSteadyRate(const std::vector<double>& times_s);

/// The picture that the pairs are of. `pixel`: one of its middle, rad.
struct SplinePicture {
  int width = 0, height = 0;
  double pixel = 0;
};

class SplineFit {
 public:
  /// Logarithms of the precisions of tilt, pan and roll.
  using Prior = std::array<double, 3>;
  /// `frames`: a stretch of one scene, at least 3, times rising; the first one's pairs do not count. `knots`:
  /// of the whole scene. `held`: controls that are known already, from `known.firstTime()` on; they stay.
  /// `start(time)`: the turning to begin with.
  template <typename At>
  SplineFit(std::vector<SplineFrame> frames, const SplineKnots& knots, const SplinePicture& picture,
            double longest_readout_s, At start, const RotationSpline& known = {}, size_t held_from = 0)
      : SplineFit(std::move(frames), knots, picture, longest_readout_s) {
    std::vector<Quaternion> controls;
    for (size_t j = 0; j < count_; ++j) {
      const size_t whole = offset_ + j;
      const bool is_held = !known.empty() && whole < held_from;
      held_ += is_held ? 1 : 0;
      controls.push_back(is_held ? known.controls()[whole] : start(timeOf(j)));
    }
    spline_ = RotationSpline(first_s_, spacing_s_, std::move(controls));
  }

  /// The turning alone, rows read as `readout` says.
  void solve(const Eigen::Vector2d& readout, const Progress& progress);
  /// The turning and those readouts that are `free`, beginning with `readout`.
  SplineReadout solveReadout(const Eigen::Vector2d& readout, std::array<bool, 2> free, double limit_s,
                             const Progress& progress);

  const RotationSpline& spline() const { return spline_; }
  /// Of the whole scene's controls, the one that this stretch begins with.
  size_t offset() const { return offset_; }
  /// The prior that was chosen, to begin with in the next stretch.
  const Prior& prior() const { return log_precision_; }
  void beginWithPrior(const Prior& prior) {
    log_precision_ = prior;
    prior_known_ = true;
  }
  /// Square root of the weighted mean square of all residuals, px.
  double rmsPx() const;
  /// The same with other readouts, the turning solved anew under the same prior.
  double rmsPxAt(const Eigen::Vector2d& readout, const Progress& progress) const;

 private:
  struct Sums;
  struct OfFrame;
  struct Placed;
  struct Group;
  struct Change {
    double largest = 0;      // of a control, px, and of a readout, ms
    double mean_square = 0;  // of the controls, px²
  };
  SplineFit(std::vector<SplineFrame> frames, const SplineKnots& knots, const SplinePicture& picture,
            double longest_readout_s);
  double timeOf(size_t control) const { return first_s_ + (static_cast<double>(control) - 2) * spacing_s_; }
  double rowReach() const;
  OfFrame emptySums(size_t i) const;
  OfFrame sumSupposed(size_t i) const;
  std::vector<Placed> placed(size_t i) const;
  double weigh(std::vector<Placed>& placed) const;
  template <typename To, typename Vector>
  static void addAt(To& to, const Placed& o, int first, const Vector& v);
  std::vector<Group> grouped(size_t i, const std::vector<Placed>& all, double per_variance,
                             bool together) const;
  void addProducts(OfFrame& sums, const std::vector<Group>& groups) const;
  void addReadouts(OfFrame& sums, size_t i, const std::vector<Placed>& all, double per_variance,
                   std::array<bool, 2> free) const;
  OfFrame sumFrame(size_t i, std::array<bool, 2> free) const;
  Sums sum(std::array<bool, 2> free, const Progress& progress) const;
  void addPrior(Sums& sums) const;
  double evidence(const Sums& sums, const Prior& log_precision) const;
  std::vector<double> evidences(const Sums& sums, const std::vector<Prior>& priors) const;
  bool climb(const Sums& sums, double by, double& best);
  void choosePrior(const Sums& sums);
  Change step(const Sums& sums, std::array<bool, 2> free, double limit_s);
  void iterate(std::array<bool, 2> free, double limit_s, const Progress& progress);

  std::vector<SplineFrame> frames_;
  SplinePicture picture_;
  double first_s_ = 0, spacing_s_ = 1;
  size_t count_ = 0, offset_ = 0, held_ = 0;
  int band_ = 0;  // controls that one frame's pairs tie together
  RotationSpline spline_;
  Eigen::Vector2d readout_ = Eigen::Vector2d::Zero();
  Prior log_precision_{};
  bool prior_known_ = false;
  double mean_square_ = 0;
};

}  // namespace glenhaze::detail
