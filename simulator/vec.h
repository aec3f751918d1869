#pragma once
// Small vectors for ray casting. World axes: x right, y down, z forward; metres.

#include <algorithm>
#include <array>
#include <cmath>

namespace glenhaze::sim {

struct V3 {
  float x = 0, y = 0, z = 0;
};
inline V3 operator+(V3 a, V3 b) { return {a.x + b.x, a.y + b.y, a.z + b.z}; }
inline V3 operator-(V3 a, V3 b) { return {a.x - b.x, a.y - b.y, a.z - b.z}; }
inline V3 operator*(V3 a, float s) { return {a.x * s, a.y * s, a.z * s}; }
inline V3 operator*(V3 a, V3 b) { return {a.x * b.x, a.y * b.y, a.z * b.z}; }
inline float dot(V3 a, V3 b) { return a.x * b.x + a.y * b.y + a.z * b.z; }
inline V3 cross(V3 a, V3 b) { return {a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x}; }
inline float length(V3 a) { return std::sqrt(dot(a, a)); }
inline V3 unit(V3 a) { return a * (1.0F / std::max(1e-20F, length(a))); }
inline V3 mix(V3 a, V3 b, float t) { return a * (1 - t) + b * t; }

/// Rotation, row by row; world = R · camera.
struct Rotation {
  std::array<float, 9> m{1, 0, 0, 0, 1, 0, 0, 0, 1};
  V3 operator*(V3 v) const {
    return {m[0] * v.x + m[1] * v.y + m[2] * v.z, m[3] * v.x + m[4] * v.y + m[5] * v.z,
            m[6] * v.x + m[7] * v.y + m[8] * v.z};
  }
};

/// Rodrigues' formula for a rotation vector in rad.
inline Rotation rotationFrom(double rx, double ry, double rz) {
  const double angle = std::sqrt(rx * rx + ry * ry + rz * rz);
  Rotation r;
  if (angle < 1e-12) return r;
  const double x = rx / angle, y = ry / angle, z = rz / angle, c = std::cos(angle), s = std::sin(angle),
               t = 1 - c;
  const std::array<double, 9> m = {t * x * x + c,     t * x * y - s * z, t * x * z + s * y,
                                   t * x * y + s * z, t * y * y + c,     t * y * z - s * x,
                                   t * x * z - s * y, t * y * z + s * x, t * z * z + c};
  for (size_t i = 0; i < 9; ++i) r.m[i] = static_cast<float>(m[i]);
  return r;
}

/// Repeatable hash to 0..1 of a lattice point.
inline float hash01(int x, int y, unsigned seed) {
  unsigned h =
      static_cast<unsigned>(x) * 0x8da6b343U ^ static_cast<unsigned>(y) * 0xd8163841U ^ seed * 0xcb1ab31fU;
  h ^= h >> 15;
  h *= 0x2c1b3c6dU;
  h ^= h >> 12;
  h *= 0x297a2d39U;
  h ^= h >> 15;
  return static_cast<float>(h >> 8) * (1.0F / 16777216.0F);
}

/// floor() without a library call, for |x| below two thousand million.
inline int wholeBelow(float x) {
  const int i = static_cast<int>(x);
  return i - (static_cast<float>(i) > x ? 1 : 0);
}

/// Smooth lattice noise, −1..1; fades to its mean where `footprint` passes half a lattice step.
inline float noise2(float x, float y, unsigned seed, float footprint = 0) {
  const float fade = std::clamp(1.6F - 2.2F * footprint, 0.0F, 1.0F);
  if (fade <= 0) return 0;
  const int ix = wholeBelow(x), iy = wholeBelow(y);
  const float tx = x - static_cast<float>(ix), ty = y - static_cast<float>(iy);
  const float sx = tx * tx * (3 - 2 * tx), sy = ty * ty * (3 - 2 * ty);
  const float a = hash01(ix, iy, seed), b = hash01(ix + 1, iy, seed);
  const float c = hash01(ix, iy + 1, seed), d = hash01(ix + 1, iy + 1, seed);
  const float top = a + (b - a) * sx, bottom = c + (d - c) * sx;
  return (2 * (top + (bottom - top) * sy) - 1) * fade;
}

/// Sum of octaves, about −1..1.
inline float fractal(float x, float y, unsigned seed, int octaves, float footprint) {
  float sum = 0, gain = 0.5F, f = 1;
  for (int i = 0; i < octaves; ++i) {
    sum += gain * noise2(x * f, y * f, seed + static_cast<unsigned>(i), footprint * f);
    gain *= 0.55F;
    f *= 2.03F;
  }
  return sum;
}

/// Share of a footprint of width w around x that lies above `edge`: an anti-aliased step.
inline float above(float x, float edge, float w) {
  return std::clamp((x - edge) / std::max(w, 1e-6F) + 0.5F, 0.0F, 1.0F);
}
/// 1 between a and b, anti-aliased.
inline float between(float x, float a, float b, float w) { return above(x, a, w) - above(x, b, w); }

}  // namespace glenhaze::sim
