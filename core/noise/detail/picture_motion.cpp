#include "core/noise/detail/picture_motion.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

namespace glenhaze::detail {

namespace {

constexpr int kRounds = 4;
constexpr double kPlenty = 2000;                 // blocks
constexpr double kFirstReach = 4, kReach = 0.7;  // samples
constexpr double kMost = 0.5, kFewest = 20;      // of blocks with structure

}  // namespace

PictureMotion::PictureMotion(const MotionField& field, float trust)
    : columns_(field.columns), rows_(field.rows) {
  using Vector = Eigen::Matrix<double, kTerms, 1>;
  using Square = Eigen::Matrix<double, kTerms, kTerms>;
  Vector x = Vector::Zero(), y = x;
  double agreeing = 0, all = 0;
  const int every = std::max(1, static_cast<int>(std::sqrt(columns_ * rows_ / kPlenty)));
  for (int round = 0; round < kRounds; ++round) {
    Square a = Square::Zero();
    Vector bx = Vector::Zero(), by = bx;
    agreeing = all = 0;
    for (int row = 0; row < rows_; row += every)
      for (int column = 0; column < columns_; column += every) {
        const BlockVector& v = field.at(column, row);
        const auto place = terms(static_cast<float>(column), static_cast<float>(row));
        const Vector t = Eigen::Map<const Eigen::Matrix<float, kTerms, 1>>(place.data()).cast<double>();
        const double structure = static_cast<double>(v.sure / (v.sure + trust));
        const double ex = static_cast<double>(v.dx) - t.dot(x), ey = static_cast<double>(v.dy) - t.dot(y);
        const double reach = round == 0 ? kFirstReach : kReach;
        const double u = (ex * ex + ey * ey) / (reach * reach);
        const double weight = structure * (round == 0 ? 1 / (1 + u) : u < 1 ? (1 - u) * (1 - u) : 0);
        all += structure;
        agreeing += u < 1 ? structure : 0;
        a += weight * t * t.transpose();
        bx += weight * static_cast<double>(v.dx) * t;
        by += weight * static_cast<double>(v.dy) * t;
      }
    a.diagonal().array() += 1e-6 * a(0, 0) + 1e-9;
    const auto factor = a.ldlt();
    x = factor.solve(bx);
    y = factor.solve(by);
  }
  Eigen::Map<Eigen::Matrix<float, kTerms, 1>>(x_.data()) = x.cast<float>();
  Eigen::Map<Eigen::Matrix<float, kTerms, 1>>(y_.data()) = y.cast<float>();
  told_ = all > kFewest && agreeing > kMost * all;
}

std::array<float, PictureMotion::kTerms> PictureMotion::terms(float column, float row) const {
  const float u = 2 * column / static_cast<float>(std::max(1, columns_ - 1)) - 1,
              v = 2 * row / static_cast<float>(std::max(1, rows_ - 1)) - 1;
  return {1, u, v, u * u, u * v, v * v};
}

BlockVector PictureMotion::at(float column, float row) const {
  const auto t = terms(column, row);
  BlockVector v;
  for (size_t i = 0; i < t.size(); ++i) {
    v.dx += t[i] * x_[i];
    v.dy += t[i] * y_[i];
  }
  return v;
}

}  // namespace glenhaze::detail
