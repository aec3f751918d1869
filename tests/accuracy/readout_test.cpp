// The readout from ordinary footage, on photographs that were filmed by a shaken camera.
#include "core/motion/readout.h"

#include <gtest/gtest.h>

#include <random>

#include "core/base/error.h"
#include "core/base/numbers.h"
#include "core/motion/solve.h"
#include "tests/support/believed.h"
#include "tests/support/filmed.h"
#include "tests/support/footage.h"
#include "tests/support/motion.h"
#include "tests/support/photographs.h"

namespace glenhaze {
namespace {

constexpr int kWidth = 640, kHeight = 360, kFrames = 60;

using Lenses = std::shared_ptr<const testing::FilmingLens>;

Lenses wideLens() {
  return std::make_shared<const testing::FilmingLens>(
      testing::testLens(LensModel::BrownConrady, kWidth, kHeight));
}

struct ShakenCase {
  std::filesystem::path photograph;
  double readout_s = 0.016, degrees = 0.6, high_hz = 6, pan_per_s = 0, noise = 1;
  unsigned seed = 1;
  std::string label() const {
    return photograph.stem().string().substr(0, 14) + " to " + fixedText(high_hz, 0) + " Hz, " +
           fixedText(degrees, 1) + "°, pan " + fixedText(pan_per_s, 0) + "°/s, noise " + fixedText(noise, 1);
  }
};

testing::FilmedPhotograph filmOf(const ShakenCase& c, const Lenses& lens) {
  testing::Filming filming;
  filming.photograph = c.photograph;
  filming.lens = lens;
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
  return testing::FilmedPhotograph(filming);
}

// Of the film as it is, or of what ffmpeg codes of it with the arguments `coding`.
ShutterFinding measured(const ShakenCase& c, const Lenses& lens, const std::string& coding = {}) {
  const testing::FilmedPhotograph film = filmOf(c, lens);
  if (coding.empty()) return measureReadout(film.tracks(kFrames), lens->lens, 1 / 30.0);
  const testing::ScratchFolder folder;
  const ClipInfo clip = testing::filmOfFrames(folder / "film.mp4", film.frames(kFrames), coding);
  return measureReadout(trackClip(clip, {}), lens->lens, 1 / 30.0, codingOf(clip));
}

// 45 films: shake of all kinds, a third of them panning, noise of all strengths.
std::vector<ShakenCase> shakenCases() {
  const auto photographs = testing::photographs();
  std::vector<ShakenCase> cases;
  std::mt19937 random(11);
  const auto between = [&](double a, double b) { return a + (b - a) * (random() % 1000) / 999.0; };
  for (size_t i = 0; i < 45; ++i) {
    ShakenCase& c = cases.emplace_back();
    c.photograph = photographs[i % photographs.size()];
    c.high_hz = std::array{4.0, 6.0, 9.0, 11.0, 14.0}[i % 5];
    c.readout_s = between(0.004, 0.03);
    c.degrees = between(0.2, 1.2);
    c.pan_per_s = i % 3 == 0 ? between(-15, 15) : 0;
    c.noise = std::array{0.7, 2.0, 5.0}[i / 5 % 3];
    c.seed = static_cast<unsigned>(100 + i);
  }
  return cases;
}

void addTo(testing::Believed& table, const ShakenCase& c, const Lenses& lens,
           const std::string& coding = {}) {
  try {
    const ShutterFinding found = measured(c, lens, coding);
    const double sign = found.shutter.direction == ScanDirection::Up ? -1 : 1;
    table.add(c.label(), sign * found.shutter.readout_s * 1000, c.readout_s * 1000,
              found.uncertainty_s * 1000);
  } catch (const Error& error) {
    if (error.kind() != ErrorKind::Evidence) throw;
    table.addRefused(c.label(), error.why());
  }
}

TEST(Believed, ReadoutFromShakenPhotographs) {
  if (testing::photographs().empty()) GTEST_SKIP() << "lomiri-wallpapers-16.04 is not installed";
  testing::Believed table("Readout from shaken photographs, ms");
  const Lenses lens = wideLens();
  size_t i = 0;
  constexpr size_t kEvery = 4;
  for (const ShakenCase& c : shakenCases())
    if (testing::caseRuns(i++, kEvery)) addTo(table, c, lens);
  table.expectBelieved(40, 0.55, kEvery);
}

// What comes from a camera is coded: at what would be 25 Mbit/s at 1080p, with and without pictures between
// others, and at 11 and 54; as H.265 at 16.
TEST(Believed, ReadoutFromCodedPhotographs) {
  if (testing::photographs().empty()) GTEST_SKIP() << "lomiri-wallpapers-16.04 is not installed";
  testing::Believed table("Readout from shaken photographs, coded, ms");
  const Lenses lens = wideLens();
  const std::string coder = "-c:v libx264 -preset veryfast ";
  // H.265 does not say its steps.
  const std::array<std::string, 5> codings{
      coder + "-b:v 2.8M", coder + "-b:v 2.8M -bf 0", coder + "-b:v 1.2M -bf 0", coder + "-b:v 6M",
      "-c:v libx265 -preset fast -x265-params log-level=error -b:v 1.8M"};
  size_t i = 0;
  constexpr size_t kEvery = 4;
  for (const ShakenCase& c : shakenCases()) {
    if (testing::caseRuns(i, kEvery)) addTo(table, c, lens, codings[(i + i / 5) % codings.size()]);
    ++i;
  }
  table.expectBelieved(40, 0.55, kEvery);
}

// A quick, even pan adds nothing to what is known of the readout, but all that is wrong with tracks.
TEST(Believed, ReadoutUnderAQuickPan) {
  const auto photographs = testing::photographs();
  if (photographs.empty()) GTEST_SKIP() << "lomiri-wallpapers-16.04 is not installed";
  testing::Believed table("Readout from a quick pan with little shake, as H.264, ms");
  const Lenses lens = wideLens();
  constexpr size_t kEvery = 6;
  for (size_t i = 0; i < 28; ++i) {
    if (!testing::caseRuns(i, kEvery)) continue;
    ShakenCase c;
    c.photograph = photographs[i % photographs.size()];
    c.high_hz = 4;
    c.readout_s = 0.0148;
    c.degrees = 0.18;
    c.pan_per_s = i % 2 == 0 ? 28 : -20;
    c.noise = std::array{0.7, 2.0}[i / 2 % 2];
    c.seed = static_cast<unsigned>(300 + i);
    addTo(table, c, lens, std::string("-c:v libx264 -preset veryfast -b:v ") + (i % 3 == 0 ? "1M" : "2.8M"));
  }
  table.expectBelieved(20, 0.5, kEvery);
}

// The path, also between the frames, where the rows are read.
TEST(Believed, PathOfShakenPhotographs) {
  const auto photographs = testing::photographs();
  if (photographs.empty()) GTEST_SKIP() << "lomiri-wallpapers-16.04 is not installed";
  const Lenses lens = wideLens();
  for (const double high_hz : {4.0, 9.0, 14.0})
    for (const size_t which : {3U, 8U}) {
      ShakenCase c;
      c.photograph = photographs[which % photographs.size()];
      c.high_hz = high_hz;
      c.degrees = 0.8;
      const PathFinding found =
          solvePath(filmOf(c, lens).tracks(kFrames), lens->lens, {c.readout_s, ScanDirection::Down});
      const auto turning = filmOf(c, lens).turning();
      double squares = 0, count = 0;
      for (double t = 0.2; t < 1.8; t += 0.003) {
        const Quaternion truth = inverse(turning(0)) * turning(t);
        const auto near = static_cast<size_t>(std::lround(t * 30));
        const Quaternion path = inverse(found.path.orientationAt(0, 0)) * found.path.orientationAt(t, near);
        squares += std::pow(length(turnOf(inverse(truth) * path)), 2);
        ++count;
      }
      const double degrees = std::sqrt(squares / count) / testing::kDegree;
      std::printf("  path, shake to %.0f Hz: %.4f° RMS at all times\n", high_hz, degrees);
      EXPECT_LT(degrees, 0.02) << c.label();
    }
}

// A camera that stands still or turns evenly shows no readout, whatever moves before it.
TEST(Believed, StandingAndEvenlyTurningCamerasTellNoReadout) {
  const auto photographs = testing::photographs();
  if (photographs.empty()) GTEST_SKIP() << "lomiri-wallpapers-16.04 is not installed";
  const Lenses lens = wideLens();
  for (const double pan : {0.0, 4.0, 12.0})
    for (const size_t which : {0U, 4U, 11U}) {
      ShakenCase c;
      c.photograph = photographs[which % photographs.size()];
      c.degrees = 0;
      c.pan_per_s = pan;
      try {
        const ShutterFinding found = measured(c, lens);
        ADD_FAILURE() << c.label() << ": " << found.shutter.readout_s * 1000 << " ± "
                      << found.uncertainty_s * 1000;
      } catch (const Error& error) {
        EXPECT_EQ(error.kind(), ErrorKind::Evidence);
      }
    }
}

}  // namespace
}  // namespace glenhaze
