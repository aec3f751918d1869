#pragma once
// Frames as float planes in 8-bit code values with a border all round, for block work that looks outside.

#include <array>
#include <cstdint>
#include <vector>

#include "core/frame/frame.h"

namespace glenhaze::detail {

constexpr int kBorder = 48;  ///< samples on each side; also how far motion may point outside

template <typename T>
struct Bordered {
  int width = 0, height = 0;
  ptrdiff_t stride = 0;
  std::vector<T> data;

  Bordered() = default;
  Bordered(int w, int h) : width(w), height(h), stride((w + 2 * kBorder + 15) / 16 * 16) {
    data.resize(static_cast<size_t>(stride) * static_cast<size_t>(h + 2 * kBorder));
  }
  T* row(int y) { return data.data() + (y + kBorder) * stride + kBorder; }
  const T* row(int y) const { return data.data() + (y + kBorder) * stride + kBorder; }
  bool empty() const { return data.empty(); }
};

using FloatPlane = Bordered<float>;
using BytePlane = Bordered<uint8_t>;

/// A plane of a frame as floats in 8-bit code values, its edge samples repeated into the border.
FloatPlane floatPlane(const Frame& frame, int plane);

/// The same smoothed by the binomial 1 2 1 both ways.
FloatPlane softened(const FloatPlane& plane);

/// Luma rounded to bytes, then halved again and again; finest first.
std::vector<BytePlane> bytePyramid(const FloatPlane& luma, int levels);

/// Writes a float plane back into a frame's plane, rounded and held to the format's range.
void storePlane(const FloatPlane& plane, Frame& frame, int index);

}  // namespace glenhaze::detail
