#include "core/motion/detail/row_pairs.h"

namespace glenhaze::detail {

Speeds::Speeds(const RotationSpline& spline, double around, double reach) : first_(around - reach) {
  const double step = spline.spacing() / 32;
  per_second_ = reach > 0 ? (kTimes - 1) / (2 * reach) : 0;
  for (int k = 0; k < kTimes; ++k) {
    const double t = per_second_ > 0 ? first_ + k / per_second_ : around;
    const Turn turn = turnOf(spline.at(t + step) * inverse(spline.at(t - step)));
    speeds_[static_cast<size_t>(k)] = Vector3(turn.x, turn.y, turn.z) / (2 * step);
  }
}

void addProducts(FrameSums& sums, const std::vector<PairGroup>& groups, const RotationSpline& spline) {
  const auto n = static_cast<Eigen::Index>(groups.size());
  Eigen::MatrixXd w = Eigen::MatrixXd::Zero(sums.count, n), weighed(6 * sums.count, n);
  for (Eigen::Index k = 0; k < n; ++k) {
    const PairGroup& group = groups[static_cast<size_t>(k)];
    const auto put = [&](double time, double sign) {
      const RotationSpline::Support at = spline.supportAt(time);
      for (size_t c = 0; c < RotationSpline::kOrder; ++c)
        w(static_cast<int>(at.first + c) - sums.first, k) += sign * at.weights[c];
    };
    put(group.ta / group.weight, 1);
    put(group.tb / group.weight, -1);
    for (int c = 0; c < 6; ++c)
      weighed.col(k).segment(c * sums.count, sums.count) = group.m[static_cast<size_t>(c)] * w.col(k);
  }
  const Eigen::MatrixXd products = w * weighed.transpose();
  int column = 0;
  for (int c = 0; c < 3; ++c)
    for (int r = c; r < 3; ++r, ++column) {
      const auto part = products.middleCols(column * sums.count, sums.count);
      for (int j = 0; j < sums.count; ++j)
        for (int k = 0; k < sums.count; ++k) {
          sums.h(3 * j + r, 3 * k + c) = part(j, k);
          sums.h(3 * j + c, 3 * k + r) = part(j, k);
        }
    }
}

double weightsOf(const std::vector<double>& errors_px, std::vector<double>& shares) {
  const double scale = residualScale(errors_px, 0.03, kWidest_px);
  shares.resize(errors_px.size());
  for (size_t i = 0; i < shares.size(); ++i) shares[i] = biweight(errors_px[i] / scale);
  const double sigma = std::max(scale, kFloor_px);
  return 1 / (sigma * sigma);
}

}  // namespace glenhaze::detail
