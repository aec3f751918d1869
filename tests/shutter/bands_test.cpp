// Bands over rows of any brightness, written down by their formula.
#include "core/shutter/detail/bands.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

namespace glenhaze::detail {
namespace {

constexpr double kTurn = 2 * std::numbers::pi;

struct Light {
  Bands bands;
  std::vector<double> times;
};

// A scene as uneven as scenes are, at 30 frames a second.
Light lightOf(double hz, double readout_s, double depth) {
  Light light;
  light.bands.bins = 120;
  for (int n = 0; n < 18; ++n) {
    light.times.push_back(n / 30.0);
    std::vector<double> rows;
    for (size_t i = 0; i < light.bands.bins; ++i) {
      const double x = static_cast<double>(i) / 119 - 0.5;
      const double scene = 90 + 50 * std::sin(9 * x) + 20 * std::cos(31 * x);
      rows.push_back(scene * (1 + depth * std::cos(kTurn * hz * (light.times.back() + readout_s * x))));
    }
    light.bands.series.push_back(std::move(rows));
  }
  return light;
}

TEST(PassingBands, AreToldFromTheSceneWithTheirWay) {
  for (const double readout : {0.0123, -0.0123, 0.0031}) {
    const Light light = lightOf(100.1, readout, 0.2);
    const PassingBands passing(light.bands, light.times);
    const BandReading found = readPassing(passing, 100, 0.036, light.times.back());
    EXPECT_NEAR(found.readout_s, readout, 1e-5);
    EXPECT_NEAR(found.hz, 100.1, 0.01);
    EXPECT_NEAR(found.fit.depth, 0.2, 0.01);
    EXPECT_GT(found.fit.explained, 0.99);
    EXPECT_LT(found.other_way, 0.9 * found.fit.explained);
  }
}

// 120 Hz at 30 frames a second: nothing is left when each row's mean is taken off.
TEST(PassingBands, ThatStandStillTellNothing) {
  const Light light = lightOf(120, 0.0123, 0.2);
  EXPECT_LT(PassingBands(light.bands, light.times).fit(0.0123, 120).told, 1e-6);
}

TEST(StandingBands, AreCountedOnAnEvenWallOnly) {
  Light even = lightOf(120, 0.0225, 0.3);
  for (size_t i = 0; i < even.bands.bins; ++i) {
    const double x = static_cast<double>(i) / 119 - 0.5;
    for (auto& rows : even.bands.series) rows[i] = 100 * (1 + 0.3 * std::cos(kTurn * 120 * 0.0225 * x));
  }
  const StandingBands wall = readStanding(even.bands, 4.4);
  EXPECT_NEAR(wall.count, 120 * 0.0225, 0.1);
  EXPECT_GT(wall.explained, 0.9);
  EXPECT_LT(readStanding(lightOf(120, 0.0225, 0.1).bands, 4.4).explained, 0.85);
}

}  // namespace
}  // namespace glenhaze::detail
