#pragma once
// The hot loops of Crispness: rows of luma as floats, 8-bit codes. The same values on every processor.

#include <array>
#include <span>

namespace glenhaze::detail {

/// Samples beside a row that may be read, and the most that a blur reaches to each side.
constexpr int kCrispPad = 10, kMostReach = kCrispPad - 1;

/// Half of a symmetric blur: the middle tap, then outwards; the reach is one less than their number.
using HalfTaps = std::span<const float>;

/// from, blurred along it; `to` is another row.
void blurAlong(const float* from, int width, HalfTaps taps, float* to);

/// What takes a sharpening back by one round: share · (filmed + amount · the rows blurred downwards). `rows`:
/// 2 · reach + 1 of them, from above; `to` is none of them.
void sharpenLess(std::span<const float* const> rows, const float* filmed, int width, HalfTaps taps,
                 float amount, float share, float* to);

/// from, blurred along it by the finest binomial, 1 4 6 4 1; `to` is another row.
void blurFinely(const float* from, int width, float* to);

/// What the middle row of five has beyond their blur by the same. `along`: the five rows, blurred along it
/// already.
void fineDetail(const std::array<const float*, 5>& along, const float* middle, int width, float* to);

/// What a row's neighbourhood along it is: energy of its detail with weights 1 2 1, least and greatest luma.
void lookAlong(const float* detail, const float* luma, int width, float* energy, float* low, float* high);

/// Of three rows beside each other.
struct CrispRows {
  std::array<const float*, 3> energy, low, high;
  const float *detail = nullptr, *luma = nullptr;  ///< of the one in the middle
};
/// luma with `amount` of its detail added where there is an edge: where the energy about a place is so many
/// times the noise, `variance` for sixteen levels of luma; not further than `halo` beyond what is beside it.
void crispenRow(const CrispRows& rows, const std::array<float, 16>& variance, int width, float amount,
                float halo, float* to);

}  // namespace glenhaze::detail
