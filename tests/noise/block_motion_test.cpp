#include "core/noise/detail/block_motion.h"

#include <gtest/gtest.h>
#include <hwy/highway.h>

#include <algorithm>
#include <cmath>
#include <random>
#include <vector>

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/noise/detail/row_kernel.h"
#include "tests/support/footage.h"
#include "tests/support/texture.h"

namespace glenhaze::detail {
namespace {

constexpr int kWidth = 320, kHeight = 192;
constexpr float kSigma = 2;

double texture(double x, double y) {
  static const glenhaze::testing::Texture structure;
  return structure(x, y);
}

// The texture moved, with noise of its own where `seed` is not 0.
MotionPicture picture(double dx, double dy, unsigned seed = 0, double sigma = kSigma) {
  std::mt19937 random(seed);
  std::normal_distribution<double> noise(0, sigma);
  const Frame frame = glenhaze::testing::paint(kWidth, kHeight, {}, [&](int x, int y) {
    const double v = texture(x - dx, y - dy) + (seed > 0 ? noise(random) : 0);
    return static_cast<int>(std::lround(std::clamp(v, 0.0, 255.0)));
  });
  return motionPicture(samplePlane(frame, 0));
}

// RMS distance from (dx, dy) of the blocks that lie inside, and stay there.
double errorOf(const MotionField& field, double dx, double dy) {
  double sum = 0;
  int count = 0;
  for (int row = 4; row < field.rows - 4; ++row)
    for (int column = 4; column < field.columns - 4; ++column) {
      const BlockVector& v = field.at(column, row);
      sum += (v.dx - dx) * (v.dx - dx) + (v.dy - dy) * (v.dy - dy);
      ++count;
    }
  return std::sqrt(sum / count);
}

TEST(BlockMotion, FindsAMoveToAFractionOfASample) {
  for (const auto& [dx, dy] : {std::pair{0.0, 0.0}, std::pair{3.0, -2.0}, std::pair{1.25, 0.5},
                               std::pair{-7.4, 5.1}, std::pair{14.0, 0.0}})
    EXPECT_LT(errorOf(estimateMotion(picture(0, 0), picture(dx, dy), kSigma), dx, dy), 0.15)
        << dx << " " << dy;
}

// Only the search through all displacements of the smallest pictures reaches so far.
TEST(BlockMotion, FindsAFarMoveAnyWayWithEveryInstructionSet) {
  const MotionPicture still = picture(0, 0);
  for (const int64_t target : {int64_t{0}, int64_t{HWY_SCALAR}, int64_t{HWY_SSE4}, int64_t{HWY_AVX2}}) {
    hwy::SetSupportedTargetsForTest(target);
    for (const auto& [dx, dy] : {std::pair{44.0, 21.0}, std::pair{44.0, -21.0}, std::pair{-42.0, 26.0},
                                 std::pair{-42.0, -26.0}, std::pair{0.0, 40.0}}) {
      const MotionField field = estimateMotion(still, picture(dx, dy), kSigma);
      int found = 0, seen = 0;
      // What is still in the picture after the move.
      for (int row = 5; row < field.rows - 5; ++row)
        for (int column = 7; column < field.columns - 7; ++column) {
          const BlockVector& v = field.at(column, row);
          ++seen;
          found += std::abs(v.dx - dx) < 0.5 && std::abs(v.dy - dy) < 0.5 ? 1 : 0;
        }
      EXPECT_GE(found, 0.95 * seen) << dx << " " << dy << ", set " << target;
    }
    hwy::SetSupportedTargetsForTest(0);
  }
}

TEST(BlockMotion, NoiseCostsLittle) {
  EXPECT_LT(errorOf(estimateMotion(picture(0, 0, 1, 6), picture(4.5, -1.5, 2, 6), 6), 4.5, -1.5), 0.35);
}

// Structure round about, and in the middle none but noise; `thing`: something small there moves its own way.
MotionPicture aroundAFlatMiddle(double dx, double dy, unsigned seed, double thing_dx = 1e3) {
  std::mt19937 random(seed);
  std::normal_distribution<double> noise(0, 4);
  const Frame frame = glenhaze::testing::paint(kWidth, kHeight, {}, [&](int x, int y) {
    const bool flat = x > 90 && x < 230 && y > 50 && y < 150;
    const bool at_thing = std::abs(x - 160 - thing_dx) < 14 && std::abs(y - 100) < 14;
    const double v = at_thing ? texture(3 * (x - thing_dx), 3 * y) : flat ? 120 : texture(x - dx, y - dy);
    return static_cast<int>(std::lround(std::clamp(v + noise(random), 0.0, 255.0)));
  });
  return motionPicture(samplePlane(frame, 0));
}

// RMS distance from (dx, dy) of the blocks in a square of samples.
double errorWithin(const MotionField& field, int x0, int y0, int x1, int y1, double dx, double dy) {
  double sum = 0;
  int count = 0;
  for (int row = y0 / kStep + 1; row <= y1 / kStep - 1; ++row)
    for (int column = x0 / kStep + 1; column <= x1 / kStep - 1; ++column) {
      const BlockVector& v = field.at(column, row);
      sum += (v.dx - dx) * (v.dx - dx) + (v.dy - dy) * (v.dy - dy);
      ++count;
    }
  return std::sqrt(sum / count);
}

// Where there is nothing to follow, the picture's motion is, so that no noise is taken for the scene.
TEST(BlockMotion, AFlatPlaceGoesWithThePicture) {
  const MotionField field = estimateMotion(aroundAFlatMiddle(0, 0, 1), aroundAFlatMiddle(2.4, -1.3, 2), 4);
  EXPECT_LT(errorWithin(field, 110, 70, 210, 130, 2.4, -1.3), 0.12);
}

TEST(BlockMotion, AThingBeforeAFlatPlaceGoesItsOwnWay) {
  const MotionField field =
      estimateMotion(aroundAFlatMiddle(0, 0, 1, 0), aroundAFlatMiddle(2.4, -1.3, 2, 3.2), 4);
  EXPECT_LT(errorWithin(field, 146, 86, 174, 114, 3.2, 0), 0.5);
}

// Noise resembles itself somewhere: mostly that is not followed.
TEST(BlockMotion, OfPureNoiseNothingMoves) {
  const auto noise = [](unsigned seed) {
    std::mt19937 random(seed);
    std::normal_distribution<double> n(120, 8);
    return motionPicture(samplePlane(
        glenhaze::testing::paint(
            kWidth, kHeight, {},
            [&](int, int) { return static_cast<int>(std::lround(std::clamp(n(random), 0.0, 255.0))); }),
        0));
  };
  const MotionField field = estimateMotion(noise(1), noise(2), 8);
  size_t still = 0;
  for (const BlockVector& v : field.vectors) still += std::hypot(v.dx, v.dy) < 1 ? 1U : 0U;
  EXPECT_GT(static_cast<double>(still), 0.65 * static_cast<double>(field.vectors.size()));
}

TEST(BlockMotion, AGuessSavesTheSearchAndIsMadeExact) {
  const MotionPicture a = picture(0, 0), b = picture(6.3, 2.2);
  MotionField guess = estimateMotion(a, b, kSigma);
  for (BlockVector& v : guess.vectors) {
    v.dx = std::round(v.dx) + 0.5F;
    v.dy = std::round(v.dy) - 0.5F;
  }
  EXPECT_LT(errorOf(estimateMotion(a, b, kSigma, guess), 6.3, 2.2), 0.15);
  for (BlockVector& v : guess.vectors) {
    v.dx = 6;
    v.dy = 2;
  }
  EXPECT_LT(errorOf(refineMotion(a, b, kSigma, guess), 6.3, 2.2), 0.15);
}

TEST(BlockMotion, GuessesAddUpAndTurnAround) {
  const MotionField first = estimateMotion(picture(0, 0), picture(3, 1), kSigma);
  const MotionField second = estimateMotion(picture(3, 1), picture(5, -3), kSigma);
  EXPECT_LT(errorOf(chained(first, second), 5, -3), 0.3);
  EXPECT_LT(errorOf(turnedAround(first), -3, -1), 0.3);
}

TEST(BlockMotion, VectorsAgreeOnlyWhereTheyAreNear) {
  const BlockVector v{2, 1, 1};
  const auto mean = agreement({v, v, {2.5F, 1, 1}, {2, 1.5F, 1}});
  ASSERT_TRUE(mean);
  EXPECT_NEAR(mean->dx, 2.125, 0.2);
  EXPECT_FALSE(agreement({v, v, v, {9, 1, 1}}));
  // One without structure says little beside three that have some.
  const auto weighed = agreement({BlockVector{2, 1, 10}, {2, 1, 10}, {2, 1, 10}, {2.9F, 1, 0.01F}});
  ASSERT_TRUE(weighed);
  EXPECT_NEAR(weighed->dx, 2, 0.05);
}

TEST(BlockMotion, CellDifferenceIsTheSumOfWhatDiffers) {
  SamplePlane a(32, 32), b(32, 32);
  for (int y = 0; y < 32; ++y)
    for (int x = 0; x < 32; ++x) {
      a.row(y)[x] = static_cast<int16_t>(16 * (x + y));
      b.row(y)[x] = static_cast<int16_t>(16 * (x - 3 + y - 2));
    }
  const CellDifference difference(a, b);
  EXPECT_EQ(difference.of(8, 8, 3, 2), 0);
  EXPECT_EQ(difference.of(8, 8, 0, 0), kStep * kStep * 16 * 5);
}

TEST(BlockMotion, OfSeveralVectorsTheBestIsTakenAndAlikeOnesAreTriedOnce) {
  const std::array<BlockVector, 4> vectors{{{1.2F, 0}, {0.9F, 0.1F}, {3.4F, -2}, {2.6F, -2.4F}}};
  std::vector<std::pair<int, int>> tried;
  const BlockVector best = bestOf(vectors, [&](int dx, int dy) {
    tried.emplace_back(dx, dy);
    return dx == 3 ? 5 : 7;
  });
  EXPECT_EQ(tried, (std::vector<std::pair<int, int>>{{1, 0}, {3, -2}}));
  EXPECT_EQ(best.dx, 3.4F);
  // Among equals the first.
  EXPECT_EQ(bestOf(vectors, [](int, int) { return 7; }).dx, 1.2F);
}

TEST(BlockMotion, NearestIsTheWholeNumberNextTo) {
  for (float v = -4; v < 4; v += 0.06F) EXPECT_EQ(nearest(v), static_cast<int>(std::lround(v))) << v;
}

TEST(BlockMotion, TheSameForAnyNumberOfThreadsAndForOddSizes) {
  const MotionPicture a = picture(0, 0, 3), b = picture(2.5, 1, 4);
  const auto run = [&](int threads) {
    const ThreadLimit limit(threads);
    std::vector<float> all;
    for (const BlockVector& v : estimateMotion(a, b, kSigma).vectors)
      for (const float f : {v.dx, v.dy, v.sure}) all.push_back(f);
    return all;
  };
  EXPECT_EQ(run(1), run(3));
  for (const auto& [width, height] : {std::pair{1, 1}, std::pair{17, 9}, std::pair{33, 64}}) {
    const Frame frame =
        glenhaze::testing::paint(width, height, {}, [](int x, int y) { return (x * 37 + y * 11) % 256; });
    const MotionPicture small = motionPicture(samplePlane(frame, 0));
    const MotionField field = estimateMotion(small, small, kSigma);
    EXPECT_EQ(field.columns, blocksAlong(width));
    EXPECT_EQ(field.rows, blocksAlong(height));
    for (const BlockVector& v : field.vectors) EXPECT_LT(std::hypot(v.dx, v.dy), 0.5) << width;
  }
}

TEST(BlockMotion, CanBeStopped) {
  std::stop_source stop;
  stop.request_stop();
  Progress progress;
  progress.stop = stop.get_token();
  EXPECT_THROW(estimateMotion(picture(0, 0), picture(1, 0), kSigma, progress), Error);
}

// Rows of every length, in buffers that end where they do, against the same in plain words.
TEST(Rows, VectorsGiveWhatIsWritten) {
  std::mt19937 random(1);
  for (size_t n = 1; n < 150; ++n) {
    std::vector<int16_t> codes(n);
    for (int16_t& c : codes) c = static_cast<int16_t>(static_cast<int>(random() % 40000) - 20000);
    std::vector<uint8_t> bytes(n);
    roundRow(codes.data(), static_cast<int>(n), bytes.data());
    for (size_t i = 0; i < n; ++i) ASSERT_EQ(bytes[i], std::clamp((codes[i] + 32) >> 6, 0, 255)) << n;

    std::vector<uint8_t> upper(2 * n), lower(2 * n), halved(n);
    for (auto* row : {&upper, &lower})
      for (uint8_t& v : *row) v = static_cast<uint8_t>(random());
    halveRows(upper.data(), lower.data(), static_cast<int>(n), halved.data());
    for (size_t i = 0; i < n; ++i)
      ASSERT_EQ(halved[i], (upper[2 * i] + upper[2 * i + 1] + lower[2 * i] + lower[2 * i + 1] + 2) / 4) << n;

    std::vector<int16_t> above(n + 2), row(n + 2), below(n + 2), soft(n);
    for (auto* r : {&above, &row, &below})
      for (int16_t& v : *r) v = static_cast<int16_t>(random() % 16384);
    std::vector<uint16_t> scratch(n + 2);
    softenRow(above.data() + 1, row.data() + 1, below.data() + 1, static_cast<int>(n), scratch.data(),
              soft.data());
    const auto column = [&](size_t k) { return (above[k] + 2 * row[k] + below[k]) / 4; };
    for (size_t i = 0; i < n; ++i)
      ASSERT_EQ(soft[i], (column(i) + 2 * column(i + 1) + column(i + 2)) / 16) << n;
  }
}

}  // namespace
}  // namespace glenhaze::detail
