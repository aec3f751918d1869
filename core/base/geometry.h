#pragma once
// Points and rays as plain values. Axes: x right, y down, z forward.

#include <cmath>

namespace glenhaze {

struct Point {
  double x = 0;
  double y = 0;
};

inline Point operator+(Point a, Point b) { return {a.x + b.x, a.y + b.y}; }
inline Point operator-(Point a, Point b) { return {a.x - b.x, a.y - b.y}; }
inline Point operator*(Point a, double s) { return {a.x * s, a.y * s}; }
inline double dot(Point a, Point b) { return a.x * b.x + a.y * b.y; }
inline double length(Point a) { return std::sqrt(a.x * a.x + a.y * a.y); }

/// A direction in the camera's frame; any length above zero.
struct Ray {
  double x = 0;
  double y = 0;
  double z = 1;
};

}  // namespace glenhaze
