#pragma once
// Least squares for the camera's turning as a spline with two knots a frame, together with what holds for all
// frames, as readouts or a lens do ("globals"). What the pairs of a frame say comes from a derived class.
//
// What the frames leave open is settled by a prior: differences of the fourth order between the spline's
// controls are normal about zero, with one spread for each of tilt, pan and roll. The spreads are those under
// which the tracks are likeliest (type II maximum likelihood; D. MacKay, "Bayesian interpolation", Neural
// Computation 1992), searched over all sizes, since there may be several that are likelier than their
// neighbours.

#include <array>
#include <cstddef>
#include <vector>

#include "core/base/progress.h"
#include "core/motion/detail/band.h"
#include "core/motion/rotation_spline.h"

namespace glenhaze::detail {

/// Where a scene's knots lie: even in time, two to the middle frame interval.
struct SplineKnots {
  double first_s = 0, spacing_s = 1;
  /// For frames at these times (rising) whose rows are read up to half of `longest_readout_s` before and
  /// after.
  static SplineKnots of(const std::vector<double>& times_s, double longest_readout_s);
};

/// Whether frames come without pauses: over a longer one the knots between would be many and say nothing.
bool isSteadyRate(const std::vector<double>& times_s);

/// Places are followed a little beyond the picture; further out there are none.
constexpr double kOutermost = 0.6;  // of the picture's width or height, from its middle

/// What one frame's pairs say of the controls from `first` on and of the globals: normal equations of their
/// weighted residuals.
struct FrameSums {
  int first = 0, count = 0;  // controls
  Eigen::MatrixXd h;         // of the controls: 3·count square
  Eigen::VectorXd g;         // gradient
  Eigen::MatrixXd hr;        // controls against globals
  Eigen::MatrixXd r;         // of the globals
  Eigen::VectorXd gr;
  double energy = 0, squares = 0, weight = 0;
};

class SplineSystem {
 public:
  /// Logarithms of the precisions of tilt, pan and roll.
  using Prior = std::array<double, 3>;

  virtual ~SplineSystem() = default;

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

 protected:
  /// `times_s`: of a stretch of one scene, at least 3, rising. `pixel`: of the controls, rad.
  SplineSystem(const std::vector<double>& times_s, const SplineKnots& knots, double longest_readout_s,
               double pixel, int globals);

  /// `held`: controls that are known already, from `known.firstTime()` on; they stay. `start(time)`: the
  /// turning to begin with.
  template <typename At>
  void beginWith(At start, const RotationSpline& known = {}, size_t held_from = 0) {
    std::vector<Quaternion> controls;
    for (size_t j = 0; j < count_; ++j) {
      const size_t whole = offset_ + j;
      const bool is_held = !known.empty() && whole < held_from;
      held_ += is_held ? 1 : 0;
      controls.push_back(is_held ? known.controls()[whole] : start(timeOf(j)));
    }
    spline_ = RotationSpline(first_s_, spacing_s_, std::move(controls));
  }

  /// Frames from 1 on; the first has none before it.
  virtual FrameSums sumFrame(size_t i) const = 0;
  /// Adds what is known of the globals beforehand.
  virtual void addKnown(Eigen::MatrixXd& r, Eigen::VectorXd& gr, double& energy) const;
  /// Moves the globals and returns by how much each was; the size of that in px or ms.
  virtual Eigen::VectorXd moveGlobals(const Eigen::VectorXd& change) = 0;
  virtual double sizeOf(const Eigen::VectorXd& moved) const = 0;

  /// Until nothing moves. With no free globals only the path is wanted, and that is settled sooner.
  void iterate(std::vector<bool> free, const Progress& progress);
  /// The path alone, by a few steps under the present prior.
  void followPath(const Progress& progress);

  struct Posterior {
    Eigen::MatrixXd covariance;  // of the globals; 0 where they are not free
    bool known = false;
  };
  /// The larger, for each, of the posterior's and the sandwich estimate over blocks of so many frames,
  /// which holds although errors of neighbours go together.
  Posterior posterior(size_t block, const Progress& progress);

  bool isFree(size_t global) const { return free_[global]; }
  bool anyFree() const;
  FrameSums emptySums(double first_s, double last_s) const;
  double pixel() const { return pixel_; }

 private:
  struct Sums;
  struct Change {
    double largest = 0;      // of a control, px, and of a global
    double mean_square = 0;  // of the controls, px²
  };
  double timeOf(size_t control) const { return first_s_ + (static_cast<double>(control) - 2) * spacing_s_; }
  Sums sum(const Progress& progress) const;
  void addPrior(Sums& sums) const;
  double evidence(const Sums& sums, const Prior& log_precision) const;
  std::vector<double> evidences(const Sums& sums, const std::vector<Prior>& priors) const;
  bool climb(const Sums& sums, double by, double& best);
  void choosePrior(const Sums& sums);
  bool factorWith(const Sums& sums, const Prior& log_precision, Band& h, Eigen::VectorXd& g) const;
  Change step(const Sums& sums);

  size_t frames_;
  double pixel_;
  double first_s_ = 0, spacing_s_ = 1;
  size_t count_ = 0, offset_ = 0, held_ = 0;
  int band_ = 0;  // controls that one frame's pairs tie together
  int globals_;
  std::vector<bool> free_;
  RotationSpline spline_;
  Prior log_precision_{};
  bool prior_known_ = false;
  double mean_square_ = 0;
};

}  // namespace glenhaze::detail
