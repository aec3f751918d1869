// What a coder took of the noise, on films that ffmpeg made, coded by libx264 in several ways.
#include "core/noise/coder.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "core/media/coding.h"
#include "core/media/clip_info.h"
#include "core/noise/measure.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {

using ::testing::AllOf;
using ::testing::Ge;
using ::testing::HasSubstr;
using ::testing::Le;

std::filesystem::path noisyRamp(const std::filesystem::path& path, const std::string& coding,
                                const std::string& format = "yuv420p") {
  return testing::makeWithFfmpeg(
      path,
      "-f lavfi -i color=gray:size=320x180:rate=30:duration=1.2,format=yuv420p,"
      "geq=lum='50+140*X/W':cb=128:cr=128,noise=c0s=16:c0f=t:all_seed=5 -pix_fmt " +
          format + " " + coding);
}

double meanVariance(const NoiseFinding& finding) {
  double sum = 0, weight = 0;
  for (const NoisePoint& p : finding.points) {
    sum += p.weight[0] * p.variance[0];
    weight += p.weight[0];
  }
  return sum / weight;
}

NoiseFinding measured(const std::filesystem::path& film) {
  const std::array shots{probe(film)};
  NoiseFinding finding = measureStatic(shots, 800);
  sayCoding(finding, shots);
  return finding;
}

TEST(Coder, StepsAreThoseOfTheStandard) {
  const testing::ScratchFolder folder;
  const auto stepOf = [&](int quantiser, const std::string& format, const std::string& more = {}) {
    const std::string name = std::to_string(quantiser) + format + ".mp4";
    return codingOf(probe(noisyRamp(folder / name,
                                     "-c:v libx264 -preset veryfast -qp " + std::to_string(quantiser) +
                                         " -x264-params ipratio=1:pbratio=1:aq-mode=0:mbtree=0" + more,
                                     format))).step;
  };
  // Table of steps: 4 is 1, 10 is 2, 28 is 16.
  EXPECT_NEAR(stepOf(28, "yuv420p").value(), 16, 1e-9);
  EXPECT_NEAR(stepOf(22, "yuv420p").value(), 8, 1e-9);
  // Of 10 bit, libx264 counts from the finest that the standard has for them, 12 below 0: units are a quarter.
  EXPECT_NEAR(stepOf(40, "yuv420p10").value(), 16, 1e-9);
}

TEST(Coder, OtherStreamsSayNothing) {
  const testing::ScratchFolder folder;
  for (const auto& [name, coding] : {std::pair{"a.mkv", "-c:v ffv1"}, std::pair{"b.mov", "-c:v prores_ks"},
                                     std::pair{"c.mp4", "-c:v libx264 -preset ultrafast -qp 0"}}) {
    const NoiseFinding finding = measured(noisyRamp(folder / name, coding));
    EXPECT_FALSE(finding.coding) << name;
  }
}

TEST(Coder, WhatItTookLiesBetweenWhatIsSaid) {
  const testing::ScratchFolder folder;
  const double truth = meanVariance(measured(noisyRamp(folder / "truth.mkv", "-c:v ffv1")));
  // 20 and 6 Mbit/s at 1080p, for the pixels that these films have, and in between.
  double most_before = 0;
  for (const char* rate : {"1100k", "555k", "280k", "167k"})
    for (const auto& [name, how] : {std::pair{"medium", "-preset medium"},
                                    std::pair{"fast", "-preset veryfast -x264-params psy=0:trellis=0"},
                                    std::pair{"plain", "-preset ultrafast"}}) {
      const NoiseFinding finding = measured(noisyRamp(folder / (std::string(name) + rate + ".mp4"),
                                                      std::string("-c:v libx264 ") + how + " -b:v " + rate));
      ASSERT_TRUE(finding.coding) << name << rate;
      const double left = meanVariance(finding), took = 1 - left / truth;
      const TakenByCoder& said = finding.coding->taken;
      constexpr double kRoom = 0.1;
      EXPECT_THAT(took, AllOf(Ge(said.least - kRoom), Le(said.most + kRoom))) << name << rate;
      if (took > 0.5)
        EXPECT_THAT(finding.warnings, ::testing::Contains(HasSubstr("Coding took"))) << name << rate;
      most_before = std::max(most_before, said.most);
    }
  EXPECT_GT(most_before, 0.5);
}

TEST(Coder, ExtremesAreThoseOfTheModel) {
  // Noise of many steps comes through but for what the dead zone takes; of a quarter of a step nearly none.
  const TakenByCoder little = takenByCoder(4, 1), much = takenByCoder(0.1, 1);
  EXPECT_LE(little.least, 1e-9);
  EXPECT_LT(little.most, 0.15);
  EXPECT_GT(much.least, 0.6);
  EXPECT_GT(much.most, 0.8);
  EXPECT_LE(much.least, much.most);
}

}  // namespace
}  // namespace glenhaze
