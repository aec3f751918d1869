#include "core/noise/judge.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "core/base/error.h"
#include "core/noise/view.h"
#include "tests/support/footage.h"
#include "tests/support/noise.h"

namespace glenhaze {
namespace {

// Left half flat, right half fine texture; noise of its own for each seed.
Frame halves(double sigma, unsigned seed, double contrast = 1) {
  std::mt19937 random(seed);
  std::normal_distribution<double> noise(0, sigma);
  return testing::paint(192, 96, {}, [&](int x, int y) {
    const double texture = x < 96 ? 0 : contrast * 30 * std::sin(x * 1.1) * std::cos(y * 0.9);
    return std::clamp(static_cast<int>(std::lround(110 + texture + (sigma > 0 ? noise(random) : 0))), 16,
                      235);
  });
}

// Closed form: half of the noise taken from flat places leaves half of its deviation.
TEST(Judge, NoiseLeftIsTheShareOfDeviation) {
  const Frame noisy = halves(6, 1), clean = halves(0, 1);
  Frame half = cloneFrame(noisy);
  for (int y = 0; y < half.height; ++y)
    for (int x = 0; x < half.width; ++x)
      half.planes[0].row<uint8_t>(y)[x] = static_cast<uint8_t>(
          (noisy.planes[0].row<uint8_t>(y)[x] + clean.planes[0].row<uint8_t>(y)[x] + 1) / 2);
  const RemovalVerdict v = judgeRemoval(noisy, half, testing::evenCurve(6));
  ASSERT_TRUE(v.noise_left);
  EXPECT_NEAR(*v.noise_left, 0.5, 0.03);
  EXPECT_FALSE(v.takes_structure) << v.structure_taken;
}

// A sky that grows brighter is no noise: of what is left on a slope the slope is no part.
TEST(Judge, ASlopeIsNotCountedAsNoiseThatIsLeft) {
  const auto sloping = [](double sigma) {
    std::mt19937 random(4);
    std::normal_distribution<double> noise(0, 1);
    return testing::paint(192, 96, {}, [&](int x, int y) {
      return static_cast<int>(std::lround(60 + 0.35 * x + 0.2 * y + sigma * noise(random)));
    });
  };
  // Rounding to whole codes is in both: 1/12 of a code squared.
  const double left = std::sqrt((0.6 * 0.6 + 1.0 / 12) / (2.0 * 2.0 + 1.0 / 12));
  const RemovalVerdict v = judgeRemoval(sloping(2), sloping(0.6), testing::evenCurve(2));
  ASSERT_TRUE(v.noise_left);
  EXPECT_NEAR(*v.noise_left, left, 0.03);
}

TEST(Judge, WithoutAFlatPlaceTheNoiseLeftCannotBeTold) {
  const auto textured = [](unsigned seed) {
    std::mt19937 random(seed);
    std::normal_distribution<double> noise(0, 4);
    return testing::paint(96, 96, {}, [&](int x, int y) {
      return static_cast<int>(std::lround(110 + 30 * std::sin(x * 1.1) * std::cos(y * 0.9) + noise(random)));
    });
  };
  EXPECT_FALSE(judgeRemoval(textured(1), textured(2), testing::evenCurve(4)).noise_left);
}

TEST(Judge, ContrastThatWentWithTheNoiseIsFound) {
  const RemovalVerdict v = judgeRemoval(halves(4, 1), halves(0, 1, 0.9), testing::evenCurve(4));
  EXPECT_NEAR(v.structure_taken, 0.1, 0.02);
  EXPECT_TRUE(v.takes_structure);
  EXPECT_FALSE(judgeRemoval(halves(4, 1), halves(0, 1), testing::evenCurve(4)).takes_structure);
}

TEST(Judge, TheStrengthFoundTakesNoStructure) {
  std::vector<Frame> frames;
  for (unsigned i = 0; i < 5; ++i) frames.push_back(halves(5, 20 + i, 0.7));
  DenoiseSettings hard;
  hard.luma = 4;
  hard.smoothing = 3;
  hard.frames_each_side = 0;
  ASSERT_TRUE(
      judgeRemoval(frames[2], denoiseOne(frames, 2, testing::evenCurve(5), hard), testing::evenCurve(5))
          .takes_structure);
  const double found = strengthThatKeepsStructure(frames, 2, testing::evenCurve(5), hard);
  EXPECT_LT(found, 4);
  EXPECT_GE(found, 1);
}

TEST(Judge, OtherSizesAreRefused) {
  EXPECT_THROW(judgeRemoval(halves(4, 1), testing::paint(64, 64, {}, [](int, int) { return 100; }),
                            testing::evenCurve(4)),
               Error);
}

TEST(NoiseView, RemovedPartIsTheDifferenceAroundGrey) {
  const Frame a = testing::paint(32, 16, {}, [](int x, int) { return 100 + x; });
  const Frame b = testing::paint(32, 16, {}, [](int x, int) { return 98 + x; });
  const Frame d = removedPart(a, b, 8);
  EXPECT_EQ(d.planes[0].row<uint8_t>(3)[5], 126 + 16);
  EXPECT_EQ(d.planes[1].row<uint8_t>(3)[5], 128);
}

TEST(NoiseView, ChannelDetailLeavesOutWhatIsSlow) {
  // A ramp is slow; a single dot on it is not.
  const Frame ramp =
      testing::paint(96, 64, {}, [](int x, int y) { return 60 + x + (x == 48 && y == 32 ? 5 : 0); });
  const Frame detail = channelDetail(ramp, 0, 8);
  EXPECT_NEAR(detail.planes[0].row<uint8_t>(10)[48], 128, 1);
  EXPECT_NEAR(detail.planes[0].row<uint8_t>(32)[48], 128 + 40, 1);
}

}  // namespace
}  // namespace glenhaze
