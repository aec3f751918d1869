#include "core/noise/detail/block_motion.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/noise/detail/block_motion.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "core/base/parallel.h"

// Compiled once per instruction set and chosen at run time.
HWY_BEFORE_NAMESPACE();
namespace glenhaze::detail::HWY_NAMESPACE {

namespace hn = hwy::HWY_NAMESPACE;

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
  auto sums = hn::Zero(words);
  for (int y = 0; y < kBlock; ++y, a += a_stride, b += b_stride) {
    const auto p = hn::LoadU(bytes, a), q = hn::LoadU(bytes, b);
    sums = hn::Add(sums, hn::SumsOf8(hn::Sub(hn::Max(p, q), hn::Min(p, q))));
  }
  return static_cast<int>(hn::GetLane(hn::SumOfLanes(words, sums)));
#endif
}

// Sums of one Gauss–Newton step over a block: gradient products, gradient times difference, difference².
void gradientSums(const float* HWY_RESTRICT a, ptrdiff_t a_stride, const float* HWY_RESTRICT b,
                  ptrdiff_t b_stride, float fx, float fy, float* HWY_RESTRICT sums) {
  const hn::CappedTag<float, kBlock> lanes;
  constexpr int kWide = static_cast<int>(hn::MaxLanes(hn::CappedTag<float, kBlock>()));
  const auto w00 = hn::Set(lanes, (1 - fx) * (1 - fy)), w10 = hn::Set(lanes, fx * (1 - fy)),
             w01 = hn::Set(lanes, (1 - fx) * fy), w11 = hn::Set(lanes, fx * fy), half = hn::Set(lanes, 0.5F);
  auto xx = hn::Zero(lanes), xy = xx, yy = xx, xd = xx, yd = xx, dd = xx;
  for (int x = 0; x < kBlock; x += kWide) {
    const float *from = a + x, *to = b + x;
    auto above = hn::LoadU(lanes, from - a_stride), here = hn::LoadU(lanes, from);
    for (int y = 0; y < kBlock; ++y, from += a_stride, to += b_stride) {
      const auto below = hn::LoadU(lanes, from + a_stride);
      const auto gx = hn::Mul(half, hn::Sub(hn::LoadU(lanes, from + 1), hn::LoadU(lanes, from - 1)));
      const auto gy = hn::Mul(half, hn::Sub(below, above));
      auto there = hn::Mul(w00, hn::LoadU(lanes, to));
      there = hn::MulAdd(w10, hn::LoadU(lanes, to + 1), there);
      there = hn::MulAdd(w01, hn::LoadU(lanes, to + b_stride), there);
      there = hn::MulAdd(w11, hn::LoadU(lanes, to + b_stride + 1), there);
      const auto d = hn::Sub(here, there);
      xx = hn::MulAdd(gx, gx, xx);
      xy = hn::MulAdd(gx, gy, xy);
      yy = hn::MulAdd(gy, gy, yy);
      xd = hn::MulAdd(gx, d, xd);
      yd = hn::MulAdd(gy, d, yd);
      dd = hn::MulAdd(d, d, dd);
      above = here;
      here = below;
    }
  }
  int i = 0;
  for (const auto& sum : {xx, xy, yy, xd, yd, dd}) sums[i++] = hn::GetLane(hn::SumOfLanes(lanes, sum));
}

}  // namespace glenhaze::detail::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace glenhaze::detail {

// What Highway's dispatch gives is a plain pointer; taken once a search, not once a block.
HWY_EXPORT(blockDifference);
HWY_EXPORT(gradientSums);

namespace {

constexpr int kLevels = 4;
constexpr int kCoarseReach = 12;  // samples at the coarsest level
constexpr int kRowGrain = 4;

struct Whole {
  int dx = 0, dy = 0;
};

// Whole-sample motion on one level, blocks `step` apart.
struct LevelField {
  int step = kBlock, offset = 0, columns = 0, rows = 0;
  std::vector<Whole> vectors;
  Whole at(int column, int row) const {
    return vectors[static_cast<size_t>(std::clamp(row, 0, rows - 1)) * static_cast<size_t>(columns) +
                   static_cast<size_t>(std::clamp(column, 0, columns - 1))];
  }
  // The block whose middle is nearest to a point.
  Whole near(int x, int y) const {
    return at((x - offset - kBlock / 2 + step / 2) / step, (y - offset - kBlock / 2 + step / 2) / step);
  }
};

class LevelSearch {
 public:
  LevelSearch(const BytePlane& from, const BytePlane& to, float sigma)
      : from_(from), to_(to), difference_(HWY_DYNAMIC_DISPATCH(blockDifference)) {
    // What a step sideways must gain to be believed: a share of what noise alone makes of the sum.
    lambda_ = 0.15F * sigma * kBlock;
  }

  // Reads stay inside the border for every block that begins at or behind −kStep.
  Whole held(int x, int y, Whole v) const {
    constexpr int kRoom = kBorder - 4;
    return {std::clamp(v.dx, -kRoom - x, to_.width + kRoom - kBlock - x),
            std::clamp(v.dy, -kRoom - y, to_.height + kRoom - kBlock - y)};
  }
  float cost(int x, int y, Whole v, Whole guess) const {
    v = held(x, y, v);
    const int sum = difference_(from_.row(y) + x, from_.stride, to_.row(y + v.dy) + x + v.dx, to_.stride);
    return static_cast<float>(sum) +
           lambda_ * static_cast<float>(std::min(8, std::abs(v.dx - guess.dx) + std::abs(v.dy - guess.dy)));
  }
  Whole around(int x, int y, Whole guess, int reach) const {
    Whole best = guess;
    float least = cost(x, y, guess, guess);
    for (int dy = -reach; dy <= reach; ++dy)
      for (int dx = -reach; dx <= reach; ++dx)
        consider(x, y, {guess.dx + dx, guess.dy + dy}, guess, best, least);
    return held(x, y, best);
  }
  // From the best of several guesses downhill, one sample at a time.
  template <size_t N>
  Whole downhill(int x, int y, const std::array<Whole, N>& guesses, int steps) const {
    Whole best = guesses[0];
    float least = cost(x, y, best, guesses[0]);
    for (size_t i = 1; i < N; ++i) consider(x, y, guesses[i], guesses[0], best, least);
    for (int i = 0; i < steps; ++i) {
      const Whole start = best;
      for (const Whole& d : {Whole{1, 0}, {-1, 0}, {0, 1}, {0, -1}})
        consider(x, y, {start.dx + d.dx, start.dy + d.dy}, guesses[0], best, least);
      if (best.dx == start.dx && best.dy == start.dy) break;
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
  float lambda_;
};

LevelField searchLevel(const BytePlane& from, const BytePlane& to, const LevelField* coarser, float sigma,
                       int step, int offset, const Progress& progress) {
  LevelField field;
  field.step = step;
  field.offset = offset;
  field.columns = (from.width - offset + step - 1) / step;
  field.rows = (from.height - offset + step - 1) / step;
  field.vectors.resize(static_cast<size_t>(field.columns) * static_cast<size_t>(field.rows));
  const LevelSearch search(from, to, sigma);
  parallelBlocks(field.rows, kRowGrain, [&](int first, int last) {
    progress.check();
    for (int row = first; row < last; ++row)
      for (int column = 0; column < field.columns; ++column) {
        const int x = offset + column * step, y = offset + row * step;
        Whole& v = field.vectors[static_cast<size_t>(row) * static_cast<size_t>(field.columns) +
                                 static_cast<size_t>(column)];
        if (coarser == nullptr) {
          v = search.around(x, y, {0, 0}, kCoarseReach);
          continue;
        }
        const auto doubled = [&](int sx, int sy) {
          const Whole w = coarser->near((x + kBlock / 2 + sx) / 2, (y + kBlock / 2 + sy) / 2);
          return Whole{2 * w.dx, 2 * w.dy};
        };
        // Neighbours on the coarser level carry the motion of things smaller than a block there.
        constexpr int kSide = 2 * kBlock;
        v = search.downhill(x, y,
                            std::array{doubled(0, 0), doubled(-kSide, 0), doubled(kSide, 0),
                                       doubled(0, -kSide), doubled(0, kSide), Whole{}},
                            4);
      }
  });
  return field;
}

// The fraction of a sample, with a prior that keeps blocks without structure where they are.
BlockVector refined(const FloatPlane& from, const FloatPlane& to, int x, int y, Whole whole,
                    float noise_energy) {
  constexpr int kRounds = 3;
  constexpr float kFarthest = 1.5F;
  const auto sums_of = HWY_DYNAMIC_DISPATCH(gradientSums);
  float dx = 0, dy = 0;
  BlockVector best{static_cast<float>(whole.dx), static_cast<float>(whole.dy)};
  float least = std::numeric_limits<float>::max();
  for (int round = 0; round < kRounds; ++round) {
    const float px = static_cast<float>(whole.dx) + dx, py = static_cast<float>(whole.dy) + dy;
    const int ix =
        std::clamp(static_cast<int>(std::floor(px)), -kBorder + 2 - x, to.width + kBorder - kBlock - 4 - x);
    const int iy =
        std::clamp(static_cast<int>(std::floor(py)), -kBorder + 2 - y, to.height + kBorder - kBlock - 4 - y);
    const float fx = std::clamp(px - static_cast<float>(ix), 0.0F, 1.0F),
                fy = std::clamp(py - static_cast<float>(iy), 0.0F, 1.0F);
    std::array<float, 6> s{};
    sums_of(from.row(y) + x, from.stride, to.row(y + iy) + x + ix, to.stride, fx, fy, s.data());
    if (s[5] < least) {
      least = s[5];
      best = {static_cast<float>(ix) + fx, static_cast<float>(iy) + fy};
    }
    // Prior: half a sample.
    const float keep = noise_energy * 4;
    const float a = s[0] + keep, b = s[1], c = s[2] + keep;
    const float det = a * c - b * b;
    if (det <= 1e-3F) break;
    // Content at p in `from` is at p + v in `to`: a larger v brings to(p + v) further along the gradient.
    const float step_x = (c * s[3] - b * s[4]) / det, step_y = (a * s[4] - b * s[3]) / det;
    dx = std::clamp(dx + step_x, -kFarthest, kFarthest);
    dy = std::clamp(dy + step_y, -kFarthest, kFarthest);
    if (std::abs(step_x) + std::abs(step_y) < 0.01F) break;
  }
  return best;
}

}  // namespace

int blocksAlong(int samples) { return (samples + kStep - 1) / kStep + 1; }

MotionPicture motionPicture(const FloatPlane& luma) { return {bytePyramid(luma, kLevels), softened(luma)}; }

namespace {

// Whole-sample motion near a guess: the finest level of the search alone.
LevelField searchNear(const BytePlane& from, const BytePlane& to, const MotionField& guess, float sigma,
                      const Progress& progress) {
  LevelField field;
  field.step = kStep;
  field.offset = -kStep;
  field.columns = guess.columns;
  field.rows = guess.rows;
  field.vectors.resize(guess.vectors.size());
  const LevelSearch search(from, to, sigma);
  parallelBlocks(field.rows, kRowGrain, [&](int first, int last) {
    progress.check();
    for (int row = first; row < last; ++row)
      for (int column = 0; column < field.columns; ++column) {
        const auto at = [&](int c, int r) {
          const BlockVector v =
              guess.at(std::clamp(c, 0, field.columns - 1), std::clamp(r, 0, field.rows - 1));
          return Whole{static_cast<int>(std::lround(v.dx)), static_cast<int>(std::lround(v.dy))};
        };
        constexpr int kAway = 2;
        field.vectors[static_cast<size_t>(row) * static_cast<size_t>(field.columns) +
                      static_cast<size_t>(column)] =
            search.downhill(column * kStep - kStep, row * kStep - kStep,
                            std::array{at(column, row), at(column - kAway, row), at(column + kAway, row),
                                       at(column, row - kAway), at(column, row + kAway), Whole{}},
                            4);
      }
  });
  return field;
}

MotionField refinedField(const MotionPicture& from, const MotionPicture& to, const LevelField& whole,
                         float sigma, const Progress& progress) {
  MotionField field;
  field.columns = blocksAlong(from.soft.width);
  field.rows = blocksAlong(from.soft.height);
  field.vectors.resize(static_cast<size_t>(field.columns) * static_cast<size_t>(field.rows));
  // Softening by 1 2 1 both ways leaves 9/64 of white noise's variance.
  const float noise_energy = sigma * sigma * (9.0F / 64) * 2;
  parallelBlocks(field.rows, kRowGrain, [&](int first, int last) {
    progress.check();
    for (int row = first; row < last; ++row)
      for (int column = 0; column < field.columns; ++column)
        field.vectors[static_cast<size_t>(row) * static_cast<size_t>(field.columns) +
                      static_cast<size_t>(column)] =
            refined(from.soft, to.soft, column * kStep - kStep, row * kStep - kStep, whole.at(column, row),
                    noise_energy);
  });
  return field;
}

}  // namespace

MotionField estimateMotion(const MotionPicture& from, const MotionPicture& to, float sigma,
                           const Progress& progress) {
  LevelField whole;
  const auto levels = static_cast<int>(from.pyramid.size());
  float level_sigma = sigma / static_cast<float>(1 << (levels - 1));
  for (int level = levels - 1; level >= 0; --level, level_sigma *= 2)
    whole = searchLevel(from.pyramid[static_cast<size_t>(level)], to.pyramid[static_cast<size_t>(level)],
                        level == levels - 1 ? nullptr : &whole, level_sigma, level == 0 ? kStep : kBlock / 2,
                        -kStep, progress);
  return refinedField(from, to, whole, sigma, progress);
}

MotionField estimateMotion(const MotionPicture& from, const MotionPicture& to, float sigma,
                           const MotionField& guess, const Progress& progress) {
  const LevelField whole = searchNear(from.pyramid[0], to.pyramid[0], guess, sigma, progress);
  return refinedField(from, to, whole, sigma, progress);
}

MotionField chained(const MotionField& first, const MotionField& second) {
  MotionField out = first;
  for (int row = 0; row < out.rows; ++row)
    for (int column = 0; column < out.columns; ++column) {
      BlockVector& v = out.vectors[static_cast<size_t>(row) * static_cast<size_t>(out.columns) +
                                   static_cast<size_t>(column)];
      const auto along = [](int at, float by, int count) {
        return std::clamp(at + static_cast<int>(std::lround(by / kStep)), 0, count - 1);
      };
      const BlockVector on = second.at(along(column, v.dx, out.columns), along(row, v.dy, out.rows));
      v = {v.dx + on.dx, v.dy + on.dy};
    }
  return out;
}

MotionField turnedAround(const MotionField& field) {
  MotionField out = field;
  for (BlockVector& v : out.vectors) v = {-v.dx, -v.dy};
  return out;
}

}  // namespace glenhaze::detail
#endif
