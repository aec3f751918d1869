#include "core/frame/detail/screen_kernel.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/frame/detail/screen_kernel.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include <algorithm>
#include <cstring>

#include "core/base/instruction_set.h"

// Compiled once per instruction set and chosen at run time.
HWY_BEFORE_NAMESPACE();
namespace glenhaze::detail::HWY_NAMESPACE {

namespace hn = hwy::HWY_NAMESPACE;

constexpr int kScreenLanes = 16;  // scratch has room for one vector more
using ScreenFloats = hn::CappedTag<float, kScreenLanes>;

template <typename T>
void widenRow(const T* HWY_RESTRICT from, float offset, float gain, int count, float* HWY_RESTRICT to) {
  const ScreenFloats d;
  const hn::RebindToSigned<ScreenFloats> whole;
  const hn::Rebind<T, ScreenFloats> narrow;
  const int lanes = static_cast<int>(hn::Lanes(d));
  int x = 0;
  for (; x + lanes <= count; x += lanes) {
    const auto v = hn::ConvertTo(d, hn::PromoteTo(whole, hn::LoadU(narrow, from + x)));
    hn::StoreU(hn::Mul(hn::Sub(v, hn::Set(d, offset)), hn::Set(d, gain)), d, to + x);
  }
  for (; x < count; ++x) to[x] = (static_cast<float>(from[x]) - offset) * gain;
}

// Between two rows.
template <typename T>
void blendRow(const T* HWY_RESTRICT a, const T* HWY_RESTRICT b, const ScreenRow& row,
              float* HWY_RESTRICT to) {
  const ScreenFloats d;
  const hn::RebindToSigned<ScreenFloats> whole;
  const hn::Rebind<T, ScreenFloats> narrow;
  const int lanes = static_cast<int>(hn::Lanes(d)), count = row.chroma_width;
  const auto mid = hn::Set(d, row.chroma_mid), gain = hn::Set(d, row.chroma_gain),
             share = hn::Set(d, row.share);
  int x = 0;
  for (; x + lanes <= count; x += lanes) {
    const auto upper = hn::ConvertTo(d, hn::PromoteTo(whole, hn::LoadU(narrow, a + x)));
    const auto lower = hn::ConvertTo(d, hn::PromoteTo(whole, hn::LoadU(narrow, b + x)));
    const auto between = hn::MulAdd(hn::Sub(lower, upper), share, hn::Sub(upper, mid));
    hn::StoreU(hn::Mul(between, gain), d, to + x);
  }
  for (; x < count; ++x) {
    const float upper = static_cast<float>(a[x]), lower = static_cast<float>(b[x]);
    to[x] = ((lower - upper) * row.share + (upper - row.chroma_mid)) * row.chroma_gain;
  }
}

// Between neighbours of a row of half the columns; `from` has one sample before its first and one behind its
// last. Writes up to a pair of vectors beyond.
void spreadRow(const float* HWY_RESTRICT from, bool centred, int pairs, float* HWY_RESTRICT to) {
  const ScreenFloats d;
  const int lanes = static_cast<int>(hn::Lanes(d));
  const auto quarter = hn::Set(d, 0.25F), half = hn::Set(d, 0.5F), rest = hn::Set(d, 0.75F);
  for (int x = 0; x < pairs; x += lanes) {
    const auto here = hn::LoadU(d, from + x), right = hn::LoadU(d, from + x + 1);
    if (centred) {
      const auto most = hn::Mul(here, rest);
      hn::StoreInterleaved2(hn::MulAdd(hn::LoadU(d, from + x - 1), quarter, most),
                            hn::MulAdd(right, quarter, most), d, to + 2 * x);
    } else {
      hn::StoreInterleaved2(here, hn::Mul(hn::Add(here, right), half), d, to + 2 * x);
    }
  }
}

void packRow(const float* HWY_RESTRICT luma, const float* HWY_RESTRICT cb, const float* HWY_RESTRICT cr,
             const ScreenRow& row, uint8_t* HWY_RESTRICT to) {
  const ScreenFloats d;
  const hn::RebindToUnsigned<ScreenFloats> packed;
  const hn::RebindToSigned<ScreenFloats> whole;
  const int lanes = static_cast<int>(hn::Lanes(d));
  const auto code = [&](auto v) HWY_ATTR {
    const auto held = hn::Min(hn::Max(hn::Add(v, hn::Set(d, 0.5F)), hn::Zero(d)), hn::Set(d, 255.0F));
    return hn::BitCast(packed, hn::ConvertTo(whole, held));
  };
  HWY_ALIGN uint32_t last[kScreenLanes];
  for (int x = 0; x < row.width; x += lanes) {
    const auto l = hn::LoadU(d, luma + x), u = hn::LoadU(d, cb + x), v = hn::LoadU(d, cr + x);
    const auto red = hn::MulAdd(hn::Set(d, row.red_v), v, l);
    const auto green = hn::MulAdd(hn::Set(d, row.green_u), u, hn::MulAdd(hn::Set(d, row.green_v), v, l));
    const auto blue = hn::MulAdd(hn::Set(d, row.blue_u), u, l);
    const auto pixel = hn::Or(hn::Or(hn::Set(packed, 0xFF000000U), hn::ShiftLeft<16>(code(red))),
                              hn::Or(hn::ShiftLeft<8>(code(green)), code(blue)));
    hn::Store(pixel, packed, last);
    std::memcpy(to + 4 * x, last, 4 * static_cast<size_t>(std::min(lanes, row.width - x)));
  }
}

// One plane of chroma at luma's width.
template <typename T>
void chromaAt(const void* const (&rows)[2], const ScreenRow& row, float* small, float* to) {
  const auto *a = static_cast<const T*>(rows[0]), *b = static_cast<const T*>(rows[1]);
  float* target = row.halved ? small + 1 : to;
  if (a == b)
    widenRow(a, row.chroma_mid, row.chroma_gain, row.chroma_width, target);
  else
    blendRow(a, b, row, target);
  if (!row.halved) return;
  small[0] = small[1];
  small[row.chroma_width + 1] = small[row.chroma_width];
  spreadRow(small + 1, row.centred, row.chroma_width, to);
}

template <typename T>
void screenTyped(const ScreenRow& row, float* scratch, uint8_t* to) {
  const int pitch = screenScratch(row.width) / 4;
  float *luma = scratch, *cb = scratch + pitch, *cr = scratch + 2 * pitch, *small = scratch + 3 * pitch;
  widenRow(static_cast<const T*>(row.luma), row.black, row.gain, row.width, luma);
  if (row.cb[0] != nullptr) {
    chromaAt<T>(row.cb, row, small, cb);
    chromaAt<T>(row.cr, row, small, cr);
  } else {
    std::fill_n(cb, row.width, 0.0F);
    std::fill_n(cr, row.width, 0.0F);
  }
  packRow(luma, cb, cr, row, to);
}

void screenRowAny(const ScreenRow& row, float* scratch, uint8_t* to) {
  if (row.bytes_per_sample == 1)
    screenTyped<uint8_t>(row, scratch, to);
  else
    screenTyped<uint16_t>(row, scratch, to);
}

}  // namespace glenhaze::detail::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace glenhaze::detail {

HWY_EXPORT(screenRowAny);

int screenScratch(int width) {
  // Four rows, each with room for two vectors more.
  return 4 * ((width + 15) / 16 * 16 + 48);
}

void screenRow(const ScreenRow& row, float* scratch, uint8_t* to) {
  HWY_DYNAMIC_DISPATCH(screenRowAny)(row, scratch, to);
}

}  // namespace glenhaze::detail
#endif
