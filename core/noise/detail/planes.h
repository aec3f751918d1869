#pragma once
// Planes with a border all round, for block work that looks outside: floats in 8-bit code values to measure
// on, 16-bit samples where speed counts.

#include <array>
#include <cstdint>
#include <vector>

#include "core/base/unwritten.h"
#include "core/frame/frame.h"

namespace glenhaze::detail {

constexpr int kBorder = 48;  ///< samples on each side; also how far motion may point outside

template <typename T>
struct Bordered {
  int width = 0, height = 0;
  ptrdiff_t stride = 0;
  Unwritten<T> data;

  Bordered() = default;
  Bordered(int w, int h) { reshape(w, h); }
  /// What is in it is of no use afterwards.
  void reshape(int w, int h) {
    width = w;
    height = h;
    stride = (w + 2 * kBorder + 15) / 16 * 16;
    data.resize(static_cast<size_t>(stride) * static_cast<size_t>(h + 2 * kBorder));
  }
  T* row(int y) { return data.data() + (y + kBorder) * stride + kBorder; }
  const T* row(int y) const { return data.data() + (y + kBorder) * stride + kBorder; }
  bool empty() const { return data.empty(); }
};

using FloatPlane = Bordered<float>;
using BytePlane = Bordered<uint8_t>;
using SamplePlane = Bordered<int16_t>;

constexpr int kSampleUnit = 64;  ///< a SamplePlane's steps in one 8-bit code value
constexpr int kSoftUnit = 16;    ///< the same of softened ones: products of theirs fit 32 bits

/// Repeats the edge samples into the border.
void fillBorder(SamplePlane& plane);

/// A plane of a frame as floats in 8-bit code values, its edge samples repeated into the border.
FloatPlane floatPlane(const Frame& frame, int plane);

/// The same in steps of 1/kSampleUnit; more than 14 bit are rounded.
SamplePlane samplePlane(const Frame& frame, int plane);
void toSamples(const Frame& frame, int plane, SamplePlane& to);

/// Of two planes of one size; borders left aside.
bool sameSamples(const SamplePlane& a, const SamplePlane& b);

/// Smoothed by the binomial 1 2 1 both ways, in steps of 1/kSoftUnit.
void soften(const SamplePlane& plane, SamplePlane& to);

/// Luma rounded to bytes, then halved again and again; finest first.
void makePyramid(const SamplePlane& luma, int levels, std::vector<BytePlane>& pyramid);

/// Writes a float plane back into a frame's plane, rounded and held to the format's range.
void storePlane(const FloatPlane& plane, Frame& frame, int index);

}  // namespace glenhaze::detail
