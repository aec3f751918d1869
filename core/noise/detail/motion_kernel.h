#pragma once
// The hot loops of the search for motion. The same values on every processor, but for the fractions of
// gradient_sums, which plain code does not round to 1/32768.

#include <cstddef>
#include <cstdint>

namespace glenhaze::detail {

/// Displacements that `cheapest` looks at at once.
constexpr int kCheapestAtOnce = 16;

/// Plain pointers to the loops for this processor, to be taken once a search and not once a block. Strides
/// in samples.
struct MotionKernels {
  /// Sum of absolute differences of two blocks.
  int (*block_difference)(const uint8_t* a, ptrdiff_t a_stride, const uint8_t* b, ptrdiff_t b_stride);
  /// Of two cells beside each other in `a`: the sums of differences from those up to `reach` away in `b`, row
  /// by row.
  void (*cell_differences)(const uint8_t* a, ptrdiff_t a_stride, const uint8_t* b, ptrdiff_t b_stride,
                           int reach, uint16_t* left, uint16_t* right);
  /// Which of `count` displacements of a block costs least: the sum of what its four cells differ by and of
  /// both penalties, in this order; among equal ones `before`, then the first. `count` is a multiple of
  /// kCheapestAtOnce.
  int (*cheapest)(const uint16_t* const* cells, const float* leave, const float* away, int count, int before);
  /// Six sums of one Gauss–Newton step over a block of softened samples, `b` shifted on by the fractions fx
  /// and fy, 0..1, in code values: gradient products xx, xy, yy, gradient times difference x, y, difference².
  /// The first three are of `a` alone; `again`: they are known already and stay as they are.
  void (*gradient_sums)(const int16_t* a, ptrdiff_t a_stride, const int16_t* b, ptrdiff_t b_stride, float fx,
                        float fy, bool again, float* sums);
  /// Sum of absolute differences of two cells of softened samples, which fit 16 bits when eight are added.
  int (*cell_sum)(const int16_t* a, ptrdiff_t a_stride, const int16_t* b, ptrdiff_t b_stride);
};
MotionKernels motionKernels();

}  // namespace glenhaze::detail
