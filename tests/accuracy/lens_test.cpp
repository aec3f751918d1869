// The lens from ordinary footage, on photographs that were filmed by a turning camera.
#include "core/motion/self_calibration.h"

#include <gtest/gtest.h>

#include <random>

#include "core/base/error.h"
#include "core/base/numbers.h"
#include "tests/support/believed.h"
#include "tests/support/filmed.h"
#include "tests/support/footage.h"
#include "tests/support/motion.h"
#include "tests/support/photographs.h"

namespace glenhaze {
namespace {

constexpr int kWidth = 640, kHeight = 360, kFrames = 90;

struct TurningCase {
  std::filesystem::path photograph;
  Lens lens;
  double readout_s = 0.016, sweep_deg = 12, shake_deg = 0.5, noise = 1;
  unsigned seed = 1;
};

testing::FilmedPhotograph filmOf(const TurningCase& c) {
  testing::Filming filming;
  filming.photograph = c.photograph;
  filming.lens = std::make_shared<const testing::FilmingLens>(c.lens);
  filming.readout_s = c.readout_s;
  filming.noise = c.noise;
  filming.seed = c.seed;
  filming.turning = [c](double t) {
    sim::Pose base;
    base.ry = c.sweep_deg * std::sin(1.7 * t + c.seed) * testing::kDegree;
    base.rx = c.sweep_deg / 2 * std::sin(2.3 * t) * testing::kDegree;
    sim::Shake shake;
    shake.pitch = shake.yaw = c.shake_deg * testing::kDegree;
    shake.roll = 2 * c.shake_deg * testing::kDegree;
    shake.high_hz = 5;
    shake.seed = c.seed;
    return testing::orientationOf(sim::shaken(base, shake, t));
  };
  return testing::FilmedPhotograph(filming);
}

// Of the film as it is, or of what ffmpeg codes of it with the arguments `coding`.
FootageLens measured(const TurningCase& c, const std::string& coding) {
  const testing::FilmedPhotograph film = filmOf(c);
  if (coding.empty()) return measureLensFrom(film.tracks(kFrames), 1 / 30.0);
  const testing::ScratchFolder folder;
  const ClipInfo clip = testing::filmOfFrames(folder / "film.mp4", film.frames(kFrames), coding);
  return measureLensFrom(trackClip(clip, {}), 1 / 30.0, codingOf(clip));
}

std::vector<TurningCase> casesOf(int count) {
  const auto photographs = testing::photographs();
  std::vector<TurningCase> cases;
  std::mt19937 random(5);
  const auto between = [&](double a, double b) { return a + (b - a) * (random() % 1000) / 999.0; };
  for (int i = 0; i < count; ++i) {
    TurningCase c;
    c.photograph = photographs[static_cast<size_t>(i) % photographs.size()];
    c.lens = straightLens(kWidth, kHeight, between(330, 620));
    c.lens.cx += between(-4, 4);
    c.lens.cy += between(-3, 3);
    if (i % 4 != 0) c.lens.k = {between(-0.22, -0.03), between(-0.01, 0.04), 0, 0, 0};
    c.readout_s = between(0.006, 0.028);
    c.sweep_deg = between(8, 16);
    c.shake_deg = between(0.2, 1);
    c.noise = std::array{0.7, 2.0, 4.0}[static_cast<size_t>(i) % 3];
    c.seed = static_cast<unsigned>(i + 1);
    cases.push_back(c);
  }
  return cases;
}

// Straightness of what is straight in the world where places were seen: the worst that a line would bow, RMS.
double bowLeft(const Lens& truth, const FootageLens& found) {
  const LensMap true_map(truth), map(found.lens);
  double sum = 0, count = 0;
  const double reach = found.seen_to * std::hypot(kWidth, kHeight) / 2;
  for (int k = -8; k <= 8; ++k)
    for (const bool across : {false, true}) {
      std::vector<Point> line;
      for (int i = -30; i <= 30; ++i) {
        const double along = i / 30.0 * 1.1, beside = k / 8.0 * 0.8;
        const auto seen = true_map.rayToPixel(across ? Ray{along, beside, 1} : Ray{beside, along, 1});
        if (!seen || length(*seen - Point{truth.cx, truth.cy}) > reach) continue;
        if (seen->x < 0 || seen->y < 0 || seen->x > kWidth - 1 || seen->y > kHeight - 1) continue;
        if (const auto straight = map.undistort(*seen)) line.push_back(*straight);
      }
      if (line.size() < 8) continue;
      // Best line, by the two moments.
      Point mean;
      for (const Point& p : line) mean = mean + p * (1.0 / static_cast<double>(line.size()));
      double xx = 0, xy = 0, yy = 0;
      for (const Point& p : line) {
        xx += (p.x - mean.x) * (p.x - mean.x);
        xy += (p.x - mean.x) * (p.y - mean.y);
        yy += (p.y - mean.y) * (p.y - mean.y);
      }
      const double angle = 0.5 * std::atan2(2 * xy, xx - yy);
      for (const Point& p : line) {
        const double off = -(p.x - mean.x) * std::sin(angle) + (p.y - mean.y) * std::cos(angle);
        sum += off * off;
        ++count;
      }
    }
  return std::sqrt(sum / std::max(1.0, count));
}

TEST(Believed, LensFromTurningPhotographs) {
  if (testing::photographs().empty()) GTEST_SKIP() << "lomiri-wallpapers-16.04 is not installed";
  testing::Believed focal("Focal length from turning photographs, px"),
      bend("Bend at the corner from turning photographs, px"), readout("Readout beside the lens, ms");
  constexpr size_t kEvery = 6;
  size_t i = 0;
  for (const TurningCase& c : casesOf(44)) {
    if (!testing::caseRuns(i++, kEvery)) continue;
    const std::string label = c.photograph.stem().string().substr(0, 14) + " f " + fixedText(c.lens.fx, 0) +
                              " k " + fixedText(c.lens.k[0], 2) + " noise " + fixedText(c.noise, 1);
    const bool coded = i % 2 == 0;
    const FootageLens found = measured(c, coded ? "-c:v libx264 -preset veryfast -b:v 2.8M" : "");
    if (!found.usable) {
      focal.addRefused(label, found.why);
      continue;
    }
    focal.add(label, found.lens.fx, c.lens.fx, found.focal_uncertainty * found.lens.fx);
    // "No bend" where there is none is right to the last digit: it says nothing of the others' uncertainty.
    if (c.lens.k[0] == 0)
      EXPECT_LE(std::abs(found.bend.value_px), 3 * found.bend.uncertainty_px) << label;
    else
      bend.add(label, found.bend.value_px, bendAt(c.lens, found.bend.at), found.bend.uncertainty_px);
    if (found.readout_told)
      readout.add(label, found.shutter.readout_s * 1000, c.readout_s * 1000,
                  found.readout_uncertainty_s * 1000);
    EXPECT_NEAR(found.lens.fx / c.lens.fx, 1, coded ? 0.03 : 0.02) << label;
    EXPECT_LT(bowLeft(c.lens, found), 0.5 * kWidth / 1920.0 * 3) << label;
  }
  focal.expectBelieved(36, 0.55, kEvery);
  bend.expectBelieved(26, 0.55, kEvery);
  readout.expectBelieved(30, 0.55, kEvery);
}

}  // namespace
}  // namespace glenhaze
