#include "core/noise/detail/block_kernel.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/noise/detail/block_kernel.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include <cmath>

// Short loops over registers: only unrolled do their values stay in them.
#define GLENHAZE_UNROLL _Pragma("GCC unroll 16")

// Blocks are worked on in vertical strips of one vector's width, rows in registers; the whole is compiled
// once per instruction set and chosen at run time.
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

// In squares of four by four.
HWY_INLINE void transpose(const Block& in, Block& out) {
#if HWY_TARGET == HWY_SCALAR
  for (int y = 0; y < kBlock; ++y)
    for (int x = 0; x < kBlock; ++x) out.v[x][y] = in.v[y][x];
#else
  const hn::FixedTag<float, 4> four;
  const hn::RepartitionToWide<decltype(four)> two;
  for (int y = 0; y < kBlock; y += 4)
    for (int x = 0; x < kBlock; x += 4) {
      const auto a = hn::Load(four, &in.v[y][x]), b = hn::Load(four, &in.v[y + 1][x]);
      const auto c = hn::Load(four, &in.v[y + 2][x]), d = hn::Load(four, &in.v[y + 3][x]);
      const auto ab_low = hn::BitCast(two, hn::InterleaveLower(four, a, b)),
                 ab_high = hn::BitCast(two, hn::InterleaveUpper(four, a, b));
      const auto cd_low = hn::BitCast(two, hn::InterleaveLower(four, c, d)),
                 cd_high = hn::BitCast(two, hn::InterleaveUpper(four, c, d));
      hn::Store(hn::BitCast(four, hn::InterleaveLower(two, ab_low, cd_low)), four, &out.v[x][y]);
      hn::Store(hn::BitCast(four, hn::InterleaveUpper(two, ab_low, cd_low)), four, &out.v[x + 1][y]);
      hn::Store(hn::BitCast(four, hn::InterleaveLower(two, ab_high, cd_high)), four, &out.v[x + 2][y]);
      hn::Store(hn::BitCast(four, hn::InterleaveUpper(two, ab_high, cd_high)), four, &out.v[x + 3][y]);
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

// A block at a fraction of a sample.
HWY_INLINE void fetch(const float* HWY_RESTRICT at, ptrdiff_t stride, const float* HWY_RESTRICT tx,
                      const float* HWY_RESTRICT ty, Block& out) {
  constexpr int kBefore = kTaps / 2 - 1, kRows = kBlock + kTaps - 1;
  alignas(64) float wide[kRows][kBlock];
  Vector wx[kTaps], wy[kTaps];
  GLENHAZE_UNROLL
  for (int k = 0; k < kTaps; ++k) {
    wx[k] = hn::Set(kLanes, tx[k]);
    wy[k] = hn::Set(kLanes, ty[k]);
  }
  const float* HWY_RESTRICT from = at - kBefore * stride - kBefore;
  for (int x = 0; x < kBlock; x += kWide) {
    for (int y = 0; y < kRows; ++y) {
      const float* HWY_RESTRICT row = from + y * stride + x;
      Vector sum = hn::Mul(wx[0], hn::LoadU(kLanes, row));
      GLENHAZE_UNROLL
      for (int k = 1; k < kTaps; ++k) sum = hn::MulAdd(wx[k], hn::LoadU(kLanes, row + k), sum);
      hn::Store(sum, kLanes, &wide[y][x]);
    }
    for (int y = 0; y < kBlock; ++y) {
      Vector sum = hn::Mul(wy[0], hn::Load(kLanes, &wide[y][x]));
      GLENHAZE_UNROLL
      for (int k = 1; k < kTaps; ++k) sum = hn::MulAdd(wy[k], hn::Load(kLanes, &wide[y + k][x]), sum);
      hn::Store(sum, kLanes, &out.v[y][x]);
    }
  }
}

// Octaves of a block's coefficients by the larger of both frequencies: 0, 1, 2–3, 4–7, 8–15.
constexpr int kBands = 5;
constexpr int kBandStart[kBands + 1] = {0, 1, 2, 4, 8, 16};
constexpr float kBandCount[kBands] = {1, 3, 12, 48, 192};

// Means in each octave from sums down the columns of its rows: differences of squares from the origin.
HWY_INLINE void bandMeans(const float (&columns)[kBands][kBlock], float* HWY_RESTRICT means) {
  float square[kBands];
  alignas(64) float all[kBlock] = {};
  for (int b = 0; b < kBands; ++b) {
    for (int x = 0; x < kBandStart[b + 1]; ++x) {
      // Columns that were outside the smaller squares are caught up with here.
      if (x < kBandStart[b])
        all[x] += columns[b][x];
      else
        for (int r = 0; r <= b; ++r) all[x] += columns[r][x];
    }
    float sum = 0;
    for (int x = 0; x < kBandStart[b + 1]; ++x) sum += all[x];
    square[b] = sum;
  }
  means[0] = square[0];
  for (int b = 1; b < kBands; ++b) means[b] = (square[b] - square[b - 1]) / kBandCount[b];
}

// Chance alone scatters the mean of n squares by √(2/n).
constexpr float kChance[kBands] = {1.4142F, 0.8165F, 0.4082F, 0.2041F, 0.1021F};
constexpr float kMeanChance = 0.0884F;

// One neighbour is added to `sum` and `total`. It weighs against the middle by the inverse of its error's
// variance, which is noise plus what it differs beyond noise. Returns how far the block as a whole is
// trusted.
HWY_INLINE float merge(const Block& middle, const Block& other, const Block& inverse_noise, float tolerance,
                       float trust_in, Block& sum, Block& total) {
  Block e;
  alignas(64) float columns[kBands][kBlock];
  Vector most = hn::Zero(kLanes);
  const Vector half = hn::Set(kLanes, 0.5F);
  for (int x = 0; x < kBlock; x += kWide)
    for (int b = 0; b < kBands; ++b) {
      Vector column = hn::Zero(kLanes);
      for (int y = kBandStart[b]; y < kBandStart[b + 1]; ++y) {
        const Vector d = hn::Sub(hn::Load(kLanes, &middle.v[y][x]), hn::Load(kLanes, &other.v[y][x]));
        const Vector v = hn::Mul(hn::Mul(d, d), hn::Mul(half, hn::Load(kLanes, &inverse_noise.v[y][x])));
        hn::Store(v, kLanes, &e.v[y][x]);
        most = hn::Max(most, v);
        column = hn::Add(column, v);
      }
      hn::Store(column, kLanes, &columns[b][x]);
    }
  float means[kBands];
  bandMeans(columns, means);
  float all = 0;
  for (int b = 1; b < kBands; ++b) all += means[b] * kBandCount[b];
  all /= static_cast<float>(kBlockArea - 1);
  const auto beyond = [](float v) { return v > 0 ? v : 0.0F; };
  const float block = trust_in / (1 + 2 * beyond(all - 1 - 2 * kMeanChance) / tolerance);
  // Every row of one octave has the same weights across it.
  alignas(64) float across[kBands][kBlock];
  for (int b = 0; b < kBands; ++b) {
    const float weight = block / (1 + 2.5F * beyond(means[b] - 1 - kChance[b]) / tolerance);
    for (int r = 0; r <= b; ++r)
      for (int x = r == b ? 0 : kBandStart[b]; x < kBandStart[b + 1]; ++x) across[r][x] = weight;
  }
  // A single coefficient far beyond chance is something that moved.
  const float far = 8 * tolerance;
  const bool moved = hn::GetLane(hn::MaxOfLanes(kLanes, most)) > far;
  const Vector limit = hn::Set(kLanes, far);
  for (int x = 0; x < kBlock; x += kWide)
    for (int b = 0; b < kBands; ++b) {
      const Vector row = hn::Load(kLanes, &across[b][x]);
      for (int y = kBandStart[b]; y < kBandStart[b + 1]; ++y) {
        Vector weight = row;
        if (moved) weight = hn::Mul(row, hn::Div(limit, hn::Max(limit, hn::Load(kLanes, &e.v[y][x]))));
        hn::Store(hn::MulAdd(weight, hn::Load(kLanes, &other.v[y][x]), hn::Load(kLanes, &sum.v[y][x])),
                  kLanes, &sum.v[y][x]);
        hn::Store(hn::Add(weight, hn::Load(kLanes, &total.v[y][x])), kLanes, &total.v[y][x]);
      }
    }
  return block;
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
      const Vector gain = hn::Div(kept, hn::Max(around, least));
      hn::Store(hn::Mul(gain, hn::Load(kLanes, &c.v[y][x])), kLanes, &c.v[y][x]);
      above = here;
      here = below;
    }
  }
  // The mean of a block is never touched: colours stay.
  c.v[0][0] = mean;
}

// f(block index) over all samples of blocks, a vector at a time.
template <typename F>
HWY_INLINE void each(F f) {
  for (int y = 0; y < kBlock; ++y)
    for (int x = 0; x < kBlock; x += kWide) f(y, x);
}

}  // namespace

void stripe(const StripeJob& job) {
  Block middle, sum, total, coefficients, inverse, one_over, fetched, spectrum, amount;
  const Vector one = hn::Set(kLanes, 1);
  each([&](int y, int x) {
    const Vector s = hn::LoadU(kLanes, job.spectrum + y * kBlock + x);
    hn::Store(s, kLanes, &spectrum.v[y][x]);
    if (job.shrink != nullptr)
      hn::Store(hn::LoadU(kLanes, job.shrink + y * kBlock + x), kLanes, &amount.v[y][x]);
    hn::Store(hn::Div(one, s), kLanes, &one_over.v[y][x]);
  });
  const ptrdiff_t out_stride = static_cast<ptrdiff_t>(job.columns + 1) * kStep;
  for (int column = 0; column < job.columns; ++column) {
    const int x0 = column * kStep - kStep;
    const float* HWY_RESTRICT source = job.plane + job.y * job.stride + x0;
    float* HWY_RESTRICT out = job.out + column * kStep;
    const auto add = [&](const float* from, ptrdiff_t stride) {
      each([&](int y, int x) {
        float* to = out + y * out_stride + x;
        hn::StoreU(hn::MulAdd(hn::LoadU(kLanes, job.window + y * kBlock + x),
                              hn::LoadU(kLanes, from + y * stride + x), hn::LoadU(kLanes, to)),
                   kLanes, to);
      });
    };
    const float variance = job.variance[column];
    if (variance <= 0) {
      add(source, job.stride);
      continue;
    }
    forward(source, job.stride, middle);
    const Vector precision = hn::Set(kLanes, 1 / variance);
    each([&](int y, int x) {
      hn::Store(hn::Load(kLanes, &middle.v[y][x]), kLanes, &sum.v[y][x]);
      hn::Store(one, kLanes, &total.v[y][x]);
      hn::Store(hn::Mul(precision, hn::Load(kLanes, &one_over.v[y][x])), kLanes, &inverse.v[y][x]);
    });
    for (int n = 0; n < job.neighbours; ++n) {
      const StripeNeighbour& other = job.neighbour[n];
      const float trust_in = other.trust_in != nullptr ? other.trust_in[column] : 1.0F;
      if (trust_in <= 0.02F) {
        if (other.trust_out != nullptr) other.trust_out[column] = 0;
        continue;
      }
      const float px = static_cast<float>(x0) + other.vectors[column].dx,
                  py = static_cast<float>(job.y) + other.vectors[column].dy;
      const float qx = px * kPhases + 0.5F, qy = py * kPhases + 0.5F;
      // Towards minus infinity: positions in the border are negative.
      int ix = static_cast<int>(qx), iy = static_cast<int>(qy);
      ix -= static_cast<float>(ix) > qx ? 1 : 0;
      iy -= static_cast<float>(iy) > qy ? 1 : 0;
      const int phase_x = ix & (kPhases - 1), phase_y = iy & (kPhases - 1);
      const int sx = ix >> 5, sy = iy >> 5;
      const float* at = other.plane + sy * job.stride + sx;
      if (phase_x == 0 && phase_y == 0) {
        forward(at, job.stride, coefficients);
      } else {
        fetch(at, job.stride, job.taps + phase_x * 8, job.taps + phase_y * 8, fetched);
        forward(fetched.v[0], kBlock, coefficients);
      }
      const float trust = merge(middle, coefficients, inverse, job.tolerance, trust_in, sum, total);
      if (other.trust_out != nullptr) other.trust_out[column] = trust;
    }
    const Vector noise = hn::Set(kLanes, variance);
    each([&](int y, int x) {
      const Vector share = hn::Div(one, hn::Load(kLanes, &total.v[y][x]));
      hn::Store(hn::Mul(share, hn::Load(kLanes, &sum.v[y][x])), kLanes, &sum.v[y][x]);
      hn::Store(hn::Mul(share, hn::Mul(noise, hn::Load(kLanes, &spectrum.v[y][x]))), kLanes, &total.v[y][x]);
    });
    if (job.shrink != nullptr) shrinkBlock(sum, total, amount);
    if (job.mix > 0) {
      const Vector mix = hn::Set(kLanes, job.mix);
      each([&](int y, int x) {
        const Vector s = hn::Load(kLanes, &sum.v[y][x]);
        hn::Store(hn::MulAdd(mix, hn::Sub(hn::Load(kLanes, &middle.v[y][x]), s), s), kLanes, &sum.v[y][x]);
      });
    }
    backward(sum, fetched);
    add(fetched.v[0], kBlock);
  }
}

void cosinesOf(const float* samples, ptrdiff_t stride, float* coefficients) {
  Block turned, out;
  forward(samples, stride, turned);
  transpose(turned, out);
  for (int y = 0; y < kBlock; ++y)
    for (int x = 0; x < kBlock; ++x) coefficients[y * kBlock + x] = out.v[y][x];
}

}  // namespace glenhaze::detail::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace glenhaze::detail {

HWY_EXPORT(stripe);
HWY_EXPORT(cosinesOf);

void blockCosines(const float* samples, ptrdiff_t stride, float* coefficients) {
  HWY_DYNAMIC_DISPATCH(cosinesOf)(samples, stride, coefficients);
}

size_t octaveOf(int x, int y) {
  const int f = x > y ? x : y;
  return f >= 8 ? 0 : f >= 4 ? 1 : f >= 2 ? 2 : 3;
}

void processStripe(const StripeJob& job) { HWY_DYNAMIC_DISPATCH(stripe)(job); }

BlockTables::BlockTables() {
  constexpr double kPi = 3.14159265358979323846;
  for (int p = 0; p < kPhases; ++p) {
    double weights[kTaps], sum = 0;
    for (int k = 0; k < kTaps; ++k) {
      // Lanczos with three lobes.
      const double d = k - (kTaps / 2 - 1) - static_cast<double>(p) / kPhases;
      const double a = kPi * d;
      weights[k] = std::abs(d) < 1e-9 ? 1
                   : std::abs(d) >= 3 ? 0
                                      : 3 * std::sin(a) * std::sin(a / 3) / (a * a);
      sum += weights[k];
    }
    for (int k = 0; k < 8; ++k) taps[p * 8 + k] = k < kTaps ? static_cast<float>(weights[k] / sum) : 0.0F;
  }
  double along[kBlock];
  for (int i = 0; i < kBlock; ++i) along[i] = std::pow(std::sin(kPi * (i + 0.5) / kBlock), 2);
  for (int y = 0; y < kBlock; ++y)
    for (int x = 0; x < kBlock; ++x) window[y * kBlock + x] = static_cast<float>(along[y] * along[x]);
}

}  // namespace glenhaze::detail
#endif
