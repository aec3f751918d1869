// Noise measured on places found automatically, on photographs that are full of texture.
#include <gtest/gtest.h>

#include "core/base/error.h"
#include "core/noise/measure.h"
#include "tests/support/filmed.h"
#include "tests/support/motion.h"
#include "tests/support/photographs.h"

namespace glenhaze {
namespace {

constexpr int kWidth = 960, kHeight = 540;

// Of four pairs of frames of a camera held in the hand.
NoiseFinding measuredOn(const std::filesystem::path& photograph,
                        const std::shared_ptr<const testing::FilmingLens>& lens, double noise) {
  testing::Filming filming;
  filming.photograph = photograph;
  filming.lens = lens;
  filming.noise = noise;
  filming.turning = [](double t) {
    sim::Pose base;
    base.ry = 0.05 * t;
    sim::Shake shake;
    shake.pitch = shake.yaw = 0.4 * testing::kDegree;
    shake.roll = 0.2 * testing::kDegree;
    return testing::orientationOf(sim::shaken(base, shake, t));
  };
  const testing::FilmedPhotograph film(filming);
  std::vector<FramePair> pairs;
  for (const int64_t at : {4, 20, 36, 52}) pairs.push_back({film.frame(at), film.frame(at + 1)});
  return measurePatchesOf(pairs, 400);
}

TEST(Believed, NoiseOfPlacesFoundOnTexturedPhotographs) {
  const auto photographs = testing::photographs();
  if (photographs.empty()) GTEST_SKIP() << "lomiri-wallpapers-16.04 is not installed";
  const auto lens = std::make_shared<const testing::FilmingLens>(
      testing::testLens(LensModel::BrownConrady, kWidth, kHeight));
  int told = 0;
  for (const double noise : {1.2, 4.0})
    for (const auto& photograph : photographs) {
      const std::string label = photograph.stem().string().substr(0, 14);
      try {
        const NoiseFinding found = measuredOn(photograph, lens, noise);
        // Held against the truth where the curve was measured, at every point's own level.
        double squares = 0, weights = 0;
        for (const NoisePoint& p : found.points) {
          const double truth = noise * std::sqrt(p.level / 110);
          squares += p.weight[0] * std::pow(found.curve.sigmaAt(0, p.level) / truth - 1, 2);
          weights += p.weight[0];
        }
        const double off = std::sqrt(squares / weights);
        std::printf("  %-14s noise %.1f: off by %5.1f %% on %zu places\n", label.c_str(), noise, 100 * off,
                    found.points.size());
        EXPECT_LT(off, 0.15) << label << " at " << noise;
        ++told;
      } catch (const Error& error) {
        EXPECT_EQ(error.kind(), ErrorKind::Evidence);
        std::printf("  %-14s noise %.1f: refused, %s\n", label.c_str(), noise, error.why().c_str());
      }
    }
  EXPECT_GE(told, 12);
}

}  // namespace
}  // namespace glenhaze
