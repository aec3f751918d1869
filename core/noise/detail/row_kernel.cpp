#include "core/noise/detail/row_kernel.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/noise/detail/row_kernel.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include <algorithm>

#include "core/noise/detail/planes.h"

// Compiled once per instruction set and chosen at run time.
HWY_BEFORE_NAMESPACE();
namespace glenhaze::detail::HWY_NAMESPACE {

namespace hn = hwy::HWY_NAMESPACE;

static_assert(kSampleUnit == 64 && kSoftUnit == 16);
using Narrow = hn::CappedTag<uint16_t, 32>;
using Signed = hn::RebindToSigned<Narrow>;
using Bytes = hn::Rebind<uint8_t, Narrow>;

void roundHere(const int16_t* HWY_RESTRICT from, int count, uint8_t* HWY_RESTRICT to) {
  const Signed d;
  const int lanes = static_cast<int>(hn::Lanes(d));
  int x = 0;
  for (; x + lanes <= count; x += lanes) {
    const auto v = hn::ShiftRight<6>(hn::Add(hn::LoadU(d, from + x), hn::Set(d, int16_t{kSampleUnit / 2})));
    hn::StoreU(hn::DemoteTo(Bytes(), v), Bytes(), to + x);
  }
  for (; x < count; ++x) to[x] = static_cast<uint8_t>(std::clamp((from[x] + kSampleUnit / 2) >> 6, 0, 255));
}

void halveHere(const uint8_t* HWY_RESTRICT upper, const uint8_t* HWY_RESTRICT lower, int count,
               uint8_t* HWY_RESTRICT to) {
  int x = 0;
#if HWY_TARGET != HWY_SCALAR
  const Narrow d;
  const hn::Repartition<uint8_t, Narrow> pairs;
  const Signed whole;
  const int lanes = static_cast<int>(hn::Lanes(d));
  // Two bytes beside each other are one lane.
  const auto sumOf = [&](const uint8_t* at) HWY_ATTR {
    const auto both = hn::BitCast(d, hn::LoadU(pairs, at));
    return hn::Add(hn::And(both, hn::Set(d, uint16_t{255})), hn::ShiftRight<8>(both));
  };
  for (; x + lanes <= count; x += lanes) {
    const auto sum = hn::Add(hn::Add(sumOf(upper + 2 * x), sumOf(lower + 2 * x)), hn::Set(d, uint16_t{2}));
    hn::StoreU(hn::DemoteTo(Bytes(), hn::BitCast(whole, hn::ShiftRight<2>(sum))), Bytes(), to + x);
  }
#endif
  for (; x < count; ++x)
    to[x] =
        static_cast<uint8_t>((upper[2 * x] + upper[2 * x + 1] + lower[2 * x] + lower[2 * x + 1] + 2) >> 2);
}

void softenHere(const int16_t* HWY_RESTRICT above, const int16_t* HWY_RESTRICT row,
                const int16_t* HWY_RESTRICT below, int count, uint16_t* HWY_RESTRICT scratch,
                int16_t* HWY_RESTRICT to) {
  const Narrow d;
  const Signed whole;
  const int lanes = static_cast<int>(hn::Lanes(d));
  // Four times 14 bits just fit, also without their sign.
  int x = 0;
  const auto at = [&](const int16_t* from) HWY_ATTR { return hn::BitCast(d, hn::LoadU(whole, from + x)); };
  for (; x + lanes <= count + 2; x += lanes) {
    const auto middle = at(row - 1);
    hn::StoreU(hn::ShiftRight<2>(hn::Add(hn::Add(at(above - 1), at(below - 1)), hn::Add(middle, middle))), d,
               scratch + x);
  }
  for (; x < count + 2; ++x)
    scratch[x] =
        static_cast<uint16_t>(static_cast<uint16_t>(above[x - 1] + 2 * row[x - 1] + below[x - 1]) >> 2);
  for (x = 0; x + lanes <= count; x += lanes) {
    const auto middle = hn::LoadU(d, scratch + x + 1);
    const auto sum =
        hn::Add(hn::Add(hn::LoadU(d, scratch + x), hn::LoadU(d, scratch + x + 2)), hn::Add(middle, middle));
    hn::StoreU(hn::BitCast(whole, hn::ShiftRight<4>(sum)), whole, to + x);
  }
  for (; x < count; ++x)
    to[x] =
        static_cast<int16_t>(static_cast<uint16_t>(scratch[x] + 2 * scratch[x + 1] + scratch[x + 2]) >> 4);
}

}  // namespace glenhaze::detail::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace glenhaze::detail {

HWY_EXPORT(roundHere);
HWY_EXPORT(halveHere);
HWY_EXPORT(softenHere);

void roundRow(const int16_t* from, int count, uint8_t* to) {
  HWY_DYNAMIC_DISPATCH(roundHere)(from, count, to);
}

void halveRows(const uint8_t* upper, const uint8_t* lower, int count, uint8_t* to) {
  HWY_DYNAMIC_DISPATCH(halveHere)(upper, lower, count, to);
}

void softenRow(const int16_t* above, const int16_t* row, const int16_t* below, int count, uint16_t* scratch,
               int16_t* to) {
  HWY_DYNAMIC_DISPATCH(softenHere)(above, row, below, count, scratch, to);
}

}  // namespace glenhaze::detail
#endif
