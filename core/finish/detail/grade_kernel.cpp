#include "core/finish/detail/grade_kernel.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/finish/detail/grade_kernel.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include <array>

#include "core/base/instruction_set.h"

// Compiled once per instruction set and chosen at run time.
HWY_BEFORE_NAMESPACE();
namespace glenhaze::detail::HWY_NAMESPACE {

namespace hn = hwy::HWY_NAMESPACE;

constexpr int kMostLanes = 16;
using Floats = hn::CappedTag<float, kMostLanes>;
using Ints = hn::RebindToSigned<Floats>;

// Whole vectors of some rows, and what is left over by way of a copy.
template <size_t kRows, typename Body>
void alongRows(const std::array<float*, kRows>& rows, int count, Body body) {
  const Floats d;
  const auto lanes = static_cast<int>(hn::Lanes(d));
  int x = 0;
  for (; x + lanes <= count; x += lanes) {
    std::array<float*, kRows> at = rows;
    for (float*& row : at) row += x;
    body(at);
  }
  if (x == count) return;
  HWY_ALIGN float rest[kRows][kMostLanes] = {};
  std::array<float*, kRows> at{};
  for (size_t i = 0; i < kRows; ++i) {
    at[i] = rest[i];
    for (int k = 0; k < kMostLanes && x + k < count; ++k) rest[i][k] = rows[i][x + k];
  }
  body(at);
  for (size_t i = 0; i < kRows; ++i)
    for (int k = 0; k < kMostLanes && x + k < count; ++k) rows[i][x + k] = rest[i][k];
}

template <typename V>
V lumaOf(const GradeWeights& w, V r, V g, V b) {
  const Floats d;
  return hn::MulAdd(hn::Set(d, w.red), r, hn::MulAdd(hn::Set(d, w.green), g, hn::Mul(hn::Set(d, w.blue), b)));
}

// Eased in over the darkest and the brightest third.
template <typename V>
V strengthAt(const ColourStrength& s, V luma) {
  const Floats d;
  const auto one = hn::Set(d, 1.0F);
  const auto eased = [&](V from) {
    const auto t = hn::Min(hn::Max(hn::Mul(from, hn::Set(d, 3.0F)), hn::Zero(d)), one);
    return hn::Mul(hn::Mul(t, t), hn::Sub(hn::Set(d, 3.0F), hn::Add(t, t)));
  };
  const auto between = [&](float least, V share) {
    return hn::MulAdd(hn::Set(d, 1 - least), share, hn::Set(d, least));
  };
  return hn::Mul(hn::Set(d, s.all),
                 hn::Mul(between(s.dark, eased(luma)), between(s.bright, eased(hn::Sub(one, luma)))));
}

void toPrimariesRow(const PrimaryMix& m, float* const* codes, float* const* rgb, int count) {
  const Floats d;
  const auto grey = hn::Set(d, 128.0F), gain = hn::Set(d, m.gain), offset = hn::Set(d, m.offset);
  alongRows<6>(
      {codes[0], codes[1], codes[2], rgb[0], rgb[1], rgb[2]}, count, [&](const std::array<float*, 6>& row) {
        const auto y = hn::MulAdd(hn::LoadU(d, row[0]), gain, offset);
        const auto u = hn::Mul(hn::Sub(hn::LoadU(d, row[1]), grey), gain),
                   v = hn::Mul(hn::Sub(hn::LoadU(d, row[2]), grey), gain);
        hn::StoreU(hn::MulAdd(hn::Set(d, m.red_v), v, y), d, row[3]);
        hn::StoreU(hn::MulAdd(hn::Set(d, m.green_u), u, hn::MulAdd(hn::Set(d, m.green_v), v, y)), d, row[4]);
        hn::StoreU(hn::MulAdd(hn::Set(d, m.blue_u), u, y), d, row[5]);
      });
}

void saturateRow(const GradeWeights& w, const ColourStrength& s, float* const* rgb, int count) {
  const Floats d;
  alongRows<3>({rgb[0], rgb[1], rgb[2]}, count, [&](const std::array<float*, 3>& row) {
    const auto r = hn::LoadU(d, row[0]), g = hn::LoadU(d, row[1]), b = hn::LoadU(d, row[2]);
    const auto luma = lumaOf(w, r, g, b), strength = strengthAt(s, luma);
    hn::StoreU(hn::MulAdd(strength, hn::Sub(r, luma), luma), d, row[0]);
    hn::StoreU(hn::MulAdd(strength, hn::Sub(g, luma), luma), d, row[1]);
    hn::StoreU(hn::MulAdd(strength, hn::Sub(b, luma), luma), d, row[2]);
  });
}

void toCodesRow(const GradeWeights& w, const CodeRange& range, float* const* rgb, float* const* codes,
                int count) {
  const Floats d;
  const auto grey = hn::Set(d, 128.0F), to_cb = hn::Set(d, range.chroma / (2 * (1 - w.blue))),
             to_cr = hn::Set(d, range.chroma / (2 * (1 - w.red)));
  alongRows<6>({codes[0], codes[1], codes[2], rgb[0], rgb[1], rgb[2]}, count,
               [&](const std::array<float*, 6>& row) {
                 const auto r = hn::LoadU(d, row[3]), b = hn::LoadU(d, row[5]);
                 const auto luma = lumaOf(w, r, hn::LoadU(d, row[4]), b);
                 hn::StoreU(hn::MulAdd(hn::Set(d, range.luma), luma, hn::Set(d, range.black)), d, row[0]);
                 hn::StoreU(hn::MulAdd(to_cb, hn::Sub(b, luma), grey), d, row[1]);
                 hn::StoreU(hn::MulAdd(to_cr, hn::Sub(r, luma), grey), d, row[2]);
               });
}

void throughCurveRow(const float* HWY_RESTRICT curve, int steps, float* v, int count) {
  const Floats d;
  const Ints ints;
  const auto last = hn::Set(d, static_cast<float>(steps) - 0.01F);
  alongRows<1>({v}, count, [&](const std::array<float*, 1>& row) {
    const auto at = hn::Min(hn::Max(hn::LoadU(d, row[0]), hn::Zero(d)), last);
    const auto i = hn::ConvertTo(ints, at);
    const auto low = hn::GatherIndex(d, curve, i), high = hn::GatherIndex(d, curve + 1, i);
    hn::StoreU(hn::MulAdd(hn::Sub(at, hn::ConvertTo(d, i)), hn::Sub(high, low), low), d, row[0]);
  });
}

// The cube about a place is cut into six tetrahedra, each with the cube's first and last corner; on the way
// from the one to the other the axis along which the place lies farthest comes first.
void throughCubeRow(const float* HWY_RESTRICT nodes, int side, float* const* rgb, int count, float gain,
                    float offset) {
  const Floats d;
  const Ints ints;
  const auto one = hn::Set(d, 1.0F), zero = hn::Zero(d);
  const auto in_gain = hn::Set(d, gain), in_offset = hn::Set(d, offset), back = hn::Set(d, 1 / gain);
  const auto cells = hn::Set(d, static_cast<float>(side - 1));
  const auto last = hn::Set(ints, side - 2);
  const int row_step = 4 * side, plane_step = row_step * side;
  const auto step_r = hn::Set(ints, 4), step_g = hn::Set(ints, row_step), step_b = hn::Set(ints, plane_step);
  const auto step_all = hn::Set(ints, 4 + row_step + plane_step);
  alongRows<3>({rgb[0], rgb[1], rgb[2]}, count, [&](const std::array<float*, 3>& row) {
    const auto place = [&](const float* from) {
      return hn::Mul(hn::Min(hn::Max(hn::MulAdd(hn::LoadU(d, from), in_gain, in_offset), zero), one), cells);
    };
    const auto r = place(row[0]), g = place(row[1]), b = place(row[2]);
    const auto ir = hn::Min(hn::ConvertTo(ints, r), last), ig = hn::Min(hn::ConvertTo(ints, g), last),
               ib = hn::Min(hn::ConvertTo(ints, b), last);
    const auto fr = hn::Sub(r, hn::ConvertTo(d, ir)), fg = hn::Sub(g, hn::ConvertTo(d, ig)),
               fb = hn::Sub(b, hn::ConvertTo(d, ib));
    const auto most = hn::Max(hn::Max(fr, fg), fb), least = hn::Min(hn::Min(fr, fg), fb);
    const auto middle = hn::Max(hn::Min(fr, fg), hn::Min(hn::Max(fr, fg), fb));
    const auto isMost = [&](auto f) { return hn::RebindMask(ints, hn::Ge(f, most)); };
    const auto isLeast = [&](auto f) { return hn::RebindMask(ints, hn::Le(f, least)); };
    const auto first_step = hn::IfThenElse(isMost(fr), step_r, hn::IfThenElse(isMost(fg), step_g, step_b));
    const auto last_step = hn::IfThenElse(isLeast(fb), step_b, hn::IfThenElse(isLeast(fg), step_g, step_r));
    const auto begin = hn::Add(hn::Mul(ir, step_r), hn::Add(hn::Mul(ig, step_g), hn::Mul(ib, step_b)));
    const auto end = hn::Add(begin, step_all);
    const auto second = hn::Add(begin, first_step), third = hn::Sub(end, last_step);
    const auto w0 = hn::Sub(one, most), w1 = hn::Sub(most, middle), w2 = hn::Sub(middle, least);
    for (int c = 0; c < 3; ++c) {
      auto sum = hn::Mul(w0, hn::GatherIndex(d, nodes + c, begin));
      sum = hn::MulAdd(w1, hn::GatherIndex(d, nodes + c, second), sum);
      sum = hn::MulAdd(w2, hn::GatherIndex(d, nodes + c, third), sum);
      sum = hn::MulAdd(least, hn::GatherIndex(d, nodes + c, end), sum);
      hn::StoreU(hn::Mul(hn::Sub(sum, in_offset), back), d, row[static_cast<size_t>(c)]);
    }
  });
}

}  // namespace glenhaze::detail::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE

namespace glenhaze::detail {

namespace {

HWY_EXPORT(toPrimariesRow);
HWY_EXPORT(saturateRow);
HWY_EXPORT(toCodesRow);
HWY_EXPORT(throughCurveRow);
HWY_EXPORT(throughCubeRow);

}  // namespace

GradeRows::GradeRows() {
  chooseInstructionSet();
  primaries_ = HWY_DYNAMIC_DISPATCH(toPrimariesRow);
  saturate_ = HWY_DYNAMIC_DISPATCH(saturateRow);
  codes_ = HWY_DYNAMIC_DISPATCH(toCodesRow);
  curve_ = HWY_DYNAMIC_DISPATCH(throughCurveRow);
  cube_ = HWY_DYNAMIC_DISPATCH(throughCubeRow);
}

}  // namespace glenhaze::detail

#endif  // HWY_ONCE
