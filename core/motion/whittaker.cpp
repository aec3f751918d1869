#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/motion/detail/whittaker.h"

namespace glenhaze::detail {

std::vector<double> smoothed(std::span<const double> series, std::span<const double> weights, double lambda) {
  const size_t n = series.size();
  std::vector<double> p(series.begin(), series.end());
  if (n < 3) return p;
  // The matrix W + λ DᵀD: main diagonal and two above, then its factors L·D·Lᵀ in the same places.
  std::vector<double> main(n), one(n), two(n);
  for (size_t i = 0; i < n; ++i) main[i] = weights[i];
  for (size_t i = 0; i + 2 < n; ++i) {
    main[i] += lambda;
    main[i + 1] += 4 * lambda;
    main[i + 2] += lambda;
    one[i] -= 2 * lambda;
    one[i + 1] -= 2 * lambda;
    two[i] += lambda;
  }
  for (size_t i = 0; i < n; ++i) p[i] *= weights[i];
  for (size_t i = 0; i < n; ++i) {
    const double pivot = main[i];
    if (i + 1 < n) {
      const double l1 = one[i] / pivot;
      main[i + 1] -= l1 * one[i];
      if (i + 2 < n) one[i + 1] -= l1 * two[i];
      p[i + 1] -= l1 * p[i];
      one[i] = l1;
    }
    if (i + 2 < n) {
      const double l2 = two[i] / pivot;
      main[i + 2] -= l2 * two[i];
      p[i + 2] -= l2 * p[i];
      two[i] = l2;
    }
  }
  for (size_t i = n; i-- > 0;) {
    p[i] /= main[i];
    if (i + 1 < n) p[i] -= one[i] * p[i + 1];
    if (i + 2 < n) p[i] -= two[i] * p[i + 2];
  }
  return p;
}

double lambdaOf(double time_constant_s, double fps) {
  const double half_turn = std::min(std::numbers::pi / 2, 1 / (2 * time_constant_s * fps));
  return std::pow(2 * std::sin(half_turn), -4);
}

}  // namespace glenhaze::detail
