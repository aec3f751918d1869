#include "core/noise/detail/motion_kernel.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/noise/detail/motion_kernel.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include <algorithm>
#include <cstdlib>

#include "core/base/instruction_set.h"
#include "core/noise/detail/motion_field.h"
#include "core/noise/detail/planes.h"

// Compiled once per instruction set and chosen at run time.
HWY_BEFORE_NAMESPACE();
namespace glenhaze::detail::HWY_NAMESPACE {

namespace hn = hwy::HWY_NAMESPACE;

#if HWY_TARGET != HWY_SCALAR
// Of each eight bytes.
HWY_INLINE auto absoluteSums(hn::Vec<hn::FixedTag<uint8_t, 16>> p, hn::Vec<hn::FixedTag<uint8_t, 16>> q) {
#if HWY_ARCH_X86
  // One instruction, which this Highway has no name for.
  return hn::Vec<hn::FixedTag<uint64_t, 2>>{_mm_sad_epu8(p.raw, q.raw)};
#else
  return hn::SumsOf8(hn::Sub(hn::Max(p, q), hn::Min(p, q)));
#endif
}
#endif

int blockDifference(const uint8_t* HWY_RESTRICT a, ptrdiff_t a_stride, const uint8_t* HWY_RESTRICT b,
                    ptrdiff_t b_stride) {
#if HWY_TARGET == HWY_SCALAR
  int sum = 0;
  for (int y = 0; y < kBlock; ++y, a += a_stride, b += b_stride)
    for (int x = 0; x < kBlock; ++x) sum += a[x] > b[x] ? a[x] - b[x] : b[x] - a[x];
  return sum;
#else
  const hn::FixedTag<uint8_t, kBlock> bytes;
  const hn::FixedTag<uint64_t, kBlock / 8> words;
  auto sums = hn::Zero(words), others = sums;
  const auto of = [&](int y) HWY_ATTR {
    return absoluteSums(hn::LoadU(bytes, a + y * a_stride), hn::LoadU(bytes, b + y * b_stride));
  };
#pragma GCC unroll 8
  for (int y = 0; y < kBlock; y += 2) {
    sums = hn::Add(sums, of(y));
    others = hn::Add(others, of(y + 1));
  }
  return static_cast<int>(hn::GetLane(hn::SumOfLanes(words, hn::Add(sums, others))));
#endif
}

void cellDifferences(const uint8_t* HWY_RESTRICT a, ptrdiff_t a_stride, const uint8_t* HWY_RESTRICT b,
                     ptrdiff_t b_stride, int reach, uint16_t* HWY_RESTRICT left,
                     uint16_t* HWY_RESTRICT right) {
  int k = 0;
#if HWY_TARGET == HWY_SCALAR
  for (int dy = -reach; dy <= reach; ++dy)
    for (int dx = -reach; dx <= reach; ++dx, ++k) {
      int sums[2] = {};
      for (int y = 0; y < kStep; ++y)
        for (int x = 0; x < 2 * kStep; ++x)
          sums[x / kStep] += std::abs(a[y * a_stride + x] - b[(y + dy) * b_stride + x + dx]);
      left[k] = static_cast<uint16_t>(sums[0]);
      right[k] = static_cast<uint16_t>(sums[1]);
    }
#else
  static_assert(2 * kStep == 16);
  const hn::FixedTag<uint8_t, 2 * kStep> bytes;
  const hn::FixedTag<uint64_t, 2> words;
  hn::Vec<decltype(bytes)> own[kStep];
  for (int y = 0; y < kStep; ++y) own[y] = hn::LoadU(bytes, a + y * a_stride);
  for (int dy = -reach; dy <= reach; ++dy)
    for (int dx = -reach; dx <= reach; ++dx, ++k) {
      const uint8_t* at = b + dy * b_stride + dx;
      const auto of = [&](int y)
                          HWY_ATTR { return absoluteSums(own[y], hn::LoadU(bytes, at + y * b_stride)); };
      auto sums = of(0), others = of(1);
#pragma GCC unroll 8
      for (int y = 2; y < kStep; y += 2) {
        sums = hn::Add(sums, of(y));
        others = hn::Add(others, of(y + 1));
      }
      HWY_ALIGN uint64_t both[2];
      hn::Store(hn::Add(sums, others), words, both);
      left[k] = static_cast<uint16_t>(both[0]);
      right[k] = static_cast<uint16_t>(both[1]);
    }
#endif
}

int cheapest(const uint16_t* const* cells, const float* HWY_RESTRICT leave, const float* HWY_RESTRICT away,
             int count, int before) {
  const hn::CappedTag<float, kCheapestAtOnce> lanes;
  const hn::Rebind<uint16_t, decltype(lanes)> narrow;
  const hn::RebindToSigned<decltype(lanes)> whole;
  constexpr int kLanes = static_cast<int>(hn::MaxLanes(hn::CappedTag<float, kCheapestAtOnce>()));
  const auto costs = [&](int k) HWY_ATTR {
    const auto of = [&](int i) HWY_ATTR { return hn::LoadU(narrow, cells[i] + k); };
    const auto sum = hn::Add(hn::Add(of(0), of(1)), hn::Add(of(2), of(3)));
    return hn::Add(hn::Add(hn::ConvertTo(lanes, hn::PromoteTo(whole, sum)), hn::LoadU(lanes, leave + k)),
                   hn::LoadU(lanes, away + k));
  };
  auto lowest = costs(0);
  for (int k = kLanes; k < count; k += kLanes) lowest = hn::Min(lowest, costs(k));
  const float least = hn::GetLane(hn::MinOfLanes(lanes, lowest));
  const auto costs_so = [&](int k) {
    const int sum = cells[0][k] + cells[1][k] + cells[2][k] + cells[3][k];
    return static_cast<float>(sum) + leave[k] + away[k] == least;
  };
  if (costs_so(before)) return before;
  int k = 0;
  while (k + 1 < count && !costs_so(k)) ++k;
  return k;
}

int cellSum(const int16_t* HWY_RESTRICT a, ptrdiff_t a_stride, const int16_t* HWY_RESTRICT b,
            ptrdiff_t b_stride) {
  const hn::CappedTag<int16_t, kStep> lanes;
  constexpr int kWide = static_cast<int>(hn::MaxLanes(hn::CappedTag<int16_t, kStep>()));
  int sum = 0;
  for (int x = 0; x < kStep; x += kWide) {
    auto column = hn::Zero(lanes);
    for (int y = 0; y < kStep; ++y) {
      const auto p = hn::LoadU(lanes, a + y * a_stride + x), q = hn::LoadU(lanes, b + y * b_stride + x);
      column = hn::Add(column, hn::Sub(hn::Max(p, q), hn::Min(p, q)));
    }
    HWY_ALIGN int16_t each[kStep];
    hn::Store(column, lanes, each);
    for (int i = 0; i < kWide; ++i) sum += each[i];
  }
  return sum;
}

template <bool kAgain>
HWY_INLINE void sumsOfStep(const int16_t* HWY_RESTRICT a, ptrdiff_t a_stride, const int16_t* HWY_RESTRICT b,
                           ptrdiff_t b_stride, float fx, float fy, float* HWY_RESTRICT sums) {
  // Gradients are taken over two samples.
  constexpr float kOne = 1.0F / (kSoftUnit * kSoftUnit), kHalf = kOne / 2, kQuarter = kOne / 4;
  constexpr float kScale[6] = {kQuarter, kQuarter, kQuarter, kHalf, kHalf, kOne};
#if HWY_TARGET == HWY_SCALAR
  constexpr int kFirst = kAgain ? 3 : 0;
  std::fill(sums + kFirst, sums + 6, 0.0F);
  for (int y = 0; y < kBlock; ++y)
    for (int x = 0; x < kBlock; ++x) {
      const int16_t *p = a + y * a_stride + x, *q = b + y * b_stride + x;
      const auto gx = static_cast<float>(p[1] - p[-1]), gy = static_cast<float>(p[a_stride] - p[-a_stride]);
      const auto d =
          static_cast<float>(p[0]) -
          ((1 - fx) * (1 - fy) * static_cast<float>(q[0]) + fx * (1 - fy) * static_cast<float>(q[1]) +
           (1 - fx) * fy * static_cast<float>(q[b_stride]) + fx * fy * static_cast<float>(q[b_stride + 1]));
      const float products[6] = {gx * gx, gx * gy, gy * gy, gx * d, gy * d, d * d};
      for (int i = kFirst; i < 6; ++i) sums[i] += kScale[i] * products[i];
    }
#else
  const hn::CappedTag<int16_t, kBlock> lanes;
  const hn::RepartitionToWide<decltype(lanes)> wide;
  const hn::RebindToFloat<decltype(wide)> floats;
  constexpr int kWide = static_cast<int>(hn::MaxLanes(hn::CappedTag<int16_t, kBlock>()));
  // Samples to the blocks that come next: as many rows as a block has are more than processors foresee.
  constexpr int kAhead = 96;
  const auto share = [](float f) {
    return static_cast<int16_t>(std::min(32767, static_cast<int>(f * 32768 + 0.5F)));
  };
  const auto right = hn::Set(lanes, share(fx)), down = hn::Set(lanes, share(fy));
  auto xx = hn::Zero(wide), xy = xx, yy = xx, xd = xx, yd = xx, dd = xx;
  // Where instructions leave two sums for one, the second goes here.
  auto xx2 = xx, xy2 = xx, yy2 = xx, xd2 = xx, yd2 = xx, dd2 = xx;
  for (int x = 0; x < kBlock; x += kWide) {
    const int16_t *from = a + x, *to = b + x;
    const auto across = [&](const int16_t* row) HWY_ATTR {
      const auto left = hn::LoadU(lanes, row);
      return hn::Add(left, hn::MulFixedPoint15(hn::Sub(hn::LoadU(lanes, row + 1), left), right));
    };
    auto above = hn::LoadU(lanes, from - a_stride), here = hn::LoadU(lanes, from);
    auto upper = across(to);
    for (int y = 0; y < kBlock; ++y, from += a_stride) {
      to += b_stride;
      __builtin_prefetch(from + kAhead);
      __builtin_prefetch(to + kAhead);
      const auto below = hn::LoadU(lanes, from + a_stride);
      const auto lower = across(to);
      const auto gx = hn::Sub(hn::LoadU(lanes, from + 1), hn::LoadU(lanes, from - 1));
      const auto gy = hn::Sub(below, above);
      const auto d = hn::Sub(here, hn::Add(upper, hn::MulFixedPoint15(hn::Sub(lower, upper), down)));
      if constexpr (!kAgain) {
        xx = hn::ReorderWidenMulAccumulate(wide, gx, gx, xx, xx2);
        xy = hn::ReorderWidenMulAccumulate(wide, gx, gy, xy, xy2);
        yy = hn::ReorderWidenMulAccumulate(wide, gy, gy, yy, yy2);
      }
      xd = hn::ReorderWidenMulAccumulate(wide, gx, d, xd, xd2);
      yd = hn::ReorderWidenMulAccumulate(wide, gy, d, yd, yd2);
      dd = hn::ReorderWidenMulAccumulate(wide, d, d, dd, dd2);
      above = here;
      here = below;
      upper = lower;
    }
  }
  const auto total = [&](auto one, auto two) HWY_ATTR {
    return hn::GetLane(hn::SumOfLanes(floats, hn::ConvertTo(floats, hn::Add(one, two))));
  };
  const auto store = [&](int i, auto one, auto two) HWY_ATTR { sums[i] = kScale[i] * total(one, two); };
  if constexpr (!kAgain) {
    store(0, xx, xx2);
    store(1, xy, xy2);
    store(2, yy, yy2);
  }
  store(3, xd, xd2);
  store(4, yd, yd2);
  store(5, dd, dd2);
#endif
}

void gradientSums(const int16_t* a, ptrdiff_t a_stride, const int16_t* b, ptrdiff_t b_stride, float fx,
                  float fy, bool again, float* sums) {
  if (again)
    sumsOfStep<true>(a, a_stride, b, b_stride, fx, fy, sums);
  else
    sumsOfStep<false>(a, a_stride, b, b_stride, fx, fy, sums);
}

}  // namespace glenhaze::detail::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace glenhaze::detail {

HWY_EXPORT(blockDifference);
HWY_EXPORT(cellDifferences);
HWY_EXPORT(cheapest);
HWY_EXPORT(gradientSums);
HWY_EXPORT(cellSum);

MotionKernels motionKernels() {
  chooseInstructionSet();
  return {HWY_DYNAMIC_DISPATCH(blockDifference), HWY_DYNAMIC_DISPATCH(cellDifferences),
          HWY_DYNAMIC_DISPATCH(cheapest), HWY_DYNAMIC_DISPATCH(gradientSums), HWY_DYNAMIC_DISPATCH(cellSum)};
}

}  // namespace glenhaze::detail
#endif
