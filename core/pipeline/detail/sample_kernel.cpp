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
      const auto load = [&](const T* p) HWY_ATTR { return hn::ConvertTo(d, hn::PromoteTo(di, hn::LoadU(dt, p))); };
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
  const T* first = static_cast<const T*>(source.origin) - (ky.taps / 2 - 1) * source.stride - (kx.taps / 2 - 1);
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

void cubicAny(const CubicRun& x, const CubicRun& y, float t, float step, int count, float* xs, float* ys) {
  const hn::CappedTag<float, 8> d;
  const int lanes = static_cast<int>(hn::Lanes(d));
  const auto evaluate = [&](const CubicRun& c, decltype(hn::Zero(d)) at) {
    auto v = hn::MulAdd(hn::Set(d, c.a[3]), at, hn::Set(d, c.a[2]));
    v = hn::MulAdd(v, at, hn::Set(d, c.a[1]));
    v = hn::MulAdd(v, at, hn::Set(d, c.a[0]));
    return hn::Min(hn::Max(v, hn::Set(d, c.low)), hn::Set(d, c.high));
  };
  auto at = hn::MulAdd(hn::Iota(d, 0.0F), hn::Set(d, step), hn::Set(d, t));
  const auto advance = hn::Set(d, step * static_cast<float>(lanes));
  for (int i = 0; i < count; i += lanes) {
    hn::StoreU(evaluate(x, at), d, xs + i);
    hn::StoreU(evaluate(y, at), d, ys + i);
    at = hn::Add(at, advance);
  }
}

template <typename T>
void storeTyped(const float* HWY_RESTRICT values, float gain, float max, int count, T* HWY_RESTRICT to) {
  const hn::CappedTag<float, 8> d;
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
HWY_EXPORT(cubicAny);
HWY_EXPORT(storeBytes);
HWY_EXPORT(storeWords);

void sampleRun(const PaddedSource& source, const KernelTable& kx, const KernelTable& ky, const float* xs,
               const float* ys, int count, float* out) {
  HWY_DYNAMIC_DISPATCH(sampleAny)(source, kx, ky, xs, ys, count, out);
}

void cubicPositions(const CubicRun& x, const CubicRun& y, float t, float step, int count, float* xs, float* ys) {
  HWY_DYNAMIC_DISPATCH(cubicAny)(x, y, t, step, count, xs, ys);
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
        const ptrdiff_t at = ((fixed_y >> 8) - ky.taps / 2 + 1 + ty) * source.stride + (fixed_x >> 8) -
                             kx.taps / 2 + 1 + tx;
        sum += static_cast<double>(ky.weights[(fixed_y & 255) * ky.padded + ty]) *
               static_cast<double>(kx.weights[(fixed_x & 255) * kx.padded + tx]) * static_cast<double>(origin[at]);
      }
    out[i] = static_cast<float>(sum);
  }
}

}  // namespace

void sampleRunReference(const PaddedSource& source, const KernelTable& kx, const KernelTable& ky, const float* xs,
                        const float* ys, int count, float* out) {
  if (source.bytes_per_sample == 1)
    referenceTyped<uint8_t>(source, kx, ky, xs, ys, count, out);
  else
    referenceTyped<uint16_t>(source, kx, ky, xs, ys, count, out);
}

}  // namespace glenhaze::detail
#endif
