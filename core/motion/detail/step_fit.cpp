#include "core/motion/detail/step_fit.h"

#include <cmath>

namespace glenhaze::detail {

namespace {

using Matrix6 = Eigen::Matrix<double, 6, 6>;
using Vector6 = Eigen::Matrix<double, 6, 1>;

constexpr double kStill_px = 1e-4;  // a change of a step below which it is solved

class StepFit {
 public:
  StepFit(const Pairs& pairs, const Step& step, bool full, double pixel)
      : pairs_(pairs),
        step_(step),
        full_(full),
        pixel_(pixel),
        q_(matrixFrom(step.turn)),
        differences_(pairs.size()),
        errors_(pairs.size()) {}

  Refined solve(Start start) {
    constexpr int kIterations = 8;
    constexpr int kWideIterations = 2;
    for (int it = start == Start::Far ? 0 : kWideIterations; it < kIterations; ++it) {
      measure();
      const double wide = it < kWideIterations ? 4.0 : 1.5;  // px; narrows down
      scale_ = residualScale(errors_, 0.03 * pixel_, wide * pixel_);
      const Vector6 change = stepFrom(full_ ? fullSums() : turnSums());
      if (!change.allFinite()) break;
      step_.turn = normalized(rotationOf({change(0), change(1), change(2)}) * step_.turn);
      step_.shift = step_.shift + Point{change(3), change(4)};
      step_.log_scale += change(5);
      q_ = matrixFrom(step_.turn);
      if (it >= kWideIterations && change.head<3>().norm() < kStill_px * pixel_) break;
    }
    measure();
    return judged();
  }

 private:
  struct Sums {
    Matrix6 normal = Matrix6::Zero();
    Vector6 right = Vector6::Zero();
  };

  Vector3 residual(size_t k) const {
    Vector3 b = pairs_.b[k];
    if (full_) {
      b.x() -= step_.shift.x * b.z();
      b.y() -= step_.shift.y * b.z();
      b.z() *= std::exp(step_.log_scale);
      b.normalize();
    }
    return pairs_.a[k] - q_ * b;
  }

  void measure() {
    for (size_t k = 0; k < errors_.size(); ++k) {
      differences_[k] = residual(k);
      errors_[k] = differences_[k].norm();
    }
  }

  // Pairs that count: which, how much, what separates them and where the second one points.
  template <typename Body>
  void forWeighed(Body body) const {
    for (size_t k = 0; k < errors_.size(); ++k)
      if (const double w = biweight(errors_[k] / scale_); w > 0)
        body(k, w, differences_[k], Vector3(pairs_.a[k] - differences_[k]));
  }

  // With J = [Qb]×: JᵀJ = |Qb|²I − Qb·Qbᵀ and Jᵀe = e × Qb.
  Sums turnSums() const {
    Sums sums;
    forWeighed([&](size_t, double w, const Vector3& e, const Vector3& qb) {
      sums.normal.topLeftCorner<3, 3>().noalias() +=
          w * (qb.squaredNorm() * Eigen::Matrix3d::Identity() - qb * qb.transpose());
      sums.right.head<3>() -= w * e.cross(qb);
    });
    return sums;
  }

  Sums fullSums() const {
    Sums sums;
    forWeighed([&](size_t k, double w, const Vector3& e, const Vector3& qb) {
      Eigen::Matrix<double, 3, 6> j;
      j.leftCols<3>() = crossOf(qb);  // d e / d left turn: −(δ × Qb) = Qb × δ
      const Vector3& b = pairs_.b[k];
      j.col(3) = q_.col(0) * b.z();
      j.col(4) = q_.col(1) * b.z();
      j.col(5) = -q_.col(2) * b.z();
      for (int c = 3; c < 6; ++c) j.col(c) -= qb * qb.dot(j.col(c));  // only across the ray is seen
      sums.normal.noalias() += w * j.transpose() * j;
      sums.right.noalias() -= w * j.transpose() * e;
    });
    // Held weakly at no shift (10 px) and no scale (2 %): a pan must not be split at random between them.
    const double base = scale_ * scale_, shift = base / (100 * pixel_ * pixel_);
    sums.normal(3, 3) += shift;
    sums.normal(4, 4) += shift;
    sums.right(3) -= shift * step_.shift.x;
    sums.right(4) -= shift * step_.shift.y;
    sums.normal(5, 5) += base / 4e-4;
    sums.right(5) -= base / 4e-4 * step_.log_scale;
    return sums;
  }

  Vector6 stepFrom(const Sums& sums) const {
    if (full_) return sums.normal.ldlt().solve(sums.right);
    Vector6 change = Vector6::Zero();
    change.head<3>() = sums.normal.topLeftCorner<3, 3>().ldlt().solve(sums.right.head<3>());
    return change;
  }

  Refined judged() const {
    double sum = 0, weight = 0;
    int agree = 0;
    for (const double e : errors_) {
      const double w = biweight(e / scale_);
      sum += w * e * e;
      weight += w;
      agree += w > 0 ? 1 : 0;
    }
    Refined r;
    r.step = step_;
    r.step.known = true;
    r.scale = scale_;
    r.share = static_cast<double>(agree) / static_cast<double>(errors_.size());
    r.rms = weight > 0 ? std::sqrt(sum / weight) : 0;
    return r;
  }

  const Pairs& pairs_;
  Step step_;
  bool full_;
  double pixel_, scale_ = 0;
  Eigen::Matrix3d q_;
  std::vector<Vector3> differences_;
  std::vector<double> errors_;
};

}  // namespace

Refined refine(const Pairs& pairs, const Step& step, bool full, double pixel, Start start) {
  return StepFit(pairs, step, full, pixel).solve(start);
}

}  // namespace glenhaze::detail
