#pragma once
// Between samples of a grid: the one rule for it outside the kernels.

namespace glenhaze {

/// The value at (x, y), each 0..1, between the upper two (x at 0 and 1) and the lower two.
template <typename T>
constexpr T bilinear(T upper_left, T upper_right, T lower_left, T lower_right, T x, T y) {
  return (1 - y) * ((1 - x) * upper_left + x * upper_right) + y * ((1 - x) * lower_left + x * lower_right);
}

}  // namespace glenhaze
