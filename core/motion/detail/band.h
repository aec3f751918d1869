#pragma once
// Symmetric positive definite systems whose unknowns touch only near neighbours.

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <vector>

namespace glenhaze::detail {

/// The lower half of a symmetric matrix, of which only the diagonal and the `width` − 1 diagonals beside it
/// are not zero.
class Band {
 public:
  Band() = default;
  Band(int size, int width)
      : size_(size),
        width_(std::min(width, std::max(1, size))),
        values_(static_cast<size_t>(size_) * static_cast<size_t>(width_), 0.0) {}

  int size() const { return size_; }
  int width() const { return width_; }
  /// 0 ≤ column ≤ row, row − column < width.
  double& at(int row, int column) { return values_[index(row, column)]; }
  double at(int row, int column) const { return values_[index(row, column)]; }

  /// this += s · other; `other` no wider.
  void add(const Band& other, double s) {
    for (int i = 0; i < size_; ++i)
      for (int j = std::max(0, i - other.width_ + 1); j <= i; ++j) at(i, j) += s * other.at(i, j);
  }

  /// Becomes its own Cholesky factor; false when it is not positive definite.
  bool factorize() {
    for (int i = 0; i < size_; ++i) {
      const int low = std::max(0, i - width_ + 1);
      for (int j = low; j <= i; ++j) {
        const int from = std::max(low, j - width_ + 1), count = j - from;
        double sum = at(i, j);
        if (count > 0)
          sum -= Eigen::Map<const Eigen::VectorXd>(&values_[index(i, from)], count)
                     .dot(Eigen::Map<const Eigen::VectorXd>(&values_[index(j, from)], count));
        if (j < i) {
          at(i, j) = sum / at(j, j);
        } else if (sum > 0 && std::isfinite(sum)) {
          at(i, i) = std::sqrt(sum);
        } else {
          return false;
        }
      }
    }
    return true;
  }

  /// Of the factor: the solution for one right side, in place.
  void solve(Eigen::Ref<Eigen::VectorXd> x) const {
    for (int i = 0; i < size_; ++i) {
      const int low = std::max(0, i - width_ + 1), count = i - low;
      if (count > 0) x(i) -= row(i, low, count).dot(x.segment(low, count));
      x(i) /= at(i, i);
    }
    for (int i = size_ - 1; i >= 0; --i) {
      const int low = std::max(0, i - width_ + 1), count = i - low;
      x(i) /= at(i, i);
      if (count > 0) x.segment(low, count) -= x(i) * row(i, low, count);
    }
  }

  /// Of the factor: logarithm of the matrix's determinant.
  double logDeterminant() const {
    double sum = 0;
    for (int i = 0; i < size_; ++i) sum += 2 * std::log(at(i, i));
    return sum;
  }

 private:
  size_t index(int row, int column) const {
    return static_cast<size_t>(row) * static_cast<size_t>(width_) +
           static_cast<size_t>(width_ - 1 - row + column);
  }
  Eigen::Map<const Eigen::VectorXd> row(int i, int from, int count) const {
    return {&values_[index(i, from)], count};
  }

  int size_ = 0, width_ = 1;
  std::vector<double> values_;
};

}  // namespace glenhaze::detail
