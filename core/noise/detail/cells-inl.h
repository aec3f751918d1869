// What a neighbour frame differs by, cell by cell along the motion, for every instruction set; included by
// what is compiled per target.
#if defined(GLENHAZE_NOISE_CELLS_INL_H) == defined(HWY_TARGET_TOGGLE)
#ifdef GLENHAZE_NOISE_CELLS_INL_H
#undef GLENHAZE_NOISE_CELLS_INL_H
#else
#define GLENHAZE_NOISE_CELLS_INL_H
#endif

#include <hwy/highway.h>

#include "core/noise/detail/block_kernel.h"
#include "core/noise/detail/planes.h"

HWY_BEFORE_NAMESPACE();
namespace glenhaze::detail::HWY_NAMESPACE {
namespace {

// A place in samples taken apart into whole ones and phases; towards minus infinity, because places in the
// border are negative.
struct Fraction {
  int whole, phase;
};
HWY_INLINE Fraction fractionOf(float at) {
  const float q = at * kPhases + 0.5F;
  int i = static_cast<int>(q);
  i -= static_cast<float>(i) > q ? 1 : 0;
  return {i >> 5, i & (kPhases - 1)};
}
static_assert(kPhases == 32);

// Energy of a cell's difference at full detail and after means over 2 × 2, 4 × 4 and 8 × 8 samples, code
// values squared: for white noise of variance v the expectations are 64, 16, 4 and 1 times v.
struct alignas(16) CellEnergy {
  float scale[kScales];
};

#if HWY_TARGET == HWY_SCALAR
// Processors without vectors; also what the others are held against.
void fetchCell(const int16_t* plane, ptrdiff_t stride, float x, float y, const int16_t* taps, int16_t* out) {
  const Fraction fx = fractionOf(x), fy = fractionOf(y);
  constexpr int kBefore = kTaps / 2 - 1, kRows = kStep + kTaps - 1;
  const auto product = [](int16_t w, int16_t v) { return (w * v + (1 << 14)) >> 15; };
  int16_t across[kRows][kStep];
  for (int r = 0; r < kRows; ++r)
    for (int i = 0; i < kStep; ++i) {
      const int16_t* at = plane + (fy.whole + r - kBefore) * stride + fx.whole + i - kBefore;
      int sum = 0;
      for (int k = 0; k < kTaps; ++k) sum += product(taps[fx.phase * kTaps + k], at[k]);
      across[r][i] = static_cast<int16_t>(sum);
    }
  for (int r = 0; r < kStep; ++r)
    for (int i = 0; i < kStep; ++i) {
      int sum = 0;
      for (int k = 0; k < kTaps; ++k) sum += product(taps[fy.phase * kTaps + k], across[r + k][i]);
      out[r * kStep + i] = static_cast<int16_t>(sum);
    }
}

CellEnergy differenceOf(const int16_t* other, const int16_t* middle, ptrdiff_t middle_stride, int16_t* out,
                        ptrdiff_t out_stride) {
  CellEnergy energy{};
  float d[kStep][kStep];
  for (int y = 0; y < kStep; ++y)
    for (int x = 0; x < kStep; ++x) {
      const int difference = other[y * kStep + x] - middle[y * middle_stride + x];
      out[y * out_stride + x] = static_cast<int16_t>(difference);
      d[y][x] = static_cast<float>(difference) / kSampleUnit;
    }
  for (int k = 0; k < kScales; ++k) {
    const int size = 1 << k;
    for (int y = 0; y < kStep; y += size)
      for (int x = 0; x < kStep; x += size) {
        float sum = 0;
        for (int i = 0; i < size * size; ++i) sum += d[y + i / size][x + i % size];
        energy.scale[k] += sum * sum / static_cast<float>(size * size);
      }
  }
  return energy;
}
#else

// One row of a cell.
using CellLanes = hn::FixedTag<int16_t, kStep>;
using CellSums = hn::FixedTag<int32_t, kStep / 2>;
using CellVector = hn::Vec<CellLanes>;
constexpr CellLanes kCellLanes;

struct CellRows {
  CellVector row[kStep];
};

// The cell at (x, y) of `plane` for which x, y need not be whole.
HWY_INLINE void fetchCell(const int16_t* HWY_RESTRICT plane, ptrdiff_t stride, float x, float y,
                          const int16_t* HWY_RESTRICT taps, int16_t* HWY_RESTRICT out) {
  const Fraction fx = fractionOf(x), fy = fractionOf(y);
  const int16_t* HWY_RESTRICT at = plane + fy.whole * stride + fx.whole;
  if (fx.phase == 0 && fy.phase == 0) {
    for (int r = 0; r < kStep; ++r)
      hn::Store(hn::LoadU(kCellLanes, at + r * stride), kCellLanes, out + r * kStep);
    return;
  }
  constexpr int kBefore = kTaps / 2 - 1, kRows = kStep + kTaps - 1;
  const int16_t* HWY_RESTRICT wx = taps + fx.phase * kTaps;
  const int16_t* HWY_RESTRICT wy = taps + fy.phase * kTaps;
  const int16_t* HWY_RESTRICT from = at - kBefore * stride - kBefore;
  // As many rows at once as fit a vector of up to two.
  constexpr int kAtOnce = HWY_MAX_BYTES >= 32 ? 2 : 1;
  using Rows = hn::FixedTag<int16_t, kAtOnce * kStep>;
  using RowsVector = hn::Vec<Rows>;
  constexpr Rows kRowLanes;
  constexpr int kGroups = (kRows + kAtOnce - 1) / kAtOnce;
  const auto summed = [&](const int16_t* HWY_RESTRICT w, auto sample) {
    RowsVector product[kTaps];
    GLENHAZE_UNROLL
    for (int k = 0; k < kTaps; ++k) product[k] = hn::MulFixedPoint15(hn::Set(kRowLanes, w[k]), sample(k));
    return hn::Add(hn::Add(hn::Add(product[0], product[1]), hn::Add(product[2], product[3])),
                   hn::Add(product[4], product[5]));
  };
  RowsVector across[kGroups];
  GLENHAZE_UNROLL
  for (int g = 0; g < kGroups; ++g) {
    const int16_t* HWY_RESTRICT row = from + g * kAtOnce * stride;
#if HWY_MAX_BYTES >= 32
    // Of an odd number of rows the last stands for the one behind it, which nobody needs.
    const ptrdiff_t next = g + 1 < kGroups || kRows % 2 == 0 ? stride : 0;
    across[g] = summed(wx, [&](int k) {
      return hn::Combine(kRowLanes, hn::LoadU(kCellLanes, row + next + k), hn::LoadU(kCellLanes, row + k));
    });
#else
    across[g] = summed(wx, [&](int k) { return hn::LoadU(kCellLanes, row + k); });
#endif
  }
#if HWY_MAX_BYTES >= 32
  RowsVector between[kGroups - 1];
  GLENHAZE_UNROLL
  for (int g = 0; g + 1 < kGroups; ++g)
    between[g] = hn::ConcatLowerUpper(kRowLanes, across[g + 1], across[g]);
  GLENHAZE_UNROLL
  for (int r = 0; r < kStep; r += 2)
    hn::Store(summed(wy, [&](int k) { return k % 2 == 0 ? across[(r + k) / 2] : between[(r + k) / 2]; }),
              kRowLanes, out + r * kStep);
#else
  GLENHAZE_UNROLL
  for (int r = 0; r < kStep; ++r)
    hn::Store(summed(wy, [&](int k) { return across[r + k]; }), kRowLanes, out + r * kStep);
#endif
}

// other − middle into `out` (rows `out_stride` apart), and its energy.
HWY_INLINE CellEnergy differenceOf(const int16_t* HWY_RESTRICT other, const int16_t* HWY_RESTRICT middle,
                                   ptrdiff_t middle_stride, int16_t* HWY_RESTRICT out, ptrdiff_t out_stride) {
  const CellSums wide;
  const hn::RebindToFloat<CellSums> floats;
  const auto ones = hn::Set(kCellLanes, int16_t{1});
  // Two bits fewer let the squares and sums of a cell fit.
  constexpr float kUnit = 4.0F / kSampleUnit;
  auto squares = hn::Zero(wide), squares2 = squares;
  auto two = hn::Zero(floats), four = two;
  auto all = hn::Zero(kCellLanes);
  const auto paired = [&](CellVector v) {
    auto second = hn::Zero(wide);
    const auto first = hn::ReorderWidenMulAccumulate(wide, v, ones, hn::Zero(wide), second);
    return hn::ConvertTo(floats, hn::RearrangeToOddPlusEven(first, second));
  };
  GLENHAZE_UNROLL
  for (int r = 0; r < kStep; r += 4) {
    CellVector pair[2];
    GLENHAZE_UNROLL
    for (int i = 0; i < 4; i += 2) {
      CellVector q[2];
      GLENHAZE_UNROLL
      for (int j = 0; j < 2; ++j) {
        const int row = r + i + j;
        const auto d = hn::Sub(hn::Load(kCellLanes, other + row * kStep),
                               hn::LoadU(kCellLanes, middle + row * middle_stride));
        hn::StoreU(d, kCellLanes, out + row * out_stride);
        q[j] = hn::ShiftRight<2>(d);
        squares = hn::ReorderWidenMulAccumulate(wide, q[j], q[j], squares, squares2);
      }
      pair[i / 2] = hn::Add(q[0], q[1]);
      const auto sums = paired(pair[i / 2]);
      two = hn::MulAdd(sums, sums, two);
    }
    const auto quad = hn::Add(pair[0], pair[1]);
    const auto sums = paired(quad);
    const auto both = hn::Add(sums, hn::Shuffle2301(sums));
    four = hn::MulAdd(both, both, four);
    all = hn::SaturatedAdd(all, quad);
  }
  const float sum = hn::GetLane(hn::SumOfLanes(floats, paired(all)));
  const float energy = hn::GetLane(
      hn::SumOfLanes(floats, hn::Add(hn::ConvertTo(floats, squares), hn::ConvertTo(floats, squares2))));
  constexpr float kSquare = kUnit * kUnit;
  return {{kSquare * energy, kSquare / 4 * hn::GetLane(hn::SumOfLanes(floats, two)),
           // Both halves of a four carry its sum.
           kSquare / 32 * hn::GetLane(hn::SumOfLanes(floats, four)), kSquare / 64 * sum * sum}};
}
#endif

}  // namespace
}  // namespace glenhaze::detail::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#endif
