#pragma once
// Symmetric positive definite systems whose unknowns touch only near neighbours.

#include <Eigen/Dense>
#include <algorithm>
#include <array>
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

  /// Becomes its own Cholesky factor; false when it is not positive definite. Columns in threes: what they
  /// change in the rows below is read and written once.
  bool factorize() {
    std::array<std::vector<double>, kTogether> columns;
    for (auto& c : columns) c.resize(static_cast<size_t>(width_) + kTogether);
    for (int j = 0; j < size_; j += kTogether) {
      const int count = std::min(kTogether, size_ - j);
      for (int c = 0; c < count; ++c)
        if (!finishColumn(j, c, columns)) return false;
      const int last = std::min(size_, j + count - 1 + width_);
      for (int i = j + count; i < last; ++i) {
        const double *a = columns[0].data(), *b = columns[1].data(), *d = columns[2].data();
        const double fa = a[i - j], fb = count > 1 ? b[i - j] : 0, fd = count > 2 ? d[i - j] : 0;
        double* row = &values_[index(i, j + count)];
        for (int k = 0; k <= i - j - count; ++k)
          row[k] -= fa * a[k + count] + fb * b[k + count] + fd * d[k + count];
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
  static constexpr int kTogether = 3;

  // Column j + c of the factor, from what stands below the ones before j and the c finished ones of this
  // step; kept also in columns[c], from row j on, 0 where the band has ended.
  bool finishColumn(int j, int c, std::array<std::vector<double>, kTogether>& columns) {
    std::vector<double>& column = columns[static_cast<size_t>(c)];
    std::fill(column.begin(), column.end(), 0.0);
    const int last = std::min(size_, j + c + width_);
    double diagonal = 0;
    for (int i = j + c; i < last; ++i) {
      double value = at(i, j + c);
      for (int p = 0; p < c; ++p) {
        const std::vector<double>& before = columns[static_cast<size_t>(p)];
        value -= before[static_cast<size_t>(i - j)] * before[static_cast<size_t>(c)];
      }
      if (i == j + c) {
        if (!(value > 0 && std::isfinite(value))) return false;
        diagonal = value = std::sqrt(value);
      } else {
        value /= diagonal;
      }
      at(i, j + c) = column[static_cast<size_t>(i - j)] = value;
    }
    return true;
  }

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
