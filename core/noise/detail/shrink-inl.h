// Octaves of a block, and shrinking what stays below the noise left, for every instruction set; included by
// what is compiled per target.
#if defined(GLENHAZE_NOISE_SHRINK_INL_H) == defined(HWY_TARGET_TOGGLE)
#ifdef GLENHAZE_NOISE_SHRINK_INL_H
#undef GLENHAZE_NOISE_SHRINK_INL_H
#else
#define GLENHAZE_NOISE_SHRINK_INL_H
#endif

#include <hwy/highway.h>

#include <algorithm>

#include "core/noise/detail/cosines-inl.h"

HWY_BEFORE_NAMESPACE();
namespace glenhaze::detail::HWY_NAMESPACE {
namespace {

constexpr int kBandStart[kBands + 1] = {0, 1, 2, 4, 8, 16};
constexpr float kBandCount[kBands] = {1, 3, 12, 48, 192};

// Lanes of the strip at x that belong to columns before `end`.
HWY_INLINE hn::Mask<Lanes> before(int x, int end) {
  return hn::Lt(hn::Iota(kLanes, static_cast<float>(x)), hn::Set(kLanes, static_cast<float>(end)));
}

// Means in each octave from sums down the columns of its rows: differences of squares from the origin.
HWY_INLINE void bandMeans(const float (&columns)[kBands][kBlock], float* HWY_RESTRICT means) {
  float square[kBands] = {};
  for (int x = 0; x < kBlock; x += kWide) {
    Vector all = hn::Zero(kLanes);
    GLENHAZE_UNROLL
    for (int b = 0; b < kBands; ++b) {
      all = hn::Add(all, hn::Load(kLanes, &columns[b][x]));
      square[b] += hn::GetLane(hn::SumOfLanes(kLanes, hn::IfThenElseZero(before(x, kBandStart[b + 1]), all)));
    }
  }
  means[0] = square[0];
  for (int b = 1; b < kBands; ++b) means[b] = (square[b] - square[b - 1]) / kBandCount[b];
}

// Chance alone scatters the mean of n squares by √(2/n).
constexpr float kChance[kBands] = {1.4142F, 0.8165F, 0.4082F, 0.2041F, 0.1021F};
constexpr float kMeanChance = 0.0884F;

// f(row, column, value) over all coefficients, with what `band` says of their octaves.
template <typename F>
HWY_INLINE void eachOfBands(const float (&band)[kBands], F f) {
  Vector values[kBands];
  for (int b = 0; b < kBands; ++b) values[b] = hn::Set(kLanes, band[b]);
  for (int x = 0; x < kBlock; x += kWide) {
    // Of the rows of the coarsest octave each column has its own octave's value; finer rows overrule.
    Vector row = values[kBands - 1];
    GLENHAZE_UNROLL
    for (int b = kBands - 2; b >= 0; --b) row = hn::IfThenElse(before(x, kBandStart[b + 1]), values[b], row);
    GLENHAZE_UNROLL
    for (int b = 0; b < kBands; ++b) {
      row = hn::IfThenElse(before(x, kBandStart[b + 1]), values[b], row);
      GLENHAZE_UNROLL
      for (int y = kBandStart[b]; y < kBandStart[b + 1]; ++y) f(y, x, row);
    }
  }
}

// How much is shrunk hangs on how much of an octave of a block is structure: by its mean energy beyond that
// of the noise left, half of which counts (found on photographs, benchmarks/noise_photographs). `noise` is
// scaled by that.
HWY_INLINE void weighStructure(const Block& c, Block& noise) {
  alignas(64) float columns[kBands][kBlock];
  for (int x = 0; x < kBlock; x += kWide) {
    GLENHAZE_UNROLL
    for (int b = 0; b < kBands; ++b) {
      Vector column = hn::Zero(kLanes);
      GLENHAZE_UNROLL
      for (int y = kBandStart[b]; y < kBandStart[b + 1]; ++y) {
        const Vector v = hn::Load(kLanes, &c.v[y][x]);
        column =
            hn::MulAdd(hn::Mul(v, v), hn::ApproximateReciprocal(hn::Load(kLanes, &noise.v[y][x])), column);
      }
      hn::Store(column, kLanes, &columns[b][x]);
    }
  }
  constexpr float kCounts = 0.5F;
  float means[kBands], factors[kBands];
  bandMeans(columns, means);
  for (int b = 0; b < kBands; ++b) factors[b] = 1 / (1 + kCounts * std::max(0.0F, means[b] - 1));
  eachOfBands(factors, [&](int y, int x, Vector factor) {
    hn::Store(hn::Mul(factor, hn::Load(kLanes, &noise.v[y][x])), kLanes, &noise.v[y][x]);
  });
}

// Shrinks `c`, whose noise has the variance `noise`, by `amount` of that, each coefficient by the energy of
// the 3 × 3 around it.
HWY_INLINE void shrinkBlock(Block& c, const Block& noise, const Block& amount) {
  constexpr int kPad = 16, kStride = kBlock + 2 * kPad;
  // Edge coefficients stand for those beyond them.
  alignas(64) float energy[kBlock + 2][kStride];
  for (int y = 0; y < kBlock; ++y) {
    float* row = energy[y + 1] + kPad;
    for (int x = 0; x < kBlock; x += kWide) {
      const Vector v = hn::Load(kLanes, &c.v[y][x]);
      hn::Store(hn::Mul(v, v), kLanes, row + x);
    }
    row[-1] = row[0];
    row[kBlock] = row[kBlock - 1];
  }
  for (int x = -1; x <= kBlock; ++x) {
    energy[0][kPad + x] = energy[1][kPad + x];
    energy[kBlock + 1][kPad + x] = energy[kBlock][kPad + x];
  }
  const float mean = c.v[0][0];
  const Vector three = hn::Set(kLanes, 3), share = hn::Set(kLanes, 1.0F / 12),
               least = hn::Set(kLanes, 1e-30F);
  for (int x = 0; x < kBlock; x += kWide) {
    const auto across = [&](int y) {
      const float* row = energy[y + 1] + kPad + x;
      return hn::Add(hn::Load(kLanes, row), hn::Add(hn::LoadU(kLanes, row - 1), hn::LoadU(kLanes, row + 1)));
    };
    Vector above = across(-1), here = across(0);
    for (int y = 0; y < kBlock; ++y) {
      const Vector below = across(y + 1);
      const Vector around = hn::Mul(share, hn::MulAdd(three, hn::Load(kLanes, energy[y + 1] + kPad + x),
                                                      hn::Add(here, hn::Add(above, below))));
      const Vector kept = hn::Max(hn::Zero(kLanes), hn::NegMulAdd(hn::Load(kLanes, &amount.v[y][x]),
                                                                  hn::Load(kLanes, &noise.v[y][x]), around));
      const Vector gain = hn::Mul(kept, hn::ApproximateReciprocal(hn::Max(around, least)));
      hn::Store(hn::Mul(gain, hn::Load(kLanes, &c.v[y][x])), kLanes, &c.v[y][x]);
      above = here;
      here = below;
    }
  }
  // The mean of a block is never touched: colours stay.
  c.v[0][0] = mean;
}

}  // namespace
}  // namespace glenhaze::detail::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#endif
