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
#if HWY_TARGET == HWY_SCALAR
  float square[kBands] = {}, all[kBlock] = {};
  for (int b = 0; b < kBands; ++b)
    for (int x = 0; x < kBlock; ++x) {
      all[x] += columns[b][x];
      if (x < kBandStart[b + 1]) square[b] += all[x];
    }
#else
  // Of each square only the quarters that it reaches are added up, then four of them at once.
  const hn::FixedTag<float, 4> four;
  const hn::RepartitionToWide<decltype(four)> two;
  const auto quarter = [&](int b, int q) { return hn::Load(four, &columns[b][4 * q]); };
  auto first = hn::Add(quarter(0, 0), quarter(1, 0));
  const auto second = hn::IfThenElseZero(hn::FirstN(four, 2), first);
  first = hn::Add(first, quarter(2, 0));
  const auto third = first;
  first = hn::Add(first, quarter(3, 0));
  auto next = hn::Add(hn::Add(quarter(0, 1), quarter(1, 1)), hn::Add(quarter(2, 1), quarter(3, 1)));
  const auto fourth = hn::Add(first, next);
  auto last = hn::Add(fourth, hn::Add(quarter(4, 0), quarter(4, 1)));
  for (int q = 2; q < 4; ++q) {
    const auto both = hn::Add(hn::Add(quarter(0, q), quarter(1, q)), hn::Add(quarter(2, q), quarter(3, q)));
    last = hn::Add(last, hn::Add(both, quarter(4, q)));
  }
  const auto ab = hn::Add(hn::InterleaveLower(four, second, third), hn::InterleaveUpper(four, second, third));
  const auto cd = hn::Add(hn::InterleaveLower(four, fourth, last), hn::InterleaveUpper(four, fourth, last));
  const auto sums =
      hn::Add(hn::BitCast(four, hn::InterleaveLower(two, hn::BitCast(two, ab), hn::BitCast(two, cd))),
              hn::BitCast(four, hn::InterleaveUpper(two, hn::BitCast(two, ab), hn::BitCast(two, cd))));
  alignas(16) float square[kBands];
  alignas(16) float rest[4];
  hn::Store(sums, four, rest);
  square[0] = columns[0][0];
  for (int b = 1; b < kBands; ++b) square[b] = rest[b - 1];
#endif
  means[0] = square[0];
  for (int b = 1; b < kBands; ++b) means[b] = (square[b] - square[b - 1]) / kBandCount[b];
}

// Chance alone scatters the mean of n squares by √(2/n).
constexpr float kChance[kBands] = {1.4142F, 0.8165F, 0.4082F, 0.2041F, 0.1021F};
constexpr float kMeanChance = 0.0884F;

// What `band` says of the octaves, for the rows of each octave in the strip at x: of the rows of the coarsest
// octave each column has its own octave's value; finer rows overrule.
HWY_INLINE void bandRows(const float (&band)[kBands], int x, Vector (&rows)[kBands]) {
  Vector row = hn::Set(kLanes, band[kBands - 1]);
  GLENHAZE_UNROLL
  for (int b = kBands - 2; b >= 0; --b)
    row = hn::IfThenElse(before(x, kBandStart[b + 1]), hn::Set(kLanes, band[b]), row);
  GLENHAZE_UNROLL
  for (int b = 0; b < kBands; ++b)
    rows[b] = row = hn::IfThenElse(before(x, kBandStart[b + 1]), hn::Set(kLanes, band[b]), row);
}

// f(row, column, value) over all coefficients, with what `band` says of their octaves.
template <typename F>
HWY_INLINE void eachOfBands(const float (&band)[kBands], F f) {
  for (int x = 0; x < kBlock; x += kWide) {
    Vector rows[kBands];
    bandRows(band, x, rows);
    GLENHAZE_UNROLL
    for (int b = 0; b < kBands; ++b) {
      GLENHAZE_UNROLL
      for (int y = kBandStart[b]; y < kBandStart[b + 1]; ++y) f(y, x, rows[b]);
    }
  }
}

// Means in each octave of f(row, column).
template <typename F>
HWY_INLINE void meansOf(F f, float (&means)[kBands]) {
  alignas(64) float columns[kBands][kBlock];
  for (int x = 0; x < kBlock; x += kWide) {
    GLENHAZE_UNROLL
    for (int b = 0; b < kBands; ++b) {
      Vector column = hn::Zero(kLanes);
      GLENHAZE_UNROLL
      for (int y = kBandStart[b]; y < kBandStart[b + 1]; ++y) column = hn::Add(column, f(y, x));
      hn::Store(column, kLanes, &columns[b][x]);
    }
  }
  bandMeans(columns, means);
}

// The energy around each coefficient of a strip, row by row: its 3 × 3, itself counting four times. Edge
// coefficients stand for those beyond them.
class EnergyAround {
 public:
  explicit EnergyAround(const Block& c) : c_(c) {
#if HWY_MAX_BYTES < 64 || HWY_TARGET == HWY_SCALAR
    for (int y = 0; y < kBlock; ++y) {
      float* row = energy_[y] + kPad;
      for (int x = 0; x < kBlock; x += kWide) {
        const Vector v = hn::Load(kLanes, &c.v[y][x]);
        hn::Store(hn::Mul(v, v), kLanes, row + x);
      }
      row[-1] = row[0];
      row[kBlock] = row[kBlock - 1];
    }
#endif
  }

  // Rows have to be asked for in order, each column of strips from 0 on.
  HWY_INLINE Vector at(int y, int x) {
    if (y == 0) above_ = here_ = across(0, x, own_);
    Vector next_own = own_;
    const Vector below = y + 1 < kBlock ? across(y + 1, x, next_own) : here_;
    const Vector share = hn::Set(kLanes, 1.0F / 12), three = hn::Set(kLanes, 3);
    const Vector around = hn::Mul(share, hn::MulAdd(three, own_, hn::Add(here_, hn::Add(above_, below))));
    above_ = here_;
    here_ = below;
    own_ = next_own;
    return around;
  }

 private:
  // The sum of three beside each other, and the one in the middle.
  HWY_INLINE Vector across(int y, int x, Vector& own) const {
#if HWY_MAX_BYTES < 64 || HWY_TARGET == HWY_SCALAR
    const float* row = energy_[y] + kPad + x;
    own = hn::Load(kLanes, row);
    return hn::Add(own, hn::Add(hn::LoadU(kLanes, row - 1), hn::LoadU(kLanes, row + 1)));
#else
    // A whole row is one vector.
    alignas(
        64) static constexpr int32_t kLeft[kBlock] = {0, 0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14},
                                     kRight[kBlock] = {1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15, 15};
    const Vector v = hn::Load(kLanes, &c_.v[y][x]);
    own = hn::Mul(v, v);
    return hn::Add(own, hn::Add(hn::TableLookupLanes(own, hn::SetTableIndices(kLanes, kLeft)),
                                hn::TableLookupLanes(own, hn::SetTableIndices(kLanes, kRight))));
#endif
  }

  const Block& c_;
#if HWY_MAX_BYTES < 64 || HWY_TARGET == HWY_SCALAR
  static constexpr int kPad = 16;
  alignas(64) float energy_[kBlock][kBlock + 2 * kPad];
#endif
  Vector above_ = hn::Zero(kLanes), here_ = above_, own_ = above_;
};

// Shrinks `c`, whose noise has the variance `noise`, by `amount` of that, each coefficient by the energy of
// the 3 × 3 around it. How much is shrunk hangs on how much of an octave of a block is structure: by its mean
// energy beyond that of the noise left, `energies`, half of which counts (found on photographs,
// benchmarks/noise_photographs).
HWY_INLINE void shrinkBlock(Block& c, const Block& noise, const float (&energies)[kBands],
                            const Block& amount) {
  constexpr float kCounts = 0.5F;
  float factors[kBands];
  for (int b = 0; b < kBands; ++b) factors[b] = 1 / (1 + kCounts * std::max(0.0F, energies[b] - 1));
  const float mean = c.v[0][0];
  const Vector least = hn::Set(kLanes, 1e-30F);
  EnergyAround energy(c);
  eachOfBands(factors, [&](int y, int x, Vector factor) {
    const Vector around = energy.at(y, x);
    const Vector below = hn::Mul(factor, hn::Load(kLanes, &noise.v[y][x]));
    const Vector kept =
        hn::Max(hn::Zero(kLanes), hn::NegMulAdd(hn::Load(kLanes, &amount.v[y][x]), below, around));
    const Vector gain = hn::Mul(kept, hn::ApproximateReciprocal(hn::Max(around, least)));
    hn::Store(hn::Mul(gain, hn::Load(kLanes, &c.v[y][x])), kLanes, &c.v[y][x]);
  });
  // The mean of a block is never touched: colours stay.
  c.v[0][0] = mean;
}

}  // namespace
}  // namespace glenhaze::detail::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#endif
