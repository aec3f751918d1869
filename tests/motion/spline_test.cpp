#include <gtest/gtest.h>

#include <random>

#include "core/motion/detail/band.h"
#include "core/motion/detail/turn_table.h"
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

// The recursion of C. de Boor and M. Cox ("On calculating with B-splines", 1972), as it is written down.
double recursive(int k, int degree, double x) {
  if (degree == 0) return x >= k && x < k + 1 ? 1 : 0;
  return (x - k) / degree * recursive(k, degree - 1, x) +
         (k + degree + 1 - x) / degree * recursive(k + 1, degree - 1, x);
}

TEST(RotationSpline, WeightsAreThoseOfTheRecursion) {
  const RotationSpline spline = steadyTurn({0, 1, 0}, 0, 1, 12);
  for (double t = 0; t < 6; t += 0.37) {
    const auto s = spline.supportAt(t);
    for (size_t k = 0; k < s.weights.size(); ++k)
      EXPECT_NEAR(s.weights[k], recursive(static_cast<int>(s.first + k) - 5, 5, t), 1e-12) << t << " " << k;
  }
}

// A shake of 14 Hz by 1° while 30 ms are read: what the table says of itself.
TEST(TurnTable, MissesFarLessThanTracking) {
  const auto shake = [](double t) {
    return rotationOf(Turn{0.0175 * std::sin(88 * t), 0.0175 * std::cos(80 * t), 0.01 * std::sin(70 * t)});
  };
  const detail::TurnTable table(shake, 2.0, 0.015);
  double worst = 0;
  for (double t = 1.985; t <= 2.015; t += 0.0001)
    worst = std::max(worst, length(turnOf(inverse(shake(t)) * table.at(t))));
  EXPECT_LT(worst, 2e-6);
  EXPECT_GT(worst, 0);
  const detail::TurnTable still(shake, 2.0, 0);
  EXPECT_EQ(still.at(2.5), shake(2.0));
}

// Half turns have two quaternions: the table does not pass between them.
TEST(TurnTable, PassesTheHalfTurn) {
  const auto turning = [](double t) { return rotationOf(turnOf(rotationOf(Turn{0, 0, 3 * t}))); };
  const detail::TurnTable table(turning, 1.047, 0.05);  // π / 3: half a turn
  for (double t = 1; t < 1.09; t += 0.003)
    EXPECT_NEAR(length(turnOf(inverse(turning(t)) * table.at(t))), 0, 1e-6) << t;
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
