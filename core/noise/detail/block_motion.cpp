#include "core/noise/detail/block_motion.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/noise/detail/block_motion.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "core/base/parallel.h"

// The loops below are plain; each is compiled once per instruction set and chosen at run time.
HWY_BEFORE_NAMESPACE();
namespace glenhaze::detail::HWY_NAMESPACE {

int blockDifference(const uint8_t* HWY_RESTRICT a, ptrdiff_t a_stride, const uint8_t* HWY_RESTRICT b,
                    ptrdiff_t b_stride) {
  int sum = 0;
  for (int y = 0; y < kBlock; ++y) {
    for (int x = 0; x < kBlock; ++x) {
      const int d = a[x] - b[x];
      sum += d < 0 ? -d : d;
    }
    a += a_stride;
    b += b_stride;
  }
  return sum;
}

// Sums of one Gauss–Newton step over a block: gradient products, gradient times difference, difference².
void gradientSums(const float* HWY_RESTRICT a, ptrdiff_t a_stride, const float* HWY_RESTRICT b,
                  ptrdiff_t b_stride, float fx, float fy, float* HWY_RESTRICT sums) {
  float xx[kBlock] = {}, xy[kBlock] = {}, yy[kBlock] = {}, xd[kBlock] = {}, yd[kBlock] = {}, dd[kBlock] = {};
  const float w00 = (1 - fx) * (1 - fy), w10 = fx * (1 - fy), w01 = (1 - fx) * fy, w11 = fx * fy;
  for (int y = 0; y < kBlock; ++y) {
    const float* HWY_RESTRICT above = a - a_stride;
    const float* HWY_RESTRICT below = a + a_stride;
    const float* HWY_RESTRICT next = b + b_stride;
    for (int x = 0; x < kBlock; ++x) {
      const float gx = 0.5F * (a[x + 1] - a[x - 1]), gy = 0.5F * (below[x] - above[x]);
      const float there = w00 * b[x] + w10 * b[x + 1] + w01 * next[x] + w11 * next[x + 1];
      const float d = a[x] - there;
      xx[x] += gx * gx;
      xy[x] += gx * gy;
      yy[x] += gy * gy;
      xd[x] += gx * d;
      yd[x] += gy * d;
      dd[x] += d * d;
    }
    a += a_stride;
    b += b_stride;
  }
  for (int i = 0; i < 6; ++i) sums[i] = 0;
  for (int x = 0; x < kBlock; ++x) {
    sums[0] += xx[x];
    sums[1] += xy[x];
    sums[2] += yy[x];
    sums[3] += xd[x];
    sums[4] += yd[x];
    sums[5] += dd[x];
  }
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
                       int step, int offset) {
  LevelField field;
  field.step = step;
  field.offset = offset;
  field.columns = (from.width - offset + step - 1) / step;
  field.rows = (from.height - offset + step - 1) / step;
  field.vectors.resize(static_cast<size_t>(field.columns) * static_cast<size_t>(field.rows));
  const LevelSearch search(from, to, sigma);
  parallelBlocks(field.rows, kRowGrain, [&](int first, int last) {
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

MotionField estimateMotion(const MotionPicture& from, const MotionPicture& to, float sigma) {
  LevelField whole;
  const auto levels = static_cast<int>(from.pyramid.size());
  float level_sigma = sigma / static_cast<float>(1 << (levels - 1));
  for (int level = levels - 1; level >= 0; --level, level_sigma *= 2) {
    const bool finest = level == 0;
    LevelField next =
        searchLevel(from.pyramid[static_cast<size_t>(level)], to.pyramid[static_cast<size_t>(level)],
                    whole.vectors.empty() ? nullptr : &whole, level_sigma, finest ? kStep : kBlock / 2,
                    finest ? -kStep : -kStep);
    whole = std::move(next);
  }
  MotionField field;
  field.columns = blocksAlong(from.soft.width);
  field.rows = blocksAlong(from.soft.height);
  field.vectors.resize(static_cast<size_t>(field.columns) * static_cast<size_t>(field.rows));
  // Softening by 1 2 1 both ways leaves 9/64 of white noise's variance.
  const float noise_energy = sigma * sigma * (9.0F / 64) * 2;
  parallelBlocks(field.rows, kRowGrain, [&](int first, int last) {
    for (int row = first; row < last; ++row)
      for (int column = 0; column < field.columns; ++column)
        field.vectors[static_cast<size_t>(row) * static_cast<size_t>(field.columns) +
                      static_cast<size_t>(column)] =
            refined(from.soft, to.soft, column * kStep - kStep, row * kStep - kStep, whole.at(column, row),
                    noise_energy);
  });
  return field;
}

}  // namespace glenhaze::detail
#endif
