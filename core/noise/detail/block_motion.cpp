#include "core/noise/detail/block_motion.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/noise/detail/block_motion.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "core/base/instruction_set.h"
#include "core/base/parallel.h"
#include "core/noise/detail/picture_motion.h"

// Compiled once per instruction set and chosen at run time.
HWY_BEFORE_NAMESPACE();
namespace glenhaze::detail::HWY_NAMESPACE {

namespace hn = hwy::HWY_NAMESPACE;

constexpr int kAtOnce = 16;  // displacements

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

// Of two cells beside each other in `a`: the sums of differences from those up to `reach` away in `b`, row by
// row.
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

// Which of `count` displacements of a block costs least: the sum of what its four cells differ by and of both
// penalties, in this order; among equal ones `before`, then the first. `count` is a multiple of kAtOnce.
int cheapest(const uint16_t* const* cells, const float* HWY_RESTRICT leave, const float* HWY_RESTRICT away,
             int count, int before) {
  const hn::CappedTag<float, kAtOnce> lanes;
  const hn::Rebind<uint16_t, decltype(lanes)> narrow;
  const hn::RebindToSigned<decltype(lanes)> whole;
  constexpr int kLanes = static_cast<int>(hn::MaxLanes(hn::CappedTag<float, kAtOnce>()));
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

// Of softened samples, whose differences fit 16 bits when eight are added.
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

// Sums of one Gauss–Newton step over a block, in code values: gradient products, gradient times difference,
// difference². The first three are of `a` alone; `again`: they are known already and stay as they are.
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

int blocksAlong(int samples) { return (samples + kStep - 1) / kStep + 1; }

// What Highway's dispatch gives is a plain pointer; taken once a search, not once a block.
HWY_EXPORT(blockDifference);
HWY_EXPORT(cellDifferences);
HWY_EXPORT(cheapest);
HWY_EXPORT(gradientSums);
HWY_EXPORT(cellSum);

namespace {

constexpr int kLevels = 4;
constexpr int kCoarseReach = 12;  // samples at the coarsest level
constexpr int kRowGrain = 2;

struct Whole {
  int dx = 0, dy = 0;
};

// Whole-sample motion on one level; blocks lie as those of a MotionField.
struct LevelField {
  int columns = 0, rows = 0;
  std::vector<Whole> vectors;
  Whole at(int column, int row) const {
    return vectors[static_cast<size_t>(std::clamp(row, 0, rows - 1)) * static_cast<size_t>(columns) +
                   static_cast<size_t>(std::clamp(column, 0, columns - 1))];
  }
  // The block whose middle is nearest to a point.
  Whole near(int x, int y) const {
    static_assert(kBlock == 2 * kStep);
    return at((x + kStep / 2) / kStep, (y + kStep / 2) / kStep);
  }
};

decltype(&HWY_STATIC_DISPATCH(blockDifference)) chosenDifference() {
  chooseInstructionSet();
  return HWY_DYNAMIC_DISPATCH(blockDifference);
}

// What leaving a guess, and each step away from it, must gain to be believed. Noise alone scatters the
// difference of two sums by about 1.2·σ·kBlock.
class Penalty {
 public:
  explicit Penalty(float sigma) : leave_(2.4F * sigma * kBlock), step_(0.15F * sigma * kBlock) {}
  float leave() const { return leave_; }
  float leaveTo(int steps) const { return steps > 0 ? leave_ : 0; }
  float awayBy(int steps) const { return step_ * static_cast<float>(std::min(8, steps)); }

 private:
  float leave_, step_;
};

class LevelSearch {
 public:
  LevelSearch(const BytePlane& from, const BytePlane& to, float sigma)
      : from_(from), to_(to), difference_(chosenDifference()), penalty_(sigma) {
    // The mean of |difference| of two equal pictures with normal noise is 2σ/√π.
    const float noise = 1.1284F * sigma * kBlock * kBlock;
    enough_ = 1.2F * noise;
    sure_ = 1.05F * noise;
  }

  // Reads stay inside the border for every block that begins at or behind −kStep.
  Whole held(int x, int y, Whole v) const {
    constexpr int kRoom = kBorder - 4;
    return {std::clamp(v.dx, -kRoom - x, to_.width + kRoom - kBlock - x),
            std::clamp(v.dy, -kRoom - y, to_.height + kRoom - kBlock - y)};
  }
  int difference(int x, int y, Whole v) const {
    v = held(x, y, v);
    return difference_(from_.row(y) + x, from_.stride, to_.row(y + v.dy) + x + v.dx, to_.stride);
  }
  int difference(int x, int y, BlockVector v) const {
    return difference(x, y, Whole{nearest(v.dx), nearest(v.dy)});
  }
  // Whether one vector leaves no more than another but for what noise scatters, to some three deviations.
  bool fitsAsWell(int x, int y, BlockVector one, BlockVector other) const {
    return static_cast<float>(difference(x, y, one)) <=
           static_cast<float>(difference(x, y, other)) + 1.6F * penalty_.leave();
  }
  float cost(int x, int y, Whole v, Whole guess) const {
    v = held(x, y, v);
    const int sum = difference(x, y, v);
    const int away = std::abs(v.dx - guess.dx) + std::abs(v.dy - guess.dy);
    return static_cast<float>(sum) + penalty_.leaveTo(away) + penalty_.awayBy(away);
  }
  // From the best of several guesses downhill, one sample at a time; no further than noise can tell.
  template <size_t N>
  Whole downhill(int x, int y, const std::array<Whole, N>& guesses, int steps) const {
    Whole best = guesses[0];
    float least = cost(x, y, best, guesses[0]);
    for (size_t i = 1; i < N && least > sure_; ++i) {
      const auto same = [&](const Whole& w) { return w.dx == guesses[i].dx && w.dy == guesses[i].dy; };
      if (std::none_of(guesses.begin(), guesses.begin() + static_cast<ptrdiff_t>(i), same))
        consider(x, y, guesses[i], guesses[0], best, least);
    }
    Whole came;  // how the last step went; back is not better
    for (int i = 0; i < steps && least > enough_; ++i) {
      const Whole start = best;
      for (const Whole& d : {Whole{1, 0}, {-1, 0}, {0, 1}, {0, -1}})
        if (came.dx + d.dx != 0 || came.dy + d.dy != 0)
          consider(x, y, {start.dx + d.dx, start.dy + d.dy}, guesses[0], best, least);
      came = {best.dx - start.dx, best.dy - start.dy};
      if (came.dx == 0 && came.dy == 0) break;
    }
    return held(x, y, best);
  }

 private:
  void consider(int x, int y, Whole v, Whole guess, Whole& best, float& least) const {
    const float c = cost(x, y, v, guess);
    if (c >= least) return;
    least = c;
    best = v;
  }
  const BytePlane& from_;
  const BytePlane& to_;
  int (*difference_)(const uint8_t*, ptrdiff_t, const uint8_t*, ptrdiff_t);
  Penalty penalty_;
  float enough_, sure_;
};

// All displacements of up to kCoarseReach, for the smallest pictures. Blocks overlap by half: what a cell
// differs by counts in four of them.
class CoarseSearch {
 public:
  CoarseSearch(const BytePlane& from, const BytePlane& to, float sigma, int columns)
      : from_(from), to_(to), columns_(columns), leave_(kPadded, kNever), away_(kPadded, 0.0F) {
    chooseInstructionSet();
    differences_ = HWY_DYNAMIC_DISPATCH(cellDifferences);
    cheapest_ = HWY_DYNAMIC_DISPATCH(cheapest);
    const Penalty penalty(sigma);
    for (int k = 0; k < kCount; ++k) {
      const Whole v = displacement(k);
      const int steps = std::abs(v.dx) + std::abs(v.dy);
      leave_[static_cast<size_t>(k)] = penalty.leaveTo(steps);
      away_[static_cast<size_t>(k)] = penalty.awayBy(steps);
    }
  }

  // Rows of blocks, the first of which begins at −kStep.
  void rows(int first, int last, Whole* to) const {
    // Of two rows of cells, two cells at a time.
    const auto row_of_cells = static_cast<size_t>(columns_ / 2 + 1) * 2 * kPadded;
    std::vector<uint16_t> sums(2 * row_of_cells);
    const auto cellAt = [&](int row, int column) {
      return sums.data() + static_cast<size_t>(row & 1) * row_of_cells +
             static_cast<size_t>(column) * kPadded;
    };
    const auto prepare = [&](int row) {
      const int y = row * kStep - kStep;
      for (int column = 0; column <= columns_; column += 2) {
        const int x = column * kStep - kStep;
        differences_(from_.row(y) + x, from_.stride, to_.row(y) + x, to_.stride, kCoarseReach,
                     cellAt(row, column), cellAt(row, column + 1));
      }
    };
    prepare(first);
    for (int row = first; row < last; ++row) {
      prepare(row + 1);
      for (int column = 0; column < columns_; ++column) {
        const std::array<const uint16_t*, 4> cells{cellAt(row, column), cellAt(row, column + 1),
                                                   cellAt(row + 1, column), cellAt(row + 1, column + 1)};
        *to++ = displacement(cheapest_(cells.data(), leave_.data(), away_.data(), kPadded, kCount / 2));
      }
    }
  }

 private:
  static constexpr int kSide = 2 * kCoarseReach + 1, kCount = kSide * kSide,
                       kPadded = (kCount + 15) / 16 * 16;
  static constexpr float kNever = 1e30F;
  // The last pair of cells may begin a cell behind the picture.
  static_assert(3 * kStep + kCoarseReach <= kBorder);
  static Whole displacement(int k) { return {k % kSide - kCoarseReach, k / kSide - kCoarseReach}; }

  const BytePlane& from_;
  const BytePlane& to_;
  int columns_;
  decltype(&HWY_STATIC_DISPATCH(cellDifferences)) differences_;
  decltype(&HWY_STATIC_DISPATCH(cheapest)) cheapest_;
  std::vector<float> leave_, away_;
};

// Where a block of a finer level may be found, by the coarser one. Neighbours there carry the motion of
// things smaller than a block.
std::array<Whole, 6> guessesBy(const LevelField& coarser, int x, int y) {
  const auto doubled = [&](int sx, int sy) {
    const Whole w = coarser.near((x + kBlock / 2 + sx) / 2, (y + kBlock / 2 + sy) / 2);
    return Whole{2 * w.dx, 2 * w.dy};
  };
  constexpr int kSide = 2 * kBlock;
  return {doubled(0, 0), doubled(-kSide, 0), doubled(kSide, 0), doubled(0, -kSide), doubled(0, kSide), {}};
}

constexpr int kMostSteps = 4;

LevelField emptyLevel(const BytePlane& from) {
  LevelField field;
  field.columns = blocksAlong(from.width);
  field.rows = blocksAlong(from.height);
  field.vectors.resize(static_cast<size_t>(field.columns) * static_cast<size_t>(field.rows));
  return field;
}

LevelField searchCoarsest(const BytePlane& from, const BytePlane& to, float sigma, const Progress& progress) {
  LevelField field = emptyLevel(from);
  const CoarseSearch search(from, to, sigma, field.columns);
  constexpr int kGrain = 4;
  parallelBlocks(field.rows, kGrain, [&](int first, int last) {
    progress.check();
    search.rows(first, last, field.vectors.data() + static_cast<ptrdiff_t>(first) * field.columns);
  });
  return field;
}

LevelField searchLevel(const BytePlane& from, const BytePlane& to, const LevelField& coarser, float sigma,
                       const Progress& progress) {
  LevelField field = emptyLevel(from);
  const LevelSearch search(from, to, sigma);
  parallelBlocks(field.rows, kRowGrain, [&](int first, int last) {
    progress.check();
    for (int row = first; row < last; ++row)
      for (int column = 0; column < field.columns; ++column) {
        const int x = column * kStep - kStep, y = row * kStep - kStep;
        field.vectors[static_cast<size_t>(row) * static_cast<size_t>(field.columns) +
                      static_cast<size_t>(column)] =
            search.downhill(x, y, guessesBy(coarser, x, y), kMostSteps);
      }
  });
  return field;
}

// The fraction of a sample from a start, with a prior that keeps blocks without structure where they are.
BlockVector refined(const SamplePlane& from, const SamplePlane& to, int x, int y, BlockVector start,
                    float noise_energy) {
  constexpr int kRounds = 3;
  constexpr float kFarthest = 1.5F, kStill = 0.2F;
  const auto sums_of = HWY_DYNAMIC_DISPATCH(gradientSums);
  const auto down = [](float v) {
    const int i = static_cast<int>(v);
    return i - (static_cast<float>(i) > v ? 1 : 0);
  };
  // What noise alone makes of the gradients' energy, softened by 1 2 1 both ways: 0.117 of its own variance.
  const float empty = noise_energy * (32.0F / 9) * 0.117F * kBlock * kBlock;
  float dx = 0, dy = 0;
  BlockVector best = start;
  float least = std::numeric_limits<float>::max();
  std::array<float, 6> s{};
  for (int round = 0; round < kRounds; ++round) {
    const float px = start.dx + dx, py = start.dy + dy;
    const int ix = std::clamp(down(px), -kBorder + 2 - x, to.width + kBorder - kBlock - 4 - x);
    const int iy = std::clamp(down(py), -kBorder + 2 - y, to.height + kBorder - kBlock - 4 - y);
    const float fx = std::clamp(px - static_cast<float>(ix), 0.0F, 1.0F),
                fy = std::clamp(py - static_cast<float>(iy), 0.0F, 1.0F);
    sums_of(from.row(y) + x, from.stride, to.row(y + iy) + x + ix, to.stride, fx, fy, round > 0, s.data());
    if (s[5] >= least) break;
    least = s[5];
    best = {static_cast<float>(ix) + fx, static_cast<float>(iy) + fy, std::max(1.0F, s[0] + s[2] - empty)};
    // A tenth of a sample is what blocks without structure may be led astray by noise.
    const float keep = noise_energy * 88;
    const float a = s[0] + keep, b = s[1], c = s[2] + keep;
    const float det = a * c - b * b;
    if (det <= 1e-3F) break;
    // Content at p in `from` is at p + v in `to`: a larger v brings to(p + v) further along the gradient.
    const float step_x = (c * s[3] - b * s[4]) / det, step_y = (a * s[4] - b * s[3]) / det;
    dx = std::clamp(dx + step_x, -kFarthest, kFarthest);
    dy = std::clamp(dy + step_y, -kFarthest, kFarthest);
    // What would be left after so short a step is less than noise leaves anyway: steps shrink fast.
    if (std::abs(step_x) + std::abs(step_y) < kStill) return {best.dx + step_x, best.dy + step_y, best.sure};
  }
  return best;
}

}  // namespace

void makeMotionPicture(const SamplePlane& luma, MotionPicture& to) {
  makePyramid(luma, kLevels, to.pyramid);
  soften(luma, to.soft);
}

MotionPicture motionPicture(const SamplePlane& luma) {
  MotionPicture made;
  makeMotionPicture(luma, made);
  return made;
}

namespace {

BlockVector asVector(Whole w) { return {static_cast<float>(w.dx), static_cast<float>(w.dy)}; }

// Each vector the mean of those around that go the same way, those with structure before those without: most
// of what noise does to a single one is gone.
MotionField calmed(const MotionField& field, const Progress& progress) {
  constexpr int kReach = 2;
  constexpr float kAgree = 0.5F;
  // Beside each other, with none around, so that a row is done in a few long loops.
  const size_t pitch = static_cast<size_t>(field.columns) + 2 * kReach;
  const size_t padded = pitch * (static_cast<size_t>(field.rows) + 2 * kReach);
  std::vector<float> xs(padded), ys(padded), sure(padded);
  const auto index = [&](int column, int row) {
    return static_cast<size_t>(row + kReach) * pitch + static_cast<size_t>(column + kReach);
  };
  for (int row = 0; row < field.rows; ++row)
    for (int column = 0; column < field.columns; ++column) {
      const BlockVector& v = field.at(column, row);
      const size_t i = index(column, row);
      xs[i] = v.dx;
      ys[i] = v.dy;
      // Every other one, as on a chessboard: those between are means of these already.
      sure[i] = (column + row) % 2 == 0 ? v.sure : 0;
    }
  MotionField out = field;
  parallelBlocks(field.rows, kRowGrain, [&](int first, int last) {
    progress.check();
    const auto columns = static_cast<size_t>(field.columns);
    std::vector<float> dx(columns), dy(columns), weight(columns);
    for (int row = first; row < last; ++row) {
      std::fill(dx.begin(), dx.end(), 0.0F);
      std::fill(dy.begin(), dy.end(), 0.0F);
      std::fill(weight.begin(), weight.end(), 0.0F);
      const float *own_x = &xs[index(0, row)], *own_y = &ys[index(0, row)];
      for (int r = -kReach; r <= kReach; ++r)
        for (int c = -kReach; c <= kReach; ++c) {
          const size_t at = index(c, row + r);
          const float *other_x = &xs[at], *other_y = &ys[at], *other_sure = &sure[at];
          float *to_x = dx.data(), *to_y = dy.data(), *to_weight = weight.data();
#pragma GCC ivdep
          for (size_t i = 0; i < columns; ++i) {
            const float x = other_x[i] - own_x[i], y = other_y[i] - own_y[i], s = other_sure[i];
            const float w = std::max(std::abs(x), std::abs(y)) <= kAgree ? s : 0.0F;
            to_x[i] += w * x;
            to_y[i] += w * y;
            to_weight[i] += w;
          }
        }
      BlockVector* to = &out.vectors[static_cast<size_t>(row) * columns];
      for (size_t i = 0; i < columns; ++i)
        if (weight[i] > 0) to[i] = {own_x[i] + dx[i] / weight[i], own_y[i] + dy[i] / weight[i], to[i].sure};
    }
  });
  return out;
}

// Blocks with little structure follow the picture's motion where theirs is near it, or fits no better: what
// they have found is half the resemblance of noise.
void followPicture(MotionField& field, const LevelSearch& search, float trust) {
  constexpr float kNear = 1;
  const PictureMotion whole(field, trust);
  if (!whole.told()) return;
  parallelBlocks(field.rows, kRowGrain, [&](int first, int last) {
    for (int row = first; row < last; ++row)
      for (int column = 0; column < field.columns; ++column) {
        BlockVector& v = field.vectors[static_cast<size_t>(row) * static_cast<size_t>(field.columns) +
                                       static_cast<size_t>(column)];
        const BlockVector by = whole.at(static_cast<float>(column), static_cast<float>(row));
        float own = v.sure / (v.sure + trust);
        if (std::abs(v.dx - by.dx) > kNear || std::abs(v.dy - by.dy) > kNear) {
          const int x = column * kStep - kStep, y = row * kStep - kStep;
          if (v.sure > trust || !search.fitsAsWell(x, y, by, v)) continue;
          own = 0;
        }
        v.dx = own * v.dx + (1 - own) * by.dx;
        v.dy = own * v.dy + (1 - own) * by.dy;
      }
  });
}

// `start(column, row)`: where to begin at that block. Blocks overlap by half, so every other one, as on a
// chessboard, says it all; those between have the mean of their neighbours or, where these differ, the one of
// them that fits best.
template <typename F>
MotionField refinedField(const MotionPicture& from, const MotionPicture& to, F start, float sigma,
                         const Progress& progress) {
  MotionField field;
  field.columns = blocksAlong(from.soft.width);
  field.rows = blocksAlong(from.soft.height);
  field.vectors.resize(static_cast<size_t>(field.columns) * static_cast<size_t>(field.rows));
  const float noise_energy = softNoiseEnergy(sigma);
  const LevelSearch search(from.pyramid[0], to.pyramid[0], sigma);
  const auto find = [&](int column, int row) {
    return refined(from.soft, to.soft, column * kStep - kStep, row * kStep - kStep, start(column, row),
                   noise_energy);
  };
  const auto eachOther = [&](int begin, auto body) {
    parallelBlocks(field.rows, kRowGrain, [&](int first, int last) {
      progress.check();
      for (int row = first; row < last; ++row)
        for (int column = (begin + row) % 2; column < field.columns; column += 2)
          field.vectors[static_cast<size_t>(row) * static_cast<size_t>(field.columns) +
                        static_cast<size_t>(column)] = body(column, row);
    });
  };
  eachOther(0, find);
  eachOther(1, [&](int column, int row) {
    const std::array around{
        field.at(std::max(column - 1, 0), row), field.at(std::min(column + 1, field.columns - 1), row),
        field.at(column, std::max(row - 1, 0)), field.at(column, std::min(row + 1, field.rows - 1))};
    // At the edges a block would stand for its own neighbour.
    const bool inside = column > 0 && row > 0 && column + 1 < field.columns && row + 1 < field.rows;
    if (!inside) return find(column, row);
    if (const auto mean = agreement(around)) return *mean;
    const int x = column * kStep - kStep, y = row * kStep - kStep;
    std::array<int, 4> differences{};
    for (size_t i = 0; i < around.size(); ++i) differences[i] = search.difference(x, y, around[i]);
    return around[static_cast<size_t>(std::min_element(differences.begin(), differences.end()) -
                                      differences.begin())];
  });
  MotionField out = calmed(field, progress);
  followPicture(out, search, kTrustedStructure * noise_energy);
  return out;
}

}  // namespace

MotionField estimateMotion(const MotionPicture& from, const MotionPicture& to, float sigma,
                           const Progress& progress) {
  const auto levels = static_cast<int>(from.pyramid.size());
  const auto at = [](const MotionPicture& of, int level) -> const BytePlane& {
    return of.pyramid[static_cast<size_t>(level)];
  };
  float level_sigma = sigma / static_cast<float>(1 << (levels - 1));
  LevelField found = searchCoarsest(at(from, levels - 1), at(to, levels - 1), level_sigma, progress);
  for (int level = levels - 2; level > 0; --level) {
    level_sigma *= 2;
    found = searchLevel(at(from, level), at(to, level), found, level_sigma, progress);
  }
  const LevelSearch search(from.pyramid[0], to.pyramid[0], sigma);
  const auto start = [&](int column, int row) {
    const int x = column * kStep - kStep, y = row * kStep - kStep;
    return asVector(levels == 1 ? found.at(column, row)
                                : search.downhill(x, y, guessesBy(found, x, y), kMostSteps));
  };
  return refinedField(from, to, start, sigma, progress);
}

MotionField estimateMotion(const MotionPicture& from, const MotionPicture& to, float sigma,
                           const MotionField& guess, const Progress& progress) {
  const LevelSearch search(from.pyramid[0], to.pyramid[0], sigma);
  const auto start = [&](int column, int row) {
    const auto at = [&](int c, int r) {
      const BlockVector v = guess.at(std::clamp(c, 0, guess.columns - 1), std::clamp(r, 0, guess.rows - 1));
      return Whole{nearest(v.dx), nearest(v.dy)};
    };
    constexpr int kAway = 2;
    return asVector(
        search.downhill(column * kStep - kStep, row * kStep - kStep,
                        std::array{at(column, row), at(column - kAway, row), at(column + kAway, row),
                                   at(column, row - kAway), at(column, row + kAway), Whole{}},
                        kMostSteps));
  };
  return refinedField(from, to, start, sigma, progress);
}

MotionField refineMotion(const MotionPicture& from, const MotionPicture& to, float sigma,
                         const MotionField& guess, const Progress& progress) {
  return refinedField(
      from, to, [&](int column, int row) { return guess.at(column, row); }, sigma, progress);
}

int cellDifference(const SamplePlane& from, const SamplePlane& to, int x, int y, int dx, int dy) {
  const int tx = std::clamp(x + dx, -kBorder, to.width + kBorder - kStep),
            ty = std::clamp(y + dy, -kBorder, to.height + kBorder - kStep);
  return HWY_DYNAMIC_DISPATCH(cellSum)(from.row(y) + x, from.stride, to.row(ty) + tx, to.stride);
}

MotionField chained(const MotionField& first, const MotionField& second) {
  MotionField out = first;
  for (int row = 0; row < out.rows; ++row)
    for (int column = 0; column < out.columns; ++column) {
      BlockVector& v = out.vectors[static_cast<size_t>(row) * static_cast<size_t>(out.columns) +
                                   static_cast<size_t>(column)];
      const auto along = [](int at, float by, int count) {
        return std::clamp(at + nearest(by / kStep), 0, count - 1);
      };
      const BlockVector on = second.at(along(column, v.dx, out.columns), along(row, v.dy, out.rows));
      v = {v.dx + on.dx, v.dy + on.dy, std::min(v.sure, on.sure)};
    }
  return out;
}

MotionField turnedAround(const MotionField& field) {
  MotionField out = field;
  for (BlockVector& v : out.vectors) v = {-v.dx, -v.dy, v.sure};
  return out;
}

}  // namespace glenhaze::detail
#endif
