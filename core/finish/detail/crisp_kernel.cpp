#include "core/finish/detail/crisp_kernel.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/finish/detail/crisp_kernel.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include <algorithm>

// Compiled once per instruction set and chosen at run time. Products and sums stay apart (by an option in
// cmake/Warnings.cmake), so that each gives the same.
HWY_BEFORE_NAMESPACE();
namespace glenhaze::detail::HWY_NAMESPACE {
namespace {

namespace hn = hwy::HWY_NAMESPACE;

using Many = hn::ScalableTag<float>;
using One = hn::CappedTag<float, 1>;

// f(lanes, x) over a row: as many at once as there are, then what is left one by one.
template <typename F>
HWY_INLINE void alongRow(int width, F f) {
  constexpr auto kLanes = static_cast<int>(hn::MaxLanes(Many()));
  int x = 0;
  for (; x + kLanes <= width; x += kLanes) f(Many(), x);
  for (; x < width; ++x) f(One(), x);
}

// Of sums of the outer two, the inner two, and the one in the middle.
template <class D, class V>
HWY_INLINE V binomial(D d, V outer, V inner, V middle) {
  return hn::Add(hn::Add(hn::Mul(hn::Set(d, 1.0F / 16), outer), hn::Mul(hn::Set(d, 4.0F / 16), inner)),
                 hn::Mul(hn::Set(d, 6.0F / 16), middle));
}

template <int kReach>
void blurReaching(const float* HWY_RESTRICT from, int width, const float* HWY_RESTRICT taps,
                  float* HWY_RESTRICT to) {
  alongRow(width, [&](auto d, int x) HWY_ATTR {
    auto sum = hn::Mul(hn::Set(d, taps[0]), hn::LoadU(d, from + x));
#pragma GCC unroll 16
    for (int i = 1; i <= kReach; ++i)
      sum = hn::Add(
          sum, hn::Mul(hn::Set(d, taps[i]), hn::Add(hn::LoadU(d, from + x - i), hn::LoadU(d, from + x + i))));
    hn::StoreU(sum, d, to + x);
  });
}

template <int kReach>
void lessReaching(const float* const* rows, const float* HWY_RESTRICT filmed, int width,
                  const float* HWY_RESTRICT taps, float amount, float share, float* HWY_RESTRICT to) {
  const float* const* middle = rows + kReach;
  alongRow(width, [&](auto d, int x) HWY_ATTR {
    auto sum = hn::Mul(hn::Set(d, taps[0]), hn::LoadU(d, middle[0] + x));
#pragma GCC unroll 16
    for (int i = 1; i <= kReach; ++i)
      sum = hn::Add(sum, hn::Mul(hn::Set(d, taps[i]),
                                 hn::Add(hn::LoadU(d, middle[-i] + x), hn::LoadU(d, middle[i] + x))));
    const auto with = hn::Add(hn::LoadU(d, filmed + x), hn::Mul(hn::Set(d, amount), sum));
    hn::StoreU(hn::Mul(hn::Set(d, share), with), d, to + x);
  });
}

}  // namespace

void blurAlongHere(const float* from, int width, HalfTaps taps, float* to) {
  using Blur = void (*)(const float*, int, const float*, float*);
  static constexpr std::array<Blur, kMostReach + 1> kBlurs{
      blurReaching<0>, blurReaching<1>, blurReaching<2>, blurReaching<3>, blurReaching<4>,
      blurReaching<5>, blurReaching<6>, blurReaching<7>, blurReaching<8>, blurReaching<9>};
  kBlurs[taps.size() - 1](from, width, taps.data(), to);
}

void sharpenLessHere(const float* const* rows, const float* filmed, int width, HalfTaps taps, float amount,
                     float share, float* to) {
  using Less = void (*)(const float* const*, const float*, int, const float*, float, float, float*);
  static constexpr std::array<Less, kMostReach + 1> kLess{
      lessReaching<0>, lessReaching<1>, lessReaching<2>, lessReaching<3>, lessReaching<4>,
      lessReaching<5>, lessReaching<6>, lessReaching<7>, lessReaching<8>, lessReaching<9>};
  kLess[taps.size() - 1](rows, filmed, width, taps.data(), amount, share, to);
}

void blurFinelyHere(const float* HWY_RESTRICT from, int width, float* HWY_RESTRICT to) {
  alongRow(width, [&](auto d, int x) HWY_ATTR {
    const auto both = [&](int away) HWY_ATTR {
      return hn::Add(hn::LoadU(d, from + x - away), hn::LoadU(d, from + x + away));
    };
    hn::StoreU(binomial(d, both(2), both(1), hn::LoadU(d, from + x)), d, to + x);
  });
}

void fineDetailHere(const float* const* along, const float* HWY_RESTRICT middle, int width,
                    float* HWY_RESTRICT to) {
  const float *a = along[0], *b = along[1], *c = along[2], *e = along[3], *f = along[4];
  alongRow(width, [&](auto d, int x) HWY_ATTR {
    const auto both = [&](const float* one, const float* other)
                          HWY_ATTR { return hn::Add(hn::LoadU(d, one + x), hn::LoadU(d, other + x)); };
    const auto blurred = binomial(d, both(a, f), both(b, e), hn::LoadU(d, c + x));
    hn::StoreU(hn::Sub(hn::LoadU(d, middle + x), blurred), d, to + x);
  });
}

void lookAlongHere(const float* HWY_RESTRICT detail, const float* HWY_RESTRICT luma, int width,
                   float* HWY_RESTRICT energy, float* HWY_RESTRICT low, float* HWY_RESTRICT high) {
  alongRow(width, [&](auto d, int x) HWY_ATTR {
    const auto square = [&](int at) HWY_ATTR {
      const auto v = hn::LoadU(d, detail + at);
      return hn::Mul(v, v);
    };
    const auto own = hn::LoadU(d, detail + x);
    const auto twice = hn::Mul(hn::Mul(hn::Set(d, 2.0F), own), own);
    hn::StoreU(hn::Add(hn::Add(square(x - 1), twice), square(x + 1)), d, energy + x);
    const auto l = hn::LoadU(d, luma + x - 1), m = hn::LoadU(d, luma + x), r = hn::LoadU(d, luma + x + 1);
    hn::StoreU(hn::Min(m, hn::Min(l, r)), d, low + x);
    hn::StoreU(hn::Max(m, hn::Max(l, r)), d, high + x);
  });
}

void crispenRowHere(const CrispRows& rows, const float* HWY_RESTRICT variance, int width, float amount,
                    float halo, float* HWY_RESTRICT to) {
  // An edge: where the detail about a place is so many times the noise, from nothing to all of it.
  constexpr float kFrom = 2 * 2, kTo = 4 * 4, kWeights = 12;
  constexpr float kLevel = 1.0F / 16, kLast = 15;
  alongRow(width, [&](auto d, int x) HWY_ATTR {
    const hn::RebindToSigned<decltype(d)> whole;
    const auto at = [&](const float* row) HWY_ATTR { return hn::LoadU(d, row + x); };
    const auto zero = hn::Zero(d), one = hn::Set(d, 1.0F);
    const auto luma = at(rows.luma);
    const auto level = hn::Min(hn::Max(hn::Mul(luma, hn::Set(d, kLevel)), zero), hn::Set(d, kLast));
    const auto noise =
        hn::Mul(hn::Set(d, kWeights), hn::GatherIndex(d, variance, hn::ConvertTo(whole, level)));
    const auto energy = hn::Add(hn::Add(at(rows.energy[0]), at(rows.energy[1])), at(rows.energy[2]));
    const auto beyond =
        hn::Mul(hn::Sub(hn::Div(energy, noise), hn::Set(d, kFrom)), hn::Set(d, 1 / (kTo - kFrom)));
    const auto share = hn::Min(hn::Max(beyond, zero), one);
    const auto crisp = hn::Add(luma, hn::Mul(hn::Mul(hn::Set(d, amount), share), at(rows.detail)));
    const auto least = hn::Min(hn::Min(at(rows.low[0]), at(rows.low[1])), at(rows.low[2])),
               most = hn::Max(hn::Max(at(rows.high[0]), at(rows.high[1])), at(rows.high[2]));
    const auto beside = hn::Set(d, halo);
    hn::StoreU(hn::Min(hn::Max(crisp, hn::Sub(least, beside)), hn::Add(most, beside)), d, to + x);
  });
}

}  // namespace glenhaze::detail::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE

namespace glenhaze::detail {

HWY_EXPORT(blurAlongHere);
HWY_EXPORT(sharpenLessHere);
HWY_EXPORT(blurFinelyHere);
HWY_EXPORT(fineDetailHere);
HWY_EXPORT(lookAlongHere);
HWY_EXPORT(crispenRowHere);

void blurAlong(const float* from, int width, HalfTaps taps, float* to) {
  HWY_DYNAMIC_DISPATCH(blurAlongHere)(from, width, taps, to);
}

void sharpenLess(std::span<const float* const> rows, const float* filmed, int width, HalfTaps taps,
                 float amount, float share, float* to) {
  HWY_DYNAMIC_DISPATCH(sharpenLessHere)(rows.data(), filmed, width, taps, amount, share, to);
}

void blurFinely(const float* from, int width, float* to) {
  HWY_DYNAMIC_DISPATCH(blurFinelyHere)(from, width, to);
}

void fineDetail(const std::array<const float*, 5>& along, const float* middle, int width, float* to) {
  HWY_DYNAMIC_DISPATCH(fineDetailHere)(along.data(), middle, width, to);
}

void lookAlong(const float* detail, const float* luma, int width, float* energy, float* low, float* high) {
  HWY_DYNAMIC_DISPATCH(lookAlongHere)(detail, luma, width, energy, low, high);
}

void crispenRow(const CrispRows& rows, const std::array<float, 16>& variance, int width, float amount,
                float halo, float* to) {
  HWY_DYNAMIC_DISPATCH(crispenRowHere)(rows, variance.data(), width, amount, halo, to);
}

}  // namespace glenhaze::detail

#endif  // HWY_ONCE
