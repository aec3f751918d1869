#include "core/finish/detail/shimmer_kernel.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/finish/detail/shimmer_kernel.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include <array>
#include <cmath>
#include <numbers>

#include "core/base/instruction_set.h"

// Compiled once per instruction set and chosen at run time.
HWY_BEFORE_NAMESPACE();
namespace glenhaze::detail::HWY_NAMESPACE {

namespace hn = hwy::HWY_NAMESPACE;

void fetchFine(const int16_t* HWY_RESTRICT from, ptrdiff_t stride, const float* HWY_RESTRICT across,
               const float* HWY_RESTRICT down, float* HWY_RESTRICT to) {
  static_assert(kFineTaps == 8);
  constexpr int kWide = 2 * kFineCell;
  const hn::CappedTag<float, kFineCell> floats;
  const hn::Rebind<int16_t, decltype(floats)> shorts;
  const hn::RebindToSigned<decltype(floats)> ints;
  const auto lanes = static_cast<int>(hn::Lanes(floats));
  // Down first: lines across are then long since written when they are read between their halves, which a
  // processor cannot do while they are on their way.
  HWY_ALIGN float lines[kFineCell][kWide];
  const int16_t* first = from - kFineLeft * stride - kFineLeft;
  for (int i = 0; i < kWide; i += lanes) {
    const auto read = [&](int j) {
      return hn::ConvertTo(floats, hn::PromoteTo(ints, hn::LoadU(shorts, first + j * stride + i)));
    };
    auto r0 = read(0), r1 = read(1), r2 = read(2), r3 = read(3), r4 = read(4), r5 = read(5), r6 = read(6);
    const auto weighted = [&](int t, auto row, auto sum) {
      return hn::MulAdd(hn::Set(floats, down[t]), row, sum);
    };
    for (int j = 0; j < kFineCell; ++j) {
      const auto r7 = read(j + 7);
      auto sum = hn::Mul(hn::Set(floats, down[0]), r0);
      sum = weighted(1, r1, sum), sum = weighted(2, r2, sum), sum = weighted(3, r3, sum);
      sum = weighted(4, r4, sum), sum = weighted(5, r5, sum), sum = weighted(6, r6, sum);
      hn::Store(weighted(7, r7, sum), floats, lines[j] + i);
      r0 = r1, r1 = r2, r2 = r3, r3 = r4, r4 = r5, r5 = r6, r6 = r7;
    }
  }
  for (int j = 0; j < kFineCell; ++j)
    for (int i = 0; i < kFineCell; i += lanes) {
      auto sum = hn::Mul(hn::Set(floats, across[0]), hn::Load(floats, lines[j] + i));
      for (int t = 1; t < kFineTaps; ++t)
        sum = hn::MulAdd(hn::Set(floats, across[t]), hn::LoadU(floats, lines[j] + i + t), sum);
      hn::StoreU(sum, floats, to + j * kFineCell + i);
    }
}

}  // namespace glenhaze::detail::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE

namespace glenhaze::detail {

namespace {

HWY_EXPORT(fetchFine);

std::array<float, kFineTaps> tapsAt(int phase) {
  constexpr double kPi = std::numbers::pi;
  std::array<double, kFineTaps> taps{};
  double sum = 0;
  for (int i = 0; i < kFineTaps; ++i) {
    const double x = i - kFineLeft - static_cast<double>(phase) / kFinePhases;
    const double sinc = x == 0 ? 1 : std::sin(kPi * x) / (kPi * x);
    taps[static_cast<size_t>(i)] = sinc * 0.5 * (1 + std::cos(kPi * x / (kFineTaps / 2)));
    sum += taps[static_cast<size_t>(i)];
  }
  std::array<float, kFineTaps> shares{};
  for (size_t i = 0; i < kFineTaps; ++i) shares[i] = static_cast<float>(taps[i] / sum);
  return shares;
}

}  // namespace

FineFetch::FineFetch() {
  chooseInstructionSet();
  here_ = HWY_DYNAMIC_DISPATCH(fetchFine);
  for (size_t phase = 0; phase < kFinePhases; ++phase) taps_[phase] = tapsAt(static_cast<int>(phase));
}

}  // namespace glenhaze::detail

#endif  // HWY_ONCE
