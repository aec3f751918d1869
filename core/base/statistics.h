#pragma once
// Small statistics that several measurements share.

#include <algorithm>
#include <cmath>
#include <vector>

namespace glenhaze {

/// The middle value, of an even count the upper of the two; 0 for none.
template <typename T>
T medianOf(std::vector<T> values) {
  if (values.empty()) return T{};
  const auto middle = values.begin() + static_cast<ptrdiff_t>(values.size() / 2);
  std::nth_element(values.begin(), middle, values.end());
  return *middle;
}

/// Standard deviation of a value from what it came out as with each of several equal groups of evidence left
/// out (delete-a-group jackknife; B. Efron, C. Stein, "The jackknife estimate of variance", 1981); 0 for less
/// than two.
inline double jackknifeDeviation(const std::vector<double>& without) {
  const auto n = static_cast<double>(without.size());
  if (n < 2) return 0;
  double sum = 0, squares = 0;
  for (const double v : without) sum += v;
  for (const double v : without) squares += (v - sum / n) * (v - sum / n);
  return std::sqrt(squares * (n - 1) / n);
}

}  // namespace glenhaze
