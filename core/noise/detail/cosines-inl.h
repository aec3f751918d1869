// The cosine transform of blocks, for every instruction set; included by what is compiled per target.
#if defined(GLENHAZE_NOISE_COSINES_INL_H) == defined(HWY_TARGET_TOGGLE)
#ifdef GLENHAZE_NOISE_COSINES_INL_H
#undef GLENHAZE_NOISE_COSINES_INL_H
#else
#define GLENHAZE_NOISE_COSINES_INL_H
#endif

#include <hwy/highway.h>

#include "core/noise/detail/block_kernel.h"

// Short loops over registers: only unrolled do their values stay in them.
#ifndef GLENHAZE_UNROLL
#define GLENHAZE_UNROLL _Pragma("GCC unroll 16")
#endif

// Blocks are worked on in vertical strips of one vector's width, rows in registers.
HWY_BEFORE_NAMESPACE();
namespace glenhaze::detail::HWY_NAMESPACE {
namespace {

namespace hn = hwy::HWY_NAMESPACE;

using Lanes = hn::CappedTag<float, kBlock>;
using Vector = hn::Vec<Lanes>;
constexpr Lanes kLanes;
constexpr int kWide = static_cast<int>(hn::MaxLanes(kLanes));

struct alignas(64) Block {
  float v[kBlock][kBlock];
};

// f(row, column) over all samples of a block, a vector at a time.
template <typename F>
HWY_INLINE void each(F f) {
  GLENHAZE_UNROLL
  for (int y = 0; y < kBlock; ++y)
    for (int x = 0; x < kBlock; x += kWide) f(y, x);
}

constexpr double cosineOfQuarter(double x) {
  // cos(x) for 0 ≤ x ≤ π/2 by its series; constant expressions have no std::cos.
  double term = 1, sum = 1;
  for (int i = 1; i < 14; ++i) {
    term *= -x * x / ((2 * i - 1) * (2 * i));
    sum += term;
  }
  return sum;
}

// cos(π·(2n + 1)·f / 32), the angle folded into the first quarter.
constexpr double cosineAt(int f, int n) {
  int k = (2 * n + 1) * f % 64;
  if (k > 32) k = 64 - k;
  const double sign = k > 16 ? -1 : 1;
  if (k > 16) k = 32 - k;
  return sign * cosineOfQuarter(3.14159265358979323846 * k / 32);
}

// Orthonormal cosine transform of 16 values by symmetry: sums give the even frequencies, differences the odd
// ones, and the sums are halved again the same way.
struct CosineWeights {
  float odd16[8][8], odd8[4][4], odd4[2][2], even;
};
constexpr CosineWeights makeWeights() {
  CosineWeights w{};
  const double scale = 0.35355339059327376;  // √(2/16)
  for (int f = 0; f < 8; ++f)
    for (int n = 0; n < 8; ++n) w.odd16[f][n] = static_cast<float>(scale * cosineAt(2 * f + 1, n));
  for (int f = 0; f < 4; ++f)
    for (int n = 0; n < 4; ++n) w.odd8[f][n] = static_cast<float>(scale * cosineAt(2 * (2 * f + 1), n));
  for (int f = 0; f < 2; ++f)
    for (int n = 0; n < 2; ++n) w.odd4[f][n] = static_cast<float>(scale * cosineAt(4 * (2 * f + 1), n));
  w.even = 0.25F;  // frequency 0 is √(1/16); frequency 8 is √(2/16)·cos(π/4), the same
  return w;
}
constexpr CosineWeights kCosines = makeWeights();

template <size_t N>
HWY_INLINE Vector weighted(const float (&w)[N], const Vector (&x)[N]) {
  Vector sum = hn::Mul(hn::Set(kLanes, w[0]), x[0]);
  GLENHAZE_UNROLL
  for (size_t n = 1; n < N; ++n) sum = hn::MulAdd(hn::Set(kLanes, w[n]), x[n], sum);
  return sum;
}

// Down one strip of columns.
HWY_INLINE void forwardStrip(const float* HWY_RESTRICT in, ptrdiff_t stride, float* HWY_RESTRICT out) {
  Vector s[8], d[8];
  GLENHAZE_UNROLL
  for (int n = 0; n < 8; ++n) {
    const Vector a = hn::LoadU(kLanes, in + n * stride), b = hn::LoadU(kLanes, in + (15 - n) * stride);
    s[n] = hn::Add(a, b);
    d[n] = hn::Sub(a, b);
  }
  GLENHAZE_UNROLL
  for (int f = 0; f < 8; ++f) hn::Store(weighted(kCosines.odd16[f], d), kLanes, out + (2 * f + 1) * kBlock);
  Vector s4[4], d4[4];
  GLENHAZE_UNROLL
  for (int n = 0; n < 4; ++n) {
    s4[n] = hn::Add(s[n], s[7 - n]);
    d4[n] = hn::Sub(s[n], s[7 - n]);
  }
  GLENHAZE_UNROLL
  for (int f = 0; f < 4; ++f) hn::Store(weighted(kCosines.odd8[f], d4), kLanes, out + (4 * f + 2) * kBlock);
  const Vector s2[2] = {hn::Add(s4[0], s4[3]), hn::Add(s4[1], s4[2])};
  const Vector d2[2] = {hn::Sub(s4[0], s4[3]), hn::Sub(s4[1], s4[2])};
  GLENHAZE_UNROLL
  for (int f = 0; f < 2; ++f) hn::Store(weighted(kCosines.odd4[f], d2), kLanes, out + (8 * f + 4) * kBlock);
  const Vector even = hn::Set(kLanes, kCosines.even);
  hn::Store(hn::Mul(even, hn::Add(s2[0], s2[1])), kLanes, out);
  hn::Store(hn::Mul(even, hn::Sub(s2[0], s2[1])), kLanes, out + 8 * kBlock);
}

// The transpose of forwardStrip.
HWY_INLINE void backwardStrip(const float* HWY_RESTRICT in, float* HWY_RESTRICT out) {
  const auto load = [&](int f) { return hn::Load(kLanes, in + f * kBlock); };
  const Vector even = hn::Set(kLanes, kCosines.even);
  const Vector c0 = hn::Mul(even, load(0)), c8 = hn::Mul(even, load(8));
  Vector s4[4], s[8];
  const Vector c4 = load(4), c12 = load(12);
  const Vector s2[2] = {hn::Add(c0, c8), hn::Sub(c0, c8)};
  GLENHAZE_UNROLL
  for (int n = 0; n < 2; ++n) {
    const Vector d = hn::MulAdd(hn::Set(kLanes, kCosines.odd4[1][n]), c12,
                                hn::Mul(hn::Set(kLanes, kCosines.odd4[0][n]), c4));
    s4[n] = hn::Add(s2[n], d);
    s4[3 - n] = hn::Sub(s2[n], d);
  }
  const Vector e[4] = {load(2), load(6), load(10), load(14)};
  GLENHAZE_UNROLL
  for (int n = 0; n < 4; ++n) {
    Vector d = hn::Mul(hn::Set(kLanes, kCosines.odd8[0][n]), e[0]);
    GLENHAZE_UNROLL
    for (int f = 1; f < 4; ++f) d = hn::MulAdd(hn::Set(kLanes, kCosines.odd8[f][n]), e[f], d);
    s[n] = hn::Add(s4[n], d);
    s[7 - n] = hn::Sub(s4[n], d);
  }
  const Vector o[8] = {load(1), load(3), load(5), load(7), load(9), load(11), load(13), load(15)};
  GLENHAZE_UNROLL
  for (int n = 0; n < 8; ++n) {
    Vector d = hn::Mul(hn::Set(kLanes, kCosines.odd16[0][n]), o[0]);
    GLENHAZE_UNROLL
    for (int f = 1; f < 8; ++f) d = hn::MulAdd(hn::Set(kLanes, kCosines.odd16[f][n]), o[f], d);
    hn::Store(hn::Add(s[n], d), kLanes, out + n * kBlock);
    hn::Store(hn::Sub(s[n], d), kLanes, out + (15 - n) * kBlock);
  }
}

#if HWY_TARGET != HWY_SCALAR
// Four by four within each 128 bits of four rows.
HWY_INLINE void transposeFours(Vector& a, Vector& b, Vector& c, Vector& d) {
  const hn::RepartitionToWide<Lanes> two;
  const auto ab_low = hn::BitCast(two, hn::InterleaveLower(kLanes, a, b)),
             ab_high = hn::BitCast(two, hn::InterleaveUpper(kLanes, a, b));
  const auto cd_low = hn::BitCast(two, hn::InterleaveLower(kLanes, c, d)),
             cd_high = hn::BitCast(two, hn::InterleaveUpper(kLanes, c, d));
  a = hn::BitCast(kLanes, hn::InterleaveLower(two, ab_low, cd_low));
  b = hn::BitCast(kLanes, hn::InterleaveUpper(two, ab_low, cd_low));
  c = hn::BitCast(kLanes, hn::InterleaveLower(two, ab_high, cd_high));
  d = hn::BitCast(kLanes, hn::InterleaveUpper(two, ab_high, cd_high));
}
#endif

HWY_INLINE void transpose(const Block& in, Block& out) {
#if HWY_TARGET == HWY_SCALAR
  for (int y = 0; y < kBlock; ++y)
    for (int x = 0; x < kBlock; ++x) out.v[x][y] = in.v[y][x];
#elif HWY_MAX_BYTES >= 64
  Vector v[kBlock];
  GLENHAZE_UNROLL
  for (int y = 0; y < kBlock; ++y) v[y] = hn::Load(kLanes, in.v[y]);
  GLENHAZE_UNROLL
  for (int y = 0; y < kBlock; y += 4) transposeFours(v[y], v[y + 1], v[y + 2], v[y + 3]);
  // Then the squares of four among each other: first next ones, then halves.
  GLENHAZE_UNROLL
  for (int j = 0; j < 4; ++j) {
    const Vector a = v[j], b = v[j + 4], c = v[j + 8], d = v[j + 12];
    const Vector p = hn::OddEvenBlocks(hn::SwapAdjacentBlocks(b), a),
                 q = hn::OddEvenBlocks(b, hn::SwapAdjacentBlocks(a));
    const Vector r = hn::OddEvenBlocks(hn::SwapAdjacentBlocks(d), c),
                 s = hn::OddEvenBlocks(d, hn::SwapAdjacentBlocks(c));
    hn::Store(hn::ConcatLowerLower(kLanes, r, p), kLanes, out.v[j]);
    hn::Store(hn::ConcatLowerLower(kLanes, s, q), kLanes, out.v[j + 4]);
    hn::Store(hn::ConcatUpperUpper(kLanes, r, p), kLanes, out.v[j + 8]);
    hn::Store(hn::ConcatUpperUpper(kLanes, s, q), kLanes, out.v[j + 12]);
  }
#else
  // In squares of one vector's width, so that what is stored is loaded again in one piece.
  for (int y = 0; y < kBlock; y += 4)
    for (int x = 0; x < kBlock; x += kWide) {
      Vector a = hn::Load(kLanes, &in.v[y][x]), b = hn::Load(kLanes, &in.v[y + 1][x]),
             c = hn::Load(kLanes, &in.v[y + 2][x]), d = hn::Load(kLanes, &in.v[y + 3][x]);
      transposeFours(a, b, c, d);
      const hn::FixedTag<float, 4> four;
      alignas(64) float rows[4][kWide];
      hn::Store(a, kLanes, rows[0]);
      hn::Store(b, kLanes, rows[1]);
      hn::Store(c, kLanes, rows[2]);
      hn::Store(d, kLanes, rows[3]);
      for (int i = 0; i < kWide; ++i)
        hn::Store(hn::Load(four, rows[i % 4] + i / 4 * 4), four, &out.v[x + i][y]);
    }
#endif
}

// Coefficients come out as [horizontal frequency][vertical frequency]: everything done with them is the same
// for both, and the second transposition is saved.
HWY_INLINE void forward(const float* HWY_RESTRICT in, ptrdiff_t stride, Block& out) {
  Block half, turned;
  for (int x = 0; x < kBlock; x += kWide) forwardStrip(in + x, stride, &half.v[0][x]);
  transpose(half, turned);
  for (int x = 0; x < kBlock; x += kWide) forwardStrip(&turned.v[0][x], kBlock, &out.v[0][x]);
}

HWY_INLINE void backward(const Block& in, Block& out) {
  Block half, turned;
  for (int x = 0; x < kBlock; x += kWide) backwardStrip(&in.v[0][x], &half.v[0][x]);
  transpose(half, turned);
  for (int x = 0; x < kBlock; x += kWide) backwardStrip(&turned.v[0][x], &out.v[0][x]);
}

}  // namespace
}  // namespace glenhaze::detail::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#endif
