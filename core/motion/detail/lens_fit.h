#pragma once
// The lens of a turning camera, in one solve with its turning and its readouts (self-calibration: R. Hartley,
// "Self-calibration of stationary cameras", IJCV 1997; with row times: L. Oth et al., "Rolling shutter camera
// calibration", CVPR 2013).
//
// A place at p in one frame and at p' in the next gives the residual, in px,
//   e = π(q(t')⁻¹·q(t)·π⁻¹(p)) − p',
// π being the lens. In pixels, not in rays: a longer lens would make every ray's error smaller.

#include "core/lens/model.h"
#include "core/motion/detail/spline_fit.h"

namespace glenhaze::detail {

/// Both focal lengths are one value; the coefficients that are solved are the model's first two.
enum LensGlobal { kReadoutX, kReadoutY, kLogFocal, kK1, kK2, kCentreX, kCentreY, kLensGlobals };

class LensFit : public SplineSystem {
 public:
  /// `frames`: their pairs' rays do not count. `lens`: to begin with. `start(time)`: the turning as it was
  /// found with that lens. `expected_focal_px`: what is usual, held weakly.
  template <typename At>
  LensFit(std::vector<SplineFrame> frames, const SplineKnots& knots, const Lens& lens,
          double expected_focal_px, double longest_readout_s, At start)
      : LensFit(std::move(frames), knots, lens, expected_focal_px, longest_readout_s) {
    beginWith(start);
  }

  void beginWithReadout(const Eigen::Vector2d& readout) { readout_ = readout; }
  /// In the order of LensGlobal.
  using Free = std::array<bool, kLensGlobals>;
  /// Solves for what is free; the rest stays as it is.
  void solve(const Free& free, const Progress& progress);

  const Lens& lens() const { return lens_; }
  const Eigen::Vector2d& readout() const { return readout_; }
  /// Of the readouts (s), the logarithm of the focal length, two coefficients and the centre (picture
  /// widths).
  const Eigen::MatrixXd& covariance() const { return covariance_; }
  /// The lens with values moved by `change`, in the same units and order.
  Lens movedLens(const Eigen::VectorXd& change) const;
  /// Mean square of the residuals, those of over 1.5 px counted as that: to compare models by, px².
  double costPx2() const;

 protected:
  FrameSums sumFrame(size_t i) const override;
  void addKnown(Eigen::MatrixXd& r, Eigen::VectorXd& gr, double& energy) const override;
  Eigen::VectorXd moveGlobals(const Eigen::VectorXd& change) override;
  double sizeOf(const Eigen::VectorXd& moved) const override;

 private:
  struct Seen;
  LensFit(std::vector<SplineFrame> frames, const SplineKnots& knots, const Lens& lens,
          double expected_focal_px, double longest_readout_s);
  void takeLens(const Lens& lens);
  FrameSums empty(size_t i) const;
  std::vector<Seen> seen(size_t i) const;
  void addGlobals(FrameSums& sums, size_t i, const std::vector<Seen>& all, double per_px) const;

  std::vector<SplineFrame> frames_;
  Lens lens_;
  LensMap map_;
  std::vector<LensMap> near_;  // with each of the lens's values moved a little
  double expected_focal_px_, limit_s_;
  Eigen::Vector2d readout_ = Eigen::Vector2d::Zero();
  Eigen::MatrixXd covariance_;
};

}  // namespace glenhaze::detail
