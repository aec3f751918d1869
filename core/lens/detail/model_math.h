#pragma once
// The three forward models for any number type, so that solvers can differentiate through them.

#include <cmath>

#include "core/lens/model.h"

namespace glenhaze::detail {

template <typename T>
struct Plane2 {
  T x, y;
};

/// Brown–Conrady: x = X/Z, y = Y/Z in, distorted direction out. k: k1 k2 p1 p2 k3.
template <typename T, typename K>
Plane2<T> bendBrownConrady(const T& x, const T& y, const K* k) {
  const T r2 = x * x + y * y;
  const T radial = T(1) + r2 * (k[0] + r2 * (k[1] + r2 * k[4]));
  const T xy2 = T(2) * x * y;
  return {x * radial + k[2] * xy2 + k[3] * (r2 + T(2) * x * x),
          y * radial + k[2] * (r2 + T(2) * y * y) + k[3] * xy2};
}

/// Kannala–Brandt: ray in, distorted direction out. k: k1 k2 k3 k4.
template <typename T, typename K>
Plane2<T> bendKannalaBrandt(const T& x, const T& y, const T& z, const K* k) {
  using std::atan2;
  using std::sqrt;
  const T r2 = x * x + y * y;
  // Near the axis θ/r tends to 1/z; the square root's derivative there is not finite.
  if (r2 < T(1e-20)) return {x / z, y / z};
  const T r = sqrt(r2);
  const T theta = atan2(r, z);
  const T t2 = theta * theta;
  const T bent = theta * (T(1) + t2 * (k[0] + t2 * (k[1] + t2 * (k[2] + t2 * k[3]))));
  const T scale = bent / r;
  return {x * scale, y * scale};
}

/// Division: x = X/Z, y = Y/Z in. The root that tends to r as λ → 0, in the form without cancellation.
template <typename T, typename K>
Plane2<T> bendDivision(const T& x, const T& y, const K* k) {
  using std::sqrt;
  const T r2 = x * x + y * y;
  const T inside = T(1) - T(4) * k[0] * r2;
  const T scale = T(2) / (T(1) + sqrt(inside));
  return {x * scale, y * scale};
}

template <typename T, typename K>
Plane2<T> bend(LensModel model, const T& x, const T& y, const T& z, const K* k) {
  switch (model) {
    case LensModel::KannalaBrandt:
      return bendKannalaBrandt(x, y, z, k);
    case LensModel::Division:
      return bendDivision(T(x / z), T(y / z), k);
    default:
      return bendBrownConrady(T(x / z), T(y / z), k);
  }
}

}  // namespace glenhaze::detail
