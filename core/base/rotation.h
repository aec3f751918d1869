#pragma once
// Rotations in space as unit quaternions, and as rotation vectors (axis × angle, rad). A camera's
// orientation turns directions of the camera's frame into the world's: world = q · camera.

#include <array>
#include <cmath>

#include "core/base/geometry.h"

namespace glenhaze {

/// Rotation vector: the axis times the angle, rad. About x: tilt (right-hand, y towards z), y: pan, z: roll.
struct Turn {
  double x = 0;
  double y = 0;
  double z = 0;
  bool operator==(const Turn&) const = default;
};
inline Turn operator+(Turn a, Turn b) { return {a.x + b.x, a.y + b.y, a.z + b.z}; }
inline Turn operator-(Turn a, Turn b) { return {a.x - b.x, a.y - b.y, a.z - b.z}; }
inline Turn operator*(Turn a, double s) { return {a.x * s, a.y * s, a.z * s}; }
inline double length(Turn a) { return std::sqrt(a.x * a.x + a.y * a.y + a.z * a.z); }

struct Quaternion {
  double w = 1, x = 0, y = 0, z = 0;
  bool operator==(const Quaternion&) const = default;
};

/// First b, then a.
inline Quaternion operator*(const Quaternion& a, const Quaternion& b) {
  return {a.w * b.w - a.x * b.x - a.y * b.y - a.z * b.z, a.w * b.x + a.x * b.w + a.y * b.z - a.z * b.y,
          a.w * b.y - a.x * b.z + a.y * b.w + a.z * b.x, a.w * b.z + a.x * b.y - a.y * b.x + a.z * b.w};
}
inline Quaternion inverse(const Quaternion& q) { return {q.w, -q.x, -q.y, -q.z}; }
inline Quaternion normalized(const Quaternion& q) {
  const double s = 1 / std::sqrt(q.w * q.w + q.x * q.x + q.y * q.y + q.z * q.z);
  return {q.w * s, q.x * s, q.y * s, q.z * s};
}

/// Exact for every angle; series below 0.1 rad, where they are as exact as the quotient and far quicker.
inline Quaternion rotationOf(const Turn& t) {
  const double square = t.x * t.x + t.y * t.y + t.z * t.z;
  if (square < 0.01) {
    const double s =
        0.5 - square * (1.0 / 48 - square * (1.0 / 3840 - square * (1.0 / 645120 - square / 185794560)));
    const double c =
        1 - square * (1.0 / 8 - square * (1.0 / 384 - square * (1.0 / 46080 - square / 10321920)));
    return {c, t.x * s, t.y * s, t.z * s};
  }
  const double a = std::sqrt(square), s = std::sin(a / 2) / a;
  return {std::cos(a / 2), t.x * s, t.y * s, t.z * s};
}

/// The shortest rotation vector of q, up to π long.
inline Turn turnOf(Quaternion q) {
  if (q.w < 0) q = {-q.w, -q.x, -q.y, -q.z};
  const double s = std::sqrt(q.x * q.x + q.y * q.y + q.z * q.z);
  const double k = s < 1e-6 ? 2 : 2 * std::atan2(s, q.w) / s;
  return {q.x * k, q.y * k, q.z * k};
}

/// A rotation as a matrix, row by row, for turning many rays.
struct RotationMatrix {
  std::array<double, 9> m{1, 0, 0, 0, 1, 0, 0, 0, 1};
  Ray operator*(const Ray& r) const {
    return {m[0] * r.x + m[1] * r.y + m[2] * r.z, m[3] * r.x + m[4] * r.y + m[5] * r.z,
            m[6] * r.x + m[7] * r.y + m[8] * r.z};
  }
};
inline RotationMatrix matrixOf(const Quaternion& q) {
  const double x2 = q.x + q.x, y2 = q.y + q.y, z2 = q.z + q.z;
  const double xx = q.x * x2, yy = q.y * y2, zz = q.z * z2, xy = q.x * y2, xz = q.x * z2, yz = q.y * z2,
               wx = q.w * x2, wy = q.w * y2, wz = q.w * z2;
  return {{1 - yy - zz, xy - wz, xz + wy, xy + wz, 1 - xx - zz, yz - wx, xz - wy, yz + wx, 1 - xx - yy}};
}
inline Ray operator*(const Quaternion& q, const Ray& r) { return matrixOf(q) * r; }

}  // namespace glenhaze
