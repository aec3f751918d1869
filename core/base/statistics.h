#pragma once
// Small statistics that several measurements share.

#include <algorithm>
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

}  // namespace glenhaze
