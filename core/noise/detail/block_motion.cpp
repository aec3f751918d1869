#include "core/noise/detail/block_motion.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "core/base/parallel.h"
#include "core/noise/detail/picture_motion.h"

namespace glenhaze::detail {

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

// A block where it is said to be, by itself and by four around it; and where it was.
using Guesses = std::array<Whole, 6>;

class LevelSearch {
 public:
  LevelSearch(const BytePlane& from, const BytePlane& to, float sigma)
      : from_(from), to_(to), difference_(motionKernels().block_difference), penalty_(sigma) {
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
  Whole downhill(int x, int y, const Guesses& guesses, int steps) const {
    Whole best = guesses[0];
    float least = cost(x, y, best, guesses[0]);
    for (size_t i = 1; i < guesses.size() && least > sure_; ++i) {
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
  decltype(MotionKernels::block_difference) difference_;
  Penalty penalty_;
  float enough_, sure_;
};

// All displacements of up to kCoarseReach, for the smallest pictures. Blocks overlap by half: what a cell
// differs by counts in four of them.
class CoarseSearch {
 public:
  CoarseSearch(const BytePlane& from, const BytePlane& to, float sigma, int columns)
      : from_(from), to_(to), columns_(columns), leave_(kPadded, kNever), away_(kPadded, 0.0F) {
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
        kernels_.cell_differences(from_.row(y) + x, from_.stride, to_.row(y) + x, to_.stride, kCoarseReach,
                                  cellAt(row, column), cellAt(row, column + 1));
      }
    };
    prepare(first);
    for (int row = first; row < last; ++row) {
      prepare(row + 1);
      for (int column = 0; column < columns_; ++column) {
        const std::array<const uint16_t*, 4> cells{cellAt(row, column), cellAt(row, column + 1),
                                                   cellAt(row + 1, column), cellAt(row + 1, column + 1)};
        *to++ =
            displacement(kernels_.cheapest(cells.data(), leave_.data(), away_.data(), kPadded, kCount / 2));
      }
    }
  }

 private:
  static constexpr int kSide = 2 * kCoarseReach + 1, kCount = kSide * kSide,
                       kPadded = (kCount + kCheapestAtOnce - 1) / kCheapestAtOnce * kCheapestAtOnce;
  static constexpr float kNever = 1e30F;
  // The last pair of cells may begin a cell behind the picture.
  static_assert(3 * kStep + kCoarseReach <= kBorder);
  static Whole displacement(int k) { return {k % kSide - kCoarseReach, k / kSide - kCoarseReach}; }

  const BytePlane& from_;
  const BytePlane& to_;
  int columns_;
  MotionKernels kernels_ = motionKernels();
  std::vector<float> leave_, away_;
};

// Where all say the same but for what a sample of the coarser level leaves open, their mean is nearer than
// any of them, and there is nothing to choose between.
Guesses settled(const Guesses& guesses) {
  constexpr int kOpen = 2;
  Whole sum;
  for (size_t i = 0; i + 1 < guesses.size(); ++i) {
    if (std::abs(guesses[i].dx - guesses[0].dx) > kOpen || std::abs(guesses[i].dy - guesses[0].dy) > kOpen)
      return guesses;
    sum = {sum.dx + guesses[i].dx, sum.dy + guesses[i].dy};
  }
  const auto share = [](int v) { return nearest(static_cast<float>(v) / (Guesses().size() - 1)); };
  Guesses mean;
  mean.fill({share(sum.dx), share(sum.dy)});
  return mean;
}

// Where a block of a finer level may be found, by the coarser one. Neighbours there carry the motion of
// things smaller than a block.
Guesses guessesBy(const LevelField& coarser, int x, int y) {
  const auto doubled = [&](int sx, int sy) {
    const Whole w = coarser.near((x + kBlock / 2 + sx) / 2, (y + kBlock / 2 + sy) / 2);
    return Whole{2 * w.dx, 2 * w.dy};
  };
  constexpr int kSide = 2 * kBlock;
  return settled(
      {doubled(0, 0), doubled(-kSide, 0), doubled(kSide, 0), doubled(0, -kSide), doubled(0, kSide), {}});
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
                    float noise_energy, decltype(MotionKernels::gradient_sums) sums_of) {
  constexpr int kRounds = 3;
  constexpr float kFarthest = 1.5F, kStill = 0.2F;
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
  const auto sums_of = motionKernels().gradient_sums;
  const auto find = [&](int column, int row) {
    return refined(from.soft, to.soft, column * kStep - kStep, row * kStep - kStep, start(column, row),
                   noise_energy, sums_of);
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
    return bestOf(around, [&](int dx, int dy) { return search.difference(x, y, Whole{dx, dy}); });
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
    return asVector(search.downhill(column * kStep - kStep, row * kStep - kStep,
                                    Guesses{at(column, row), at(column - kAway, row), at(column + kAway, row),
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

CellDifference::CellDifference(const SamplePlane& from, const SamplePlane& to)
    : from_(from), to_(to), kernels_(motionKernels()) {}

int CellDifference::of(int x, int y, int dx, int dy) const {
  const int tx = std::clamp(x + dx, -kBorder, to_.width + kBorder - kStep),
            ty = std::clamp(y + dy, -kBorder, to_.height + kBorder - kStep);
  return kernels_.cell_sum(from_.row(y) + x, from_.stride, to_.row(ty) + tx, to_.stride);
}

}  // namespace glenhaze::detail
