#include "core/pipeline/detail/sample_kernel.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/pipeline/detail/sample_kernel.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include <cmath>

HWY_BEFORE_NAMESPACE();
namespace glenhaze::detail::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

template <typename T>
void sampleTyped(const PaddedSource& source, const KernelTable& kx, const KernelTable& ky,
                 const float* HWY_RESTRICT xs, const float* HWY_RESTRICT ys, int count,
                 float* HWY_RESTRICT out) {
  const hn::CappedTag<float, 8> d;
  const hn::RebindToSigned<decltype(d)> di;
  const hn::Rebind<T, decltype(d)> dt;
  const int lanes = static_cast<int>(hn::Lanes(d));
  const auto* origin = static_cast<const T*>(source.origin);
  const ptrdiff_t stride = source.stride;
  for (int i = 0; i < count; ++i) {
    const int fixed_x = static_cast<int>(std::floor(xs[i] * 256.0F + 0.5F));
    const int fixed_y = static_cast<int>(std::floor(ys[i] * 256.0F + 0.5F));
    const float* wx = kx.weights + (fixed_x & 255) * kx.padded;
    const float* wy = ky.weights + (fixed_y & 255) * ky.padded;
    const T* first = origin + ((fixed_y >> 8) - ky.taps / 2 + 1) * stride + (fixed_x >> 8) - kx.taps / 2 + 1;
    auto total = hn::Zero(d);
    for (int tx = 0; tx < kx.taps; tx += lanes) {
      const T* at = first + tx;
      auto even = hn::Zero(d);
      auto odd = hn::Zero(d);
      // Tap counts are even, so rows go in pairs with two independent sums.
      for (int ty = 0; ty < ky.taps; ty += 2) {
        const auto a = hn::ConvertTo(d, hn::PromoteTo(di, hn::LoadU(dt, at)));
        const auto b = hn::ConvertTo(d, hn::PromoteTo(di, hn::LoadU(dt, at + stride)));
        even = hn::MulAdd(a, hn::Set(d, wy[ty]), even);
        odd = hn::MulAdd(b, hn::Set(d, wy[ty + 1]), odd);
        at += 2 * stride;
      }
      total = hn::MulAdd(hn::Add(even, odd), hn::LoadU(d, wx + tx), total);
    }
    out[i] = hn::GetLane(hn::SumOfLanes(d, total));
  }
}

void sampleAny(const PaddedSource& source, const KernelTable& kx, const KernelTable& ky, const float* xs,
               const float* ys, int count, float* out) {
  if (source.bytes_per_sample == 1)
    sampleTyped<uint8_t>(source, kx, ky, xs, ys, count, out);
  else
    sampleTyped<uint16_t>(source, kx, ky, xs, ys, count, out);
}

}  // namespace glenhaze::detail::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace glenhaze::detail {

HWY_EXPORT(sampleAny);

void sampleRun(const PaddedSource& source, const KernelTable& kx, const KernelTable& ky, const float* xs,
               const float* ys, int count, float* out) {
  HWY_DYNAMIC_DISPATCH(sampleAny)(source, kx, ky, xs, ys, count, out);
}

namespace {

template <typename T>
void referenceTyped(const PaddedSource& source, const KernelTable& kx, const KernelTable& ky, const float* xs,
                    const float* ys, int count, float* out) {
  const auto* origin = static_cast<const T*>(source.origin);
  for (int i = 0; i < count; ++i) {
    const int fixed_x = static_cast<int>(std::floor(xs[i] * 256.0F + 0.5F));
    const int fixed_y = static_cast<int>(std::floor(ys[i] * 256.0F + 0.5F));
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
