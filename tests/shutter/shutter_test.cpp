#include "core/shutter/shutter.h"

#include <gtest/gtest.h>

#include "core/base/error.h"
#include "core/shutter/lamp.h"
#include "core/shutter/pan.h"
#include "tests/support/motion.h"

namespace glenhaze {
namespace {

namespace fs = std::filesystem;
using testing::kDegree;

// The closed form: rows run evenly from half a readout before the frame's time to half of one after it.
TEST(RowTimes, RunAlongTheScan) {
  for (const auto& [direction, first, last] : {std::tuple{ScanDirection::Down, Point{50, 0}, Point{7, 99}},
                                               {ScanDirection::Up, Point{3, 99}, Point{9, 0}},
                                               {ScanDirection::Right, Point{0, 4}, Point{199, 50}},
                                               {ScanDirection::Left, Point{199, 8}, Point{0, 90}}}) {
    const RowTimes rows({0.02, direction}, 200, 100);
    EXPECT_NEAR(rows.at(first), -0.01, 1e-12) << scanDirectionName(direction);
    EXPECT_NEAR(rows.at(last), 0.01, 1e-12) << scanDirectionName(direction);
    EXPECT_NEAR(rows.at({99.5, 49.5}), 0, 1e-12);
  }
  EXPECT_EQ(RowTimes({0.02, ScanDirection::Unknown}, 200, 100).at({3, 90}), 0);
  EXPECT_EQ(RowTimes({0.02, ScanDirection::Down}, 1, 1).at({0, 0}), -0.01);
}

TEST(ScanDirection, TurnsWithThePicture) {
  EXPECT_EQ(turnedClockwise(ScanDirection::Down, 0), ScanDirection::Down);
  EXPECT_EQ(turnedClockwise(ScanDirection::Down, 90), ScanDirection::Left);
  EXPECT_EQ(turnedClockwise(ScanDirection::Down, 180), ScanDirection::Up);
  EXPECT_EQ(turnedClockwise(ScanDirection::Down, 270), ScanDirection::Right);
  EXPECT_EQ(turnedClockwise(ScanDirection::Unknown, 90), ScanDirection::Unknown);
  for (const ScanDirection d :
       {ScanDirection::Down, ScanDirection::Up, ScanDirection::Left, ScanDirection::Right})
    EXPECT_EQ(scanDirectionFromName(scanDirectionName(d)), d);
  EXPECT_FALSE(scanDirectionFromName("sideways"));
}

TEST(Shutter, ValuesOutOfRangeAreNamed) {
  EXPECT_THROW((Shutter{14.8, ScanDirection::Down}.validate()), Error);  // milliseconds taken for seconds
  EXPECT_THROW((Shutter{-0.01, ScanDirection::Down}.validate()), Error);
  EXPECT_NO_THROW((Shutter{0, ScanDirection::Unknown}.validate()));
}

// Common practice, no source: nothing reads longer than a frame lasts.
TEST(Shutter, OddReadoutsAreSaid) {
  EXPECT_TRUE(plausibilityOf({0.02, ScanDirection::Down}, 1 / 30.0).empty());
  EXPECT_TRUE(plausibilityOf({0.033, ScanDirection::Down}, 1 / 30.0).empty());
  EXPECT_EQ(plausibilityOf({0.04, ScanDirection::Down}, 1 / 30.0).size(), 1U);
  EXPECT_EQ(plausibilityOf({0.001, ScanDirection::Down}, 1 / 30.0).size(), 1U);
}

ClipInfo film(const fs::path& path, const sim::CameraSetup& setup, const sim::Scene& scene,
              const sim::Motion& motion, int64_t frames) {
  sim::FilmSettings settings = testing::smallFilm(frames);
  settings.codec = sim::FilmCodec::Ffv1;
  settings.sound = false;
  sim::writeFilm(path, sim::SimCamera(setup, scene, motion), settings);
  return probe(path);
}

sim::CameraSetup lampCamera(double readout_s, sim::ScanDirection direction) {
  sim::CameraSetup setup = testing::smallCamera();
  setup.readout_s = readout_s;
  setup.direction = direction;
  setup.samples = 1;
  setup.noise = sim::sensorNoiseAt(400);
  return setup;
}

TEST(Lamp, ReadoutWithinOnePercentInAllFourDirections) {
  const testing::ScratchFolder folder;
  for (const auto& [made, told] : {std::pair{sim::ScanDirection::Down, ScanDirection::Down},
                                   {sim::ScanDirection::Up, ScanDirection::Up},
                                   {sim::ScanDirection::Left, ScanDirection::Left},
                                   {sim::ScanDirection::Right, ScanDirection::Right}}) {
    const auto clip = film(
        folder / (scanDirectionName(told) + ".mkv"), lampCamera(0.0187, made), sim::lampScene(100),
        [](double) { return sim::Pose{}; }, 14);
    const ShutterFinding found = measureLamp(clip, 100);
    EXPECT_NEAR(found.shutter.readout_s, 0.0187, 0.01 * 0.0187) << scanDirectionName(told);
    EXPECT_EQ(found.shutter.direction, told);
  }
}

// At 30 frames a second a lamp of 120 Hz comes back to the same bands: the readout can be told, which way
// not.
TEST(Lamp, StandingBandsTellTheReadoutButNotTheDirection) {
  const testing::ScratchFolder folder;
  const auto clip = film(
      folder / "standing.mkv", lampCamera(0.0231, sim::ScanDirection::Down), sim::lampScene(120),
      [](double) { return sim::Pose{}; }, 10);
  const ShutterFinding found = measureLamp(clip, 120);
  EXPECT_NEAR(found.shutter.readout_s, 0.0231, 0.03 * 0.0231);
  EXPECT_EQ(found.shutter.direction, ScanDirection::Unknown);
  EXPECT_FALSE(found.warnings.empty());
}

TEST(Lamp, AGlobalShutterIsZeroAndASteadyLampShowsNothing) {
  const testing::ScratchFolder folder;
  const auto still = [](double) { return sim::Pose{}; };
  const auto global =
      film(folder / "global.mkv", lampCamera(0, sim::ScanDirection::Down), sim::lampScene(100), still, 10);
  const ShutterFinding found = measureLamp(global, 100);
  EXPECT_TRUE(found.global);
  EXPECT_LE(found.shutter.readout_s, found.uncertainty_s);
  const auto steady =
      film(folder / "steady.mkv", lampCamera(0.0187, sim::ScanDirection::Down), sim::lampScene(0), still, 10);
  EXPECT_THROW(measureLamp(steady, 100), Error);
  const auto clip =
      film(folder / "hz.mkv", lampCamera(0.0187, sim::ScanDirection::Down), sim::lampScene(100), still, 3);
  EXPECT_THROW(measureLamp(clip, 5), Error);    // no such lamp
  EXPECT_THROW(measureLamp(clip, 100), Error);  // too short
}

sim::CameraSetup panCamera(double readout_s, sim::ScanDirection direction) {
  sim::CameraSetup setup = testing::smallCamera(LensModel::BrownConrady, 640, 360);
  setup.readout_s = readout_s;
  setup.direction = direction;
  return setup;
}

// A pan that starts, and goes back; the camera hangs by a degree.
sim::Pose swing(double t, double degrees) {
  sim::Pose p;
  p.ry = degrees * std::sin(4 * t) * kDegree;
  p.rz = 1.0 * kDegree;
  return p;
}

TEST(Pan, ReadoutWithinThreePercentBothWays) {
  const testing::ScratchFolder folder;
  for (const auto& [made, told] : {std::pair{sim::ScanDirection::Down, ScanDirection::Down},
                                   {sim::ScanDirection::Up, ScanDirection::Up}}) {
    const auto setup = panCamera(0.0148, made);
    const auto clip = film(
        folder / (scanDirectionName(told) + ".mkv"), setup, sim::uprightsScene(),
        [](double t) { return swing(t, 14); }, 26);
    const ShutterFinding found = measurePan(clip, setup.lens);
    EXPECT_NEAR(found.shutter.readout_s, 0.0148, 0.03 * 0.0148) << scanDirectionName(told);
    EXPECT_EQ(found.shutter.direction, told);
    EXPECT_LT(std::abs(found.shutter.readout_s - 0.0148), 5 * found.uncertainty_s + 1e-4);
    EXPECT_EQ(found.sights.size(), found.plot.size());
  }
}

// A tilt past level lines tells sensors that are read sideways.
TEST(Pan, SidewaysReadoutIsToldByATilt) {
  const testing::ScratchFolder folder;
  const auto setup = panCamera(0.0148, sim::ScanDirection::Left);
  sim::Scene scene = sim::uprightsScene();
  // The wall of uprights laid on its side.
  for (sim::Quad& q : scene.quads) {
    q.corner = {-q.size_v / 2, -q.size_u / 2, q.corner.z};
    q.u = {0, 1, 0};
    q.v = {1, 0, 0};
  }
  const auto clip = film(
      folder / "tilt.mkv", setup, scene,
      [](double t) {
        sim::Pose p;
        p.rx = 12 * std::sin(4 * t) * kDegree;
        return p;
      },
      26);
  const ShutterFinding found = measurePan(clip, setup.lens);
  EXPECT_NEAR(found.shutter.readout_s, 0.0148, 0.03 * 0.0148);
  EXPECT_EQ(found.shutter.direction, ScanDirection::Left);
}

TEST(Pan, AGlobalShutterLeansNot) {
  const testing::ScratchFolder folder;
  const auto setup = panCamera(0, sim::ScanDirection::Down);
  const auto clip = film(
      folder / "global.mkv", setup, sim::uprightsScene(), [](double t) { return swing(t, 14); }, 16);
  const ShutterFinding found = measurePan(clip, setup.lens);
  EXPECT_TRUE(found.global);
  EXPECT_LT(found.shutter.readout_s, 5e-4);
}

TEST(Pan, AStillCameraIsRefused) {
  const testing::ScratchFolder folder;
  const auto setup = panCamera(0.0148, sim::ScanDirection::Down);
  const auto clip = film(
      folder / "still.mkv", setup, sim::uprightsScene(), [](double) { return sim::Pose{}; }, 6);
  try {
    measurePan(clip, setup.lens);
    FAIL() << "no error";
  } catch (const Error& error) {
    EXPECT_EQ(error.kind(), ErrorKind::Evidence);
  }
}

}  // namespace
}  // namespace glenhaze
