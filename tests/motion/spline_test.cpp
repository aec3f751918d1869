#include <gtest/gtest.h>

#include <random>

#include "core/motion/detail/band.h"
#include "core/motion/rotation_spline.h"

namespace glenhaze {
namespace {

// Controls of a steady turn lie on it at even times, two spans before their own (closed form).
RotationSpline steadyTurn(const Turn& per_second, double first, double spacing, size_t count) {
  std::vector<Quaternion> controls;
  for (size_t j = 0; j < count; ++j)
    controls.push_back(rotationOf(per_second * (first + (static_cast<double>(j) - 2) * spacing)));
  return {first, spacing, controls};
}

TEST(RotationSpline, ASteadyTurnIsExactAlsoBeyondItsEnds) {
  const Turn speed{0.3, -0.8, 0.2};
  const RotationSpline spline = steadyTurn(speed, 1.0, 0.05, 20);
  for (const double t : {0.9, 1.0, 1.0249, 1.31, 1.75, 1.8})
    EXPECT_NEAR(length(turnOf(inverse(rotationOf(speed * t)) * spline.at(t))), 0, 1e-9) << t;
}

TEST(RotationSpline, WeightsSumToOneAndMoveOneControlOn) {
  const RotationSpline spline = steadyTurn({0, 1, 0}, 0, 0.1, 12);
  for (double t = 0; t < 0.7; t += 0.013) {
    const auto s = spline.supportAt(t);
    double sum = 0;
    for (const double w : s.weights) {
      EXPECT_GE(w, 0);
      sum += w;
    }
    EXPECT_NEAR(sum, 1, 1e-12);
    EXPECT_EQ(s.first, std::min<size_t>(6, static_cast<size_t>(t / 0.1)));
  }
}

// Against Eigen's dense solver.
TEST(Band, SolvesAsADenseMatrixDoes) {
  std::mt19937 random(3);
  std::uniform_real_distribution<double> unit(-1, 1);
  constexpr int kSize = 40, kWidth = 7;
  detail::Band band(kSize, kWidth);
  Eigen::MatrixXd dense = Eigen::MatrixXd::Zero(kSize, kSize);
  for (int i = 0; i < kSize; ++i)
    for (int j = std::max(0, i - kWidth + 1); j <= i; ++j) {
      const double v = i == j ? 2.0 * kWidth : unit(random);
      band.at(i, j) = dense(i, j) = dense(j, i) = v;
    }
  const Eigen::VectorXd right = Eigen::VectorXd::Random(kSize);
  Eigen::VectorXd x = right;
  ASSERT_TRUE(band.factorize());
  band.solve(x);
  EXPECT_NEAR((dense * x - right).norm(), 0, 1e-10);
  EXPECT_NEAR(band.logDeterminant(), std::log(dense.determinant()), 1e-9);
  detail::Band none(3, 2);
  EXPECT_FALSE(none.factorize());
}

}  // namespace
}  // namespace glenhaze
