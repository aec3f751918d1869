// The readout from tracks that a camera of known motion would give: projected points, no pictures.
#include "core/motion/readout.h"

#include <gtest/gtest.h>

#include "core/base/error.h"
#include "core/motion/solve.h"
#include "tests/support/motion.h"
#include "tests/support/projected.h"

namespace glenhaze {
namespace {

using testing::ProjectedFilm;

TEST(Readout, IsFoundInAllFourDirections) {
  for (const ScanDirection direction :
       {ScanDirection::Down, ScanDirection::Up, ScanDirection::Left, ScanDirection::Right}) {
    ProjectedFilm film;
    film.motion = testing::windy(0.8);
    film.shutter = {0.0148, direction};
    const ShutterFinding found = measureReadout(film.tracks(), film.lens, 1 / 30.0);
    EXPECT_EQ(found.shutter.direction, direction) << scanDirectionName(direction);
    EXPECT_NEAR(found.shutter.readout_s, 0.0148, 0.05 * 0.0148) << scanDirectionName(direction);
    EXPECT_LT(std::abs(found.shutter.readout_s - 0.0148), 4 * found.uncertainty_s);
    EXPECT_FALSE(found.global);
  }
}

TEST(Readout, AGlobalShutterIsZeroWithinItsUncertainty) {
  ProjectedFilm film;
  film.motion = testing::windy(0.8);
  const ShutterFinding found = measureReadout(film.tracks(), film.lens, 1 / 30.0);
  EXPECT_TRUE(found.global);
  EXPECT_EQ(found.shutter.direction, ScanDirection::Unknown);
  EXPECT_LT(found.shutter.readout_s, 3 * found.uncertainty_s);
  EXPECT_LT(found.uncertainty_s, 0.002);
}

TEST(Readout, AFullFrameOfReadoutIsFound) {
  ProjectedFilm film;
  film.motion = testing::windy(1.0);
  film.shutter = {0.033, ScanDirection::Down};
  const ShutterFinding found = measureReadout(film.tracks(), film.lens, 1 / 30.0);
  EXPECT_NEAR(found.shutter.readout_s, 0.033, 0.05 * 0.033);
}

TEST(Readout, AStillCameraTellsNothing) {
  ProjectedFilm film;
  film.motion = [](double) { return sim::Pose{}; };
  film.shutter = {0.0148, ScanDirection::Down};
  try {
    const ShutterFinding found = measureReadout(film.tracks(), film.lens, 1 / 30.0);
    EXPECT_TRUE(found.global) << found.shutter.readout_s << " ± " << found.uncertainty_s;
  } catch (const Error& error) {
    EXPECT_EQ(error.kind(), ErrorKind::Evidence);
  }
}

TEST(Solve, NoiseFreeTracksGiveTheExactPath) {
  ProjectedFilm film;
  film.motion = testing::windy(0.8);
  film.shutter = {0.0148, ScanDirection::Down};
  film.noise_px = 0;
  const PathFinding found = solvePath(film.tracks(), film.lens, film.shutter);
  const sim::SimCamera camera(testing::shakyCamera(), sim::Scene{}, film.motion);
  // What the spline leaves of a shake of up to 6 Hz between the frames.
  EXPECT_LT(testing::pathError(found.path, testing::truePath(camera, film.frames)), 0.004);
  EXPECT_FALSE(found.shift_and_scale);
}

// A recording that was paused, or a stamp that jumps: nothing grows with how long that was.
TEST(Solve, ALongPauseBetweenTwoFramesIsNoTrouble) {
  ProjectedFilm film;
  film.motion = testing::windy(0.8);
  film.shutter = {0.0148, ScanDirection::Down};
  TrackRecord record = film.tracks();
  for (size_t i = 60; i < record.frames.size(); ++i) record.frames[i].time_s += 3600;
  const PathFinding found = solvePath(record, film.lens, film.shutter);
  for (const PathFrame& f : found.path.frames()) EXPECT_TRUE(std::isfinite(f.orientation.w));
  const ShutterFinding readout = measureReadout(record, film.lens, 1 / 30.0);
  EXPECT_NEAR(readout.shutter.readout_s, 0.0148, 0.05 * 0.0148);
}

TEST(Solve, FramesThatNothingLinksAreSaid) {
  ProjectedFilm film;
  film.motion = testing::windy(0.5);
  TrackRecord record = film.tracks();
  record.frames[40].pairs = {};
  record.frames[60].cut = true;
  record.frames[60].pairs = {};
  record.frames[70].sharpness = 0.1F;
  const PathFinding found = solvePath(record, film.lens, film.shutter);
  EXPECT_EQ(found.path.frames()[40].doubt, PathDoubt::Nothing);
  EXPECT_EQ(found.path.frames()[40].confidence, 0);
  EXPECT_EQ(found.path.frames()[60].doubt, PathDoubt::Cut);
  EXPECT_EQ(found.path.frames()[70].doubt, PathDoubt::Blurred);
  EXPECT_EQ(found.path.frames()[41].doubt, PathDoubt::None);
}

TEST(Solve, ThirdOfTheTracksMayBeWrong) {
  ProjectedFilm film;
  film.motion = testing::windy(0.8);
  film.shutter = {0.0148, ScanDirection::Down};
  TrackRecord record = film.tracks();
  for (FrameTracks& f : record.frames) {
    std::vector<TrackPair> pairs = f.pairs.read();
    for (size_t i = 0; i < pairs.size(); i += 3) {
      pairs[i].to_x += 6;
      pairs[i].to_y -= 3;
    }
    f.pairs = std::move(pairs);
  }
  const PathFinding found = solvePath(record, film.lens, film.shutter);
  const sim::SimCamera camera(testing::shakyCamera(), sim::Scene{}, film.motion);
  EXPECT_LT(testing::pathError(found.path, testing::truePath(camera, film.frames)), 0.05);
}

}  // namespace
}  // namespace glenhaze
