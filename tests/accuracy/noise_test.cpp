// Noise measured on photographs that are full of texture: on places found automatically, from a tripod, and
// the ISO that a film's own noise tells.
#include <gtest/gtest.h>

#include <random>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/numbers.h"
#include "core/noise/iso_table.h"
#include "core/noise/measure.h"
#include "tests/support/believed.h"
#include "tests/support/filmed.h"
#include "tests/support/motion.h"
#include "tests/support/photographs.h"

namespace glenhaze {
namespace {

constexpr int kWidth = 960, kHeight = 540;

// Of four pairs of frames of a camera held in the hand.
NoiseFinding measuredOn(const std::filesystem::path& photograph,
                        const std::shared_ptr<const testing::FilmingLens>& lens, double noise) {
  const testing::FilmedPhotograph film(testing::inHand(photograph, lens, noise, 0.05, 0.4));
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
  size_t i = 0;
  for (const double noise : {1.2, 4.0})
    for (const auto& photograph : photographs) {
      if (!testing::caseRuns(i++)) continue;
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
  EXPECT_GE(told, testing::allCases() ? 20 : 6);
}

// A shot from a tripod, as a file.
ClipInfo lockedOffShot(const testing::ScratchFolder& folder, const testing::FilmedPhotograph& film,
                       int frames) {
  std::string raw;
  for (int i = 0; i < frames; ++i) {
    const Frame frame = film.frame(i);
    for (const Plane& plane : frame.planes)
      for (int y = 0; y < plane.height; ++y)
        raw.append(reinterpret_cast<const char*>(plane.row<uint8_t>(y)), static_cast<size_t>(plane.width));
  }
  writeFileAtomically(folder / "film.yuv", raw);
  return probe(testing::makeWithFfmpeg(folder / "film.mkv",
                                       "-f rawvideo -pix_fmt yuv420p -s 320x180 -r 30 -i " +
                                           (folder / "film.yuv").string() + " -c:v ffv1 -color_range tv"));
}

// What rounding to codes adds to a variance.
constexpr double kRounding = 1.0 / 12;

TEST(Believed, NoiseOfLockedOffPhotographs) {
  const auto photographs = testing::photographs();
  if (photographs.empty()) GTEST_SKIP() << "lomiri-wallpapers-16.04 is not installed";
  const auto lens =
      std::make_shared<const testing::FilmingLens>(testing::testLens(LensModel::BrownConrady, 320, 180));
  testing::Believed sigma("Noise from locked-off shots of photographs, σ of luma");
  double worst = 0;
  std::mt19937 random(7);
  size_t i = 0;
  for (const double noise : {1.2, 2.5, 5.0})
    for (const auto& photograph : photographs) {
      if (!testing::caseRuns(i++)) continue;
      const testing::ScratchFolder folder;
      testing::Filming filming;
      filming.photograph = photograph;
      filming.lens = lens;
      filming.noise = noise;
      filming.seed = static_cast<unsigned>(sigma.size() + 1);
      filming.turning = [](double) { return testing::orientationOf(sim::Pose{}); };
      const std::vector<ClipInfo> shots{lockedOffShot(folder, testing::FilmedPhotograph(filming), 9)};
      const NoiseCurve curve = measureStatic(shots, 800).curve;
      // At any of the levels that are told to better than a tenth.
      const auto& spread = curve.spread[0];
      ASSERT_EQ(spread.size(), curve.level.size());
      std::vector<size_t> told;
      for (size_t at = 0; at < spread.size(); ++at)
        if (spread[at] < 0.1 * curve.sigma[0][at]) told.push_back(at);
      ASSERT_FALSE(told.empty());
      for (int pick = 0; pick < 2; ++pick) {
        const size_t at = told[random() % told.size()];
        const double truth = std::sqrt(noise * noise * curve.level[at] / 110 + kRounding);
        sigma.add(photograph.stem().string().substr(0, 14) + " noise " + fixedText(noise, 1),
                  curve.sigma[0][at], truth, spread[at]);
        if (spread[at] < 0.02 * curve.sigma[0][at])
          worst = std::max(worst, std::abs(curve.sigma[0][at] / truth - 1));
      }
    }
  std::printf("  off by %.1f %% at most where it is said to be right to 2 %%\n", 100 * worst);
  EXPECT_LT(worst, 0.05);
  sigma.expectBelieved(80);
}

// ISO told by a film's own noise, between curves that are two stops apart.
TEST(Believed, IsoOfShakenPhotographs) {
  const auto photographs = testing::photographs();
  if (photographs.empty()) GTEST_SKIP() << "lomiri-wallpapers-16.04 is not installed";
  const auto lens = std::make_shared<const testing::FilmingLens>(
      testing::testLens(LensModel::BrownConrady, kWidth, kHeight));
  constexpr double kAt1600 = 4;
  std::vector<NoiseCurve> curves;
  for (const double iso : {100, 400, 1600, 6400}) {
    NoiseCurve& curve = curves.emplace_back();
    curve.iso = iso;
    for (double level = 8; level <= 248; level += 8) {
      curve.level.push_back(level);
      curve.sigma[0].push_back(std::sqrt(kAt1600 * kAt1600 * iso / 1600 * level / 110 + kRounding));
      for (const size_t c : {1U, 2U}) curve.sigma[c].push_back(0.05);
    }
  }
  testing::Believed stops("ISO by a clip's own noise, stops over ISO 100");
  std::mt19937 random(3);
  for (int i = 0; i < 44; ++i) {
    const auto& photograph = photographs[static_cast<size_t>(i) % photographs.size()];
    const double truth = std::log2(2.0) + 5.0 * (random() % 1000) / 999.0;  // ISO 200 to 6400
    const double noise = kAt1600 * std::sqrt(std::exp2(truth) * 100 / 1600);
    const std::string label = photograph.stem().string().substr(0, 14);
    if (!testing::caseRuns(static_cast<size_t>(i))) continue;
    try {
      const IsoEstimate told = isoOfPoints(measuredOn(photograph, lens, noise).points, curves);
      stops.add(label, std::log2(told.iso / 100), truth, std::log2(told.high / told.low) / 4);
    } catch (const Error& error) {
      EXPECT_EQ(error.kind(), ErrorKind::Evidence);
      stops.addRefused(label, error.why());
    }
  }
  stops.expectBelieved(30);
}

}  // namespace
}  // namespace glenhaze
