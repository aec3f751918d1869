// The readout from ordinary footage, on photographs that were filmed by a shaken camera.
#include "core/motion/readout.h"

#include <gtest/gtest.h>

#include <random>

#include "core/base/error.h"
#include "core/base/numbers.h"
#include "tests/support/believed.h"
#include "tests/support/filmed.h"
#include "tests/support/motion.h"
#include "tests/support/photographs.h"

namespace glenhaze {
namespace {

constexpr int kWidth = 640, kHeight = 360, kFrames = 60;

struct ShakenCase {
  std::filesystem::path photograph;
  double readout_s = 0.016, degrees = 0.6, high_hz = 6, pan_per_s = 0, noise = 1;
  unsigned seed = 1;
  std::string label() const {
    return photograph.stem().string().substr(0, 14) + " to " + fixedText(high_hz, 0) + " Hz, " +
           fixedText(degrees, 1) + "°, pan " + fixedText(pan_per_s, 0) + "°/s, noise " + fixedText(noise, 1);
  }
};

ShutterFinding measured(const ShakenCase& c) {
  testing::Filming filming;
  filming.photograph = c.photograph;
  filming.lens = testing::testLens(LensModel::BrownConrady, kWidth, kHeight);
  filming.readout_s = c.readout_s;
  filming.noise = c.noise;
  filming.seed = c.seed;
  filming.turning = [c](double t) {
    sim::Pose base;
    base.ry = c.pan_per_s * (t - 1) * testing::kDegree;
    sim::Shake shake;
    shake.pitch = shake.yaw = c.degrees * testing::kDegree;
    shake.roll = c.degrees / 3 * testing::kDegree;
    shake.high_hz = c.high_hz;
    shake.seed = c.seed;
    return testing::orientationOf(sim::shaken(base, shake, t));
  };
  return measureReadout(testing::FilmedPhotograph(filming).tracks(kFrames), filming.lens, 1 / filming.fps);
}

TEST(Believed, ReadoutFromShakenPhotographs) {
  const auto photographs = testing::photographs();
  if (photographs.empty()) GTEST_SKIP() << "lomiri-wallpapers-16.04 is not installed";
  testing::Believed table("Readout from shaken photographs, ms");
  std::mt19937 random(11);
  const auto between = [&](double a, double b) { return a + (b - a) * (random() % 1000) / 999.0; };
  for (int i = 0; i < 45; ++i) {
    ShakenCase c;
    c.photograph = photographs[static_cast<size_t>(i) % photographs.size()];
    c.high_hz = std::array{4.0, 6.0, 9.0, 11.0, 14.0}[static_cast<size_t>(i) % 5];
    c.readout_s = between(0.004, 0.03);
    c.degrees = between(0.2, 1.2);
    c.pan_per_s = i % 3 == 0 ? between(-15, 15) : 0;
    c.noise = std::array{0.7, 2.0, 5.0}[static_cast<size_t>(i / 5) % 3];
    c.seed = static_cast<unsigned>(100 + i);
    try {
      const ShutterFinding found = measured(c);
      const double sign = found.shutter.direction == ScanDirection::Up ? -1 : 1;
      table.add(c.label(), sign * found.shutter.readout_s * 1000, c.readout_s * 1000,
                found.uncertainty_s * 1000);
    } catch (const Error& error) {
      if (error.kind() != ErrorKind::Evidence) throw;
      table.addRefused(c.label(), error.why());
    }
  }
  table.print();
  EXPECT_GE(table.size(), 40U);
  EXPECT_GE(table.shareWithin(1), 0.55);
  EXPECT_LE(table.shareWithin(1), 0.85);
  EXPECT_LE(table.worst(), 3);
}

}  // namespace
}  // namespace glenhaze
