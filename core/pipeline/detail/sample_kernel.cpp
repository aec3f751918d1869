#include "core/pipeline/detail/sample_kernel.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/pipeline/detail/sample_kernel.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include <algorithm>
#include <cmath>

HWY_BEFORE_NAMESPACE();
namespace glenhaze::detail::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

constexpr int kChunk = 16;

// Where the taps of a chunk of positions begin, and which phases they use.
struct Addresses {
  HWY_ALIGN int32_t offset[kChunk];
  HWY_ALIGN int32_t phase_x[kChunk];
  HWY_ALIGN int32_t phase_y[kChunk];
};

void addressesOf(const float* HWY_RESTRICT xs, const float* HWY_RESTRICT ys, int count, int32_t stride,
                 int32_t padded_x, int32_t padded_y, Addresses& to) {
  const hn::CappedTag<float, 8> d;
  const hn::RebindToSigned<decltype(d)> di;
  const int lanes = static_cast<int>(hn::Lanes(d));
  const auto scale = hn::Set(d, 256.0F);
  const auto mask = hn::Set(di, 255);
  // Reads and computes whole vectors; the tail's surplus is never used.
  HWY_ALIGN float x[kChunk] = {};
  HWY_ALIGN float y[kChunk] = {};
  std::copy(xs, xs + count, x);
  std::copy(ys, ys + count, y);
  for (int i = 0; i < count; i += lanes) {
    const auto fx = hn::NearestInt(hn::Mul(hn::Load(d, x + i), scale));
    const auto fy = hn::NearestInt(hn::Mul(hn::Load(d, y + i), scale));
    const auto row = hn::Mul(hn::ShiftRight<8>(fy), hn::Set(di, stride));
    hn::Store(hn::Add(row, hn::ShiftRight<8>(fx)), di, to.offset + i);
    hn::Store(hn::Mul(hn::And(fx, mask), hn::Set(di, padded_x)), di, to.phase_x + i);
    hn::Store(hn::Mul(hn::And(fy, mask), hn::Set(di, padded_y)), di, to.phase_y + i);
  }
}

// Any kernel.
template <typename T>
void sampleChunk(const T* HWY_RESTRICT first, ptrdiff_t stride, const KernelTable& kx, const KernelTable& ky,
                 const Addresses& at, int count, float* HWY_RESTRICT out) {
  const hn::CappedTag<float, 8> d;
  const hn::RebindToSigned<decltype(d)> di;
  const hn::Rebind<T, decltype(d)> dt;
  const int lanes = static_cast<int>(hn::Lanes(d));
  for (int i = 0; i < count; ++i) {
    const float* HWY_RESTRICT wx = kx.weights + at.phase_x[i];
    const float* HWY_RESTRICT wy = ky.weights + at.phase_y[i];
    const T* HWY_RESTRICT corner = first + at.offset[i];
    auto total = hn::Zero(d);
    for (int tx = 0; tx < kx.taps; tx += lanes) {
      const T* HWY_RESTRICT tap = corner + tx;
      auto even = hn::Zero(d);
      auto odd = hn::Zero(d);
      // Tap counts are even, so rows go in pairs with two independent sums.
      for (int ty = 0; ty < ky.taps; ty += 2) {
        const auto a = hn::ConvertTo(d, hn::PromoteTo(di, hn::LoadU(dt, tap)));
        const auto b = hn::ConvertTo(d, hn::PromoteTo(di, hn::LoadU(dt, tap + stride)));
        even = hn::MulAdd(a, hn::Set(d, wy[ty]), even);
        odd = hn::MulAdd(b, hn::Set(d, wy[ty + 1]), odd);
        tap += 2 * stride;
      }
      total = hn::MulAdd(hn::Add(even, odd), hn::LoadU(d, wx + tx), total);
    }
    out[i] = hn::GetLane(hn::SumOfLanes(d, total));
  }
}

#if HWY_TARGET != HWY_SCALAR
// Four or eight lanes down to four.
template <class D4, class V>
auto quarterOf(D4 d4, V v) {
  if constexpr (sizeof(V) > 16)
    return hn::Add(hn::LowerHalf(d4, v), hn::UpperHalf(d4, v));
  else
    return v;
}

// The usual kernel: six rows, up to eight columns. Everything is unrolled, and four sums are folded
// together, because folding one by one costs as much as the taps themselves.
template <typename T>
void sampleSix(const T* HWY_RESTRICT first, ptrdiff_t stride, const KernelTable& kx, const KernelTable& ky,
               const Addresses& at, int count, float* HWY_RESTRICT out) {
  const hn::FixedTag<float, 4> d4;
  const hn::CappedTag<float, 8> d;
  const hn::RebindToSigned<decltype(d)> di;
  const hn::Rebind<T, decltype(d)> dt;
  const size_t lanes = hn::Lanes(d);
  using V4 = decltype(hn::Zero(d4));
  const auto sumOf = [&](int i) HWY_ATTR -> V4 {
    const float* HWY_RESTRICT wx = kx.weights + at.phase_x[i];
    const float* HWY_RESTRICT wy = ky.weights + at.phase_y[i];
    const T* HWY_RESTRICT top = first + at.offset[i];
    V4 folded = hn::Zero(d4);
    for (size_t tx = 0; tx < 8; tx += lanes) {
      const T* HWY_RESTRICT a = top + tx;
      const T* HWY_RESTRICT b = a + 3 * stride;
      const auto load = [&](const T* p)
                            HWY_ATTR { return hn::ConvertTo(d, hn::PromoteTo(di, hn::LoadU(dt, p))); };
      auto upper = hn::Mul(load(a), hn::Set(d, wy[0]));
      auto lower = hn::Mul(load(b), hn::Set(d, wy[3]));
      upper = hn::MulAdd(load(a + stride), hn::Set(d, wy[1]), upper);
      lower = hn::MulAdd(load(b + stride), hn::Set(d, wy[4]), lower);
      upper = hn::MulAdd(load(a + 2 * stride), hn::Set(d, wy[2]), upper);
      lower = hn::MulAdd(load(b + 2 * stride), hn::Set(d, wy[5]), lower);
      const auto weighted = hn::Mul(hn::Add(upper, lower), hn::LoadU(d, wx + tx));
      folded = hn::Add(folded, quarterOf(d4, weighted));
    }
    return folded;
  };
  int i = 0;
  const hn::Repartition<double, decltype(d4)> dd;
  for (; i + 4 <= count; i += 4) {
    const V4 a = sumOf(i), b = sumOf(i + 1), c = sumOf(i + 2), e = sumOf(i + 3);
    const V4 ab = hn::Add(hn::InterleaveLower(d4, a, b), hn::InterleaveUpper(d4, a, b));
    const V4 ce = hn::Add(hn::InterleaveLower(d4, c, e), hn::InterleaveUpper(d4, c, e));
    const auto low = hn::InterleaveLower(dd, hn::BitCast(dd, ab), hn::BitCast(dd, ce));
    const auto high = hn::InterleaveUpper(dd, hn::BitCast(dd, ab), hn::BitCast(dd, ce));
    hn::StoreU(hn::Add(hn::BitCast(d4, low), hn::BitCast(d4, high)), d4, out + i);
  }
  // The tail folds in the same order, so that a sample does not depend on where its run began.
  for (; i < count; ++i) {
    HWY_ALIGN float part[4];
    hn::Store(sumOf(i), d4, part);
    out[i] = (part[0] + part[2]) + (part[1] + part[3]);
  }
}
#endif

template <typename T>
void sampleTyped(const PaddedSource& source, const KernelTable& kx, const KernelTable& ky, const float* xs,
                 const float* ys, int count, float* out) {
  const T* first =
      static_cast<const T*>(source.origin) - (ky.taps / 2 - 1) * source.stride - (kx.taps / 2 - 1);
  Addresses at;
  for (int done = 0; done < count; done += kChunk) {
    const int n = std::min(kChunk, count - done);
    addressesOf(xs + done, ys + done, n, static_cast<int32_t>(source.stride), kx.padded, ky.padded, at);
#if HWY_TARGET != HWY_SCALAR
    if (ky.taps == 6 && kx.padded == 8) {
      sampleSix(first, source.stride, kx, ky, at, n, out + done);
      continue;
    }
#endif
    sampleChunk(first, source.stride, kx, ky, at, n, out + done);
  }
}

void sampleAny(const PaddedSource& source, const KernelTable& kx, const KernelTable& ky, const float* xs,
               const float* ys, int count, float* out) {
  if (source.bytes_per_sample == 1)
    sampleTyped<uint8_t>(source, kx, ky, xs, ys, count, out);
  else
    sampleTyped<uint16_t>(source, kx, ky, xs, ys, count, out);
}

#if HWY_TARGET != HWY_SCALAR
constexpr int kPart = 16;  // samples of a run that must lie, with their taps, within 32 columns

// Height of the run's curve over source column x: the parabola through three of its points.
struct Curve {
  float x0, x1, y0, slope, bend;
};

// Whole rows that the curve visits between columns x and x + width: cheaper than asking every lane.
struct RowReach {
  int base, span;
};
inline RowReach reachOf(const Curve& curve, float x, float width) {
  const float left = curve.y0 + (x - curve.x0) * (curve.slope + (x - curve.x1) * curve.bend);
  const float far = x + width;
  const float right = curve.y0 + (far - curve.x0) * (curve.slope + (far - curve.x1) * curve.bend);
  // A parabola leaves its chord by bend·width²/4; the rest is room for rounding. Never negative: plain
  // cells lie inside the picture, and 64 rows of shift make the cast round down even so.
  const float slack = std::abs(curve.bend) * width * width * 0.25F + 1e-3F;
  const int base = static_cast<int>(std::min(left, right) - slack + 64.0F) - 64;
  return {base, static_cast<int>(std::max(left, right) + slack + 64.0F) - 64 - base};
}

// Weights of all taps at phases u + ½, a tap and its mirror at once.
template <int kTaps, class D, class V>
HWY_INLINE void tapWeights(D d, const TapPolynomials& p, V u, V* HWY_RESTRICT weights) {
  const V square = hn::Mul(u, u);
#pragma GCC unroll 4
  for (int t = 0; t < kTaps / 2; ++t) {
    const float *even = p.even[t], *odd = p.odd[t];
    V e = hn::MulAdd(hn::Set(d, even[3]), square, hn::Set(d, even[2]));
    V o = hn::MulAdd(hn::Set(d, odd[2]), square, hn::Set(d, odd[1]));
    e = hn::MulAdd(e, square, hn::Set(d, even[1]));
    o = hn::MulAdd(o, square, hn::Set(d, odd[0]));
    e = hn::MulAdd(e, square, hn::Set(d, even[0]));
    weights[t] = hn::MulAdd(o, u, e);
    weights[kTaps - 1 - t] = hn::NegMulAdd(o, u, e);
  }
}

// One vector of columns; `rows_down` tells each lane how many rows below `top` its taps begin.
template <int kTaps, int kSpan, typename T, class D, class V>
V weighColumns(D d, const T* HWY_RESTRICT top, ptrdiff_t stride, const V* weights, V rows_down) {
  const hn::RebindToSigned<D> di;
  const hn::Rebind<T, D> dt;
  V rows[kTaps + kSpan];
#pragma GCC unroll 16
  for (int r = 0; r < kTaps + kSpan; ++r)
    rows[r] = hn::ConvertTo(d, hn::PromoteTo(di, hn::LoadU(dt, top + r * stride)));
  V result = hn::Zero(d);
#pragma GCC unroll 8
  for (int s = 0; s <= kSpan; ++s) {
    V sum = hn::Mul(rows[s], weights[0]);
#pragma GCC unroll 8
    for (int t = 1; t < kTaps; ++t) sum = hn::MulAdd(rows[s + t], weights[t], sum);
    result = s == 0 ? sum : hn::IfThenElse(hn::Eq(rows_down, hn::Set(d, static_cast<float>(s))), sum, result);
  }
  return result;
}

template <int kTaps, typename T>
bool columnsOf(const T* HWY_RESTRICT origin, ptrdiff_t stride, const TapPolynomials& ky, const Curve& curve,
               int first, int count, float* HWY_RESTRICT columns) {
  const hn::CappedTag<float, 16> d;
  using V = decltype(hn::Zero(d));
  const int lanes = static_cast<int>(hn::Lanes(d));
  const auto last = hn::Set(d, static_cast<float>(first + count - 1));
  for (int c = 0; c < count; c += lanes) {
    // Surplus columns repeat the last one: they are never used, but must not climb out of reach.
    const V x = hn::Min(hn::Iota(d, static_cast<float>(first + c)), last);
    const V inner =
        hn::MulAdd(hn::Sub(x, hn::Set(d, curve.x1)), hn::Set(d, curve.bend), hn::Set(d, curve.slope));
    const V y = hn::MulAdd(hn::Sub(x, hn::Set(d, curve.x0)), inner, hn::Set(d, curve.y0));
    const V whole = hn::Floor(y);
    const V u = hn::Sub(hn::Sub(y, whole), hn::Set(d, 0.5F));
    const RowReach reach = reachOf(curve, static_cast<float>(first + c), static_cast<float>(lanes - 1));
    V weights[kTaps];
    tapWeights<kTaps>(d, ky, u, weights);
    const V down = hn::Sub(whole, hn::Set(d, static_cast<float>(reach.base)));
    const T* HWY_RESTRICT top = origin + (reach.base - kTaps / 2 + 1) * stride + first + c;
    V sum;
    switch (reach.span) {
      case 0:
        sum = weighColumns<kTaps, 0>(d, top, stride, weights, down);
        break;
      case 1:
        sum = weighColumns<kTaps, 1>(d, top, stride, weights, down);
        break;
      case 2:
        sum = weighColumns<kTaps, 2>(d, top, stride, weights, down);
        break;
      case 3:
        sum = weighColumns<kTaps, 3>(d, top, stride, weights, down);
        break;
      case 4:
        sum = weighColumns<kTaps, 4>(d, top, stride, weights, down);
        break;
      default:
        return false;
    }
    hn::Store(sum, d, columns + c);
  }
  return true;
}

// Values at `index`, all within 32 columns.
template <class D, class VI>
HWY_INLINE auto pickSmoothColumns(D d, const float* HWY_RESTRICT columns, VI index) {
  const hn::RebindToSigned<D> di;
  if constexpr (hn::MaxLanes(d) == 16) {
    const auto within = hn::IndicesFromVec(d, hn::And(index, hn::Set(di, 15)));
    const auto low = hn::TableLookupLanes(hn::LoadU(d, columns), within);
    const auto high = hn::TableLookupLanes(hn::LoadU(d, columns + 16), within);
    return hn::IfThenElse(hn::RebindMask(d, hn::Gt(index, hn::Set(di, 15))), high, low);
  } else {
    return hn::GatherIndex(d, columns, index);
  }
}

template <int kTaps>
void alongCurve(const float* HWY_RESTRICT columns, int first, const TapPolynomials& kx,
                const float* HWY_RESTRICT xs, float* HWY_RESTRICT out) {
  const hn::CappedTag<float, 16> d;
  const hn::RebindToSigned<decltype(d)> di;
  for (int i = 0; i < kSmoothRun; i += static_cast<int>(hn::Lanes(d))) {
    const auto x = hn::LoadU(d, xs + i);
    const auto whole = hn::Floor(x);
    const auto u = hn::Sub(hn::Sub(x, whole), hn::Set(d, 0.5F));
    // Lanes are read from the first one's columns on. A map that turns back inside the run would leave
    // them: wrong it may be, never out of bounds.
    const int start = std::clamp(static_cast<int>(xs[i]) - kTaps / 2 + 1, first, first + kSmoothColumns - 32);
    auto index = hn::Sub(hn::ConvertTo(di, whole), hn::Set(di, start + kTaps / 2 - 1));
    index = hn::Min(hn::Max(index, hn::Zero(di)), hn::Set(di, 32 - kTaps));
    const float* HWY_RESTRICT from = columns + (start - first);
    decltype(hn::Zero(d)) weights[kTaps];
    tapWeights<kTaps>(d, kx, u, weights);
    auto sum = hn::Mul(pickSmoothColumns(d, from, index), weights[0]);
#pragma GCC unroll 8
    for (int t = 1; t < kTaps; ++t) {
      index = hn::Add(index, hn::Set(di, 1));
      sum = hn::MulAdd(pickSmoothColumns(d, from, index), weights[t], sum);
    }
    hn::StoreU(sum, d, out + i);
  }
}

template <typename T>
bool smoothTyped(const PaddedSource& source, const TapPolynomials& kx, const TapPolynomials& ky,
                 const float* xs, const float* ys, float* out) {
  constexpr int kMiddle = kSmoothRun / 2, kLast = kSmoothRun - 1;
  const float left = xs[kMiddle] - xs[0], right = xs[kLast] - xs[kMiddle], width = left + right;
  // Floors are written as casts: positions of plain cells are not negative.
  const int first = static_cast<int>(xs[0]) - kx.taps / 2 + 1;
  const int count = static_cast<int>(xs[kLast]) + kx.taps / 2 + 1 - first;
  if (left < 1 || right < 1 || count > kSmoothColumns) return false;
  for (int part = 0; part < kSmoothRun; part += kPart)
    if (!(xs[part + kPart - 1] - xs[part] <= 32.0F - 9)) return false;
  const float slope = (ys[kMiddle] - ys[0]) / left, slope2 = (ys[kLast] - ys[kMiddle]) / right;
  const Curve curve{xs[0], xs[kMiddle], ys[0], slope, (slope2 - slope) / width};
  const float steep = std::max(std::abs(slope), std::abs(slope2)) + std::abs(slope2 - slope);
  if (!(steep <= kSmoothSteepest)) return false;
  HWY_ALIGN float columns[kSmoothColumns] = {};
  const T* origin = static_cast<const T*>(source.origin);
  const bool done = ky.taps == 6 ? columnsOf<6>(origin, source.stride, ky, curve, first, count, columns)
                                 : columnsOf<8>(origin, source.stride, ky, curve, first, count, columns);
  if (!done) return false;
  if (kx.taps == 6)
    alongCurve<6>(columns, first, kx, xs, out);
  else
    alongCurve<8>(columns, first, kx, xs, out);
  return true;
}
#endif

template <typename T>
void smoothRuns([[maybe_unused]] const PaddedSource& source, std::span<SmoothRun> runs,
                [[maybe_unused]] const float* xs, [[maybe_unused]] const float* ys,
                [[maybe_unused]] float* out) {
  for (size_t i = 0; i < runs.size(); ++i) {
    SmoothRun& run = runs[i];
    run.taken = false;
#if HWY_TARGET != HWY_SCALAR
    if (run.x == nullptr) continue;
    const size_t at = i * kSmoothRun;
    run.taken = smoothTyped<T>(source, *run.x, *run.y, xs + at, ys + at, out + at);
#endif
  }
}

void smoothBytes(const PaddedSource& source, std::span<SmoothRun> runs, const float* xs, const float* ys,
                 float* out) {
  smoothRuns<uint8_t>(source, runs, xs, ys, out);
}
void smoothWords(const PaddedSource& source, std::span<SmoothRun> runs, const float* xs, const float* ys,
                 float* out) {
  smoothRuns<uint16_t>(source, runs, xs, ys, out);
}

void placeAny(const CubicRow& row, std::span<const CubicStretch> stretches, float* HWY_RESTRICT xs,
              float* HWY_RESTRICT ys) {
  const hn::CappedTag<float, kSurplus> d;
  using V = decltype(hn::Zero(d));
  const int lanes = static_cast<int>(hn::Lanes(d));
  const V low = hn::Set(d, row.low), high_x = hn::Set(d, row.high_x), high_y = hn::Set(d, row.high_y);
  // Lagrange's weights for points −1, 0, 1, 2; nearly all stretches begin at the same t and share them.
  V w0 = low, w1 = low, w2 = low, w3 = low;
  const auto weigh = [&](float t) HWY_ATTR {
    const V at = hn::MulAdd(hn::Iota(d, 0.0F), hn::Set(d, row.step), hn::Set(d, t));
    const V one = hn::Set(d, 1.0F), back = hn::Sub(at, one), far = hn::Sub(back, one),
            ahead = hn::Add(at, one);
    w0 = hn::Mul(hn::Mul(at, back), hn::Mul(far, hn::Set(d, -1.0F / 6)));
    w1 = hn::Mul(hn::Mul(ahead, back), hn::Mul(far, hn::Set(d, 0.5F)));
    w2 = hn::Mul(hn::Mul(ahead, at), hn::Mul(far, hn::Set(d, -0.5F)));
    w3 = hn::Mul(hn::Mul(ahead, at), hn::Mul(back, hn::Set(d, 1.0F / 6)));
  };
  const auto place = [&](const float* g, float scale, float offset, V high) HWY_ATTR {
    V v = hn::Mul(w0, hn::Set(d, g[0]));
    v = hn::MulAdd(w1, hn::Set(d, g[1]), v);
    v = hn::MulAdd(w2, hn::Set(d, g[2]), v);
    v = hn::MulAdd(w3, hn::Set(d, g[3]), v);
    v = hn::Sub(hn::Mul(v, hn::Set(d, scale)), hn::Set(d, offset));
    return hn::Min(hn::Max(v, low), high);
  };
  float weighed = -1e30F;
  for (const CubicStretch& stretch : stretches)
    for (int i = stretch.first; i < stretch.end; i += lanes) {
      const float t = stretch.t + row.step * static_cast<float>(i - stretch.first);
      if (t != weighed) weigh(t);
      weighed = t;
      hn::StoreU(place(row.gx + stretch.column, row.scale_x, row.offset_x, high_x), d, xs + i);
      hn::StoreU(place(row.gy + stretch.column, row.scale_y, row.offset_y, high_y), d, ys + i);
    }
}

template <typename T>
void storeTyped(const float* HWY_RESTRICT values, float gain, float max, int count, T* HWY_RESTRICT to) {
  const hn::CappedTag<float, 16> d;
  const hn::Rebind<T, decltype(d)> dt;
  const int lanes = static_cast<int>(hn::Lanes(d));
  const auto vmax = hn::Set(d, max);
  int i = 0;
  for (; i + lanes <= count; i += lanes) {
    const auto v = hn::Min(hn::Max(hn::Mul(hn::LoadU(d, values + i), hn::Set(d, gain)), hn::Zero(d)), vmax);
    hn::StoreU(hn::DemoteTo(dt, hn::NearestInt(v)), dt, to + i);
  }
  for (; i < count; ++i)
    to[i] = static_cast<T>(std::nearbyint(std::min(std::max(values[i] * gain, 0.0F), max)));
}

void storeBytes(const float* values, float gain, float max, int count, uint8_t* to) {
  storeTyped(values, gain, max, count, to);
}
void storeWords(const float* values, float gain, float max, int count, uint16_t* to) {
  storeTyped(values, gain, max, count, to);
}

}  // namespace glenhaze::detail::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace glenhaze::detail {

HWY_EXPORT(sampleAny);
HWY_EXPORT(smoothBytes);
HWY_EXPORT(smoothWords);
HWY_EXPORT(placeAny);
HWY_EXPORT(storeBytes);
HWY_EXPORT(storeWords);

void sampleRun(const PaddedSource& source, const KernelTable& kx, const KernelTable& ky, const float* xs,
               const float* ys, int count, float* out) {
  HWY_DYNAMIC_DISPATCH(sampleAny)(source, kx, ky, xs, ys, count, out);
}

void sampleSmoothRuns(const PaddedSource& source, std::span<SmoothRun> runs, const float* xs, const float* ys,
                      float* out) {
  if (source.bytes_per_sample == 1)
    HWY_DYNAMIC_DISPATCH(smoothBytes)(source, runs, xs, ys, out);
  else
    HWY_DYNAMIC_DISPATCH(smoothWords)(source, runs, xs, ys, out);
}

void placeCubics(const CubicRow& row, std::span<const CubicStretch> stretches, float* xs, float* ys) {
  HWY_DYNAMIC_DISPATCH(placeAny)(row, stretches, xs, ys);
}

void storeSamples(const float* values, float gain, float max, int count, uint8_t* to) {
  HWY_DYNAMIC_DISPATCH(storeBytes)(values, gain, max, count, to);
}
void storeSamples(const float* values, float gain, float max, int count, uint16_t* to) {
  HWY_DYNAMIC_DISPATCH(storeWords)(values, gain, max, count, to);
}

namespace {

template <typename T>
void referenceTyped(const PaddedSource& source, const KernelTable& kx, const KernelTable& ky, const float* xs,
                    const float* ys, int count, float* out) {
  const auto* origin = static_cast<const T*>(source.origin);
  for (int i = 0; i < count; ++i) {
    const int fixed_x = static_cast<int>(std::nearbyint(xs[i] * 256.0F));
    const int fixed_y = static_cast<int>(std::nearbyint(ys[i] * 256.0F));
    double sum = 0;
    for (int ty = 0; ty < ky.taps; ++ty)
      for (int tx = 0; tx < kx.taps; ++tx) {
        const ptrdiff_t at =
            ((fixed_y >> 8) - ky.taps / 2 + 1 + ty) * source.stride + (fixed_x >> 8) - kx.taps / 2 + 1 + tx;
        sum += static_cast<double>(ky.weights[(fixed_y & 255) * ky.padded + ty]) *
               static_cast<double>(kx.weights[(fixed_x & 255) * kx.padded + tx]) *
               static_cast<double>(origin[at]);
      }
    out[i] = static_cast<float>(sum);
  }
}

}  // namespace

void sampleRunReference(const PaddedSource& source, const KernelTable& kx, const KernelTable& ky,
                        const float* xs, const float* ys, int count, float* out) {
  if (source.bytes_per_sample == 1)
    referenceTyped<uint8_t>(source, kx, ky, xs, ys, count, out);
  else
    referenceTyped<uint16_t>(source, kx, ky, xs, ys, count, out);
}

}  // namespace glenhaze::detail
#endif
