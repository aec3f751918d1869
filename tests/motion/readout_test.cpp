// The readout from tracks that a camera of known motion would give: projected points, no pictures.
#include "core/motion/readout.h"

#include <gtest/gtest.h>

#include <random>

#include "core/base/error.h"
#include "core/motion/solve.h"
#include "tests/support/motion.h"

namespace glenhaze {
namespace {

struct Film {
  Lens lens = testing::testLens(LensModel::BrownConrady, 1280, 720);
  sim::Motion motion;
  Shutter shutter;
  double noise_px = 0.1;
  int frames = 90;

  // Where a direction appears in a frame: its row's time depends on where it appears.
  std::optional<Point> seen(const Ray& world, double time) const {
    const LensMap map(lens);
    const RowTimes rows(shutter, lens.width, lens.height);
    double t = time;
    std::optional<Point> p;
    for (int i = 0; i < 12; ++i) {
      p = map.rayToPixel(inverse(testing::orientationOf(motion(t))) * world);
      if (!p) return p;
      t = time + rows.at(*p);
    }
    if (p->x < 0 || p->y < 0 || p->x > lens.width - 1 || p->y > lens.height - 1) return std::nullopt;
    return p;
  }

  TrackRecord tracks() const {
    std::mt19937 random(5);
    std::normal_distribution<double> noise(0, noise_px);
    std::uniform_real_distribution<double> side(-1.0, 1.0);
    std::vector<Ray> places;
    for (int i = 0; i < 260; ++i) places.push_back({side(random), 0.6 * side(random), 1});
    TrackRecord record{lens.width, lens.height, {}};
    std::vector<std::optional<Point>> before(places.size());
    for (int f = 0; f < frames; ++f) {
      FrameTracks tracks;
      tracks.time_s = f / 30.0;
      tracks.sharpness = 1;
      for (size_t i = 0; i < places.size(); ++i) {
        auto now = seen(places[i], tracks.time_s);
        if (now) *now = *now + Point{noise(random), noise(random)};
        if (f > 0 && now && before[i])
          tracks.pairs.push_back({static_cast<float>(before[i]->x), static_cast<float>(before[i]->y),
                                  static_cast<float>(now->x), static_cast<float>(now->y)});
        before[i] = now;
      }
      record.frames.push_back(std::move(tracks));
    }
    return record;
  }
};

TEST(Readout, IsFoundInAllFourDirections) {
  for (const ScanDirection direction :
       {ScanDirection::Down, ScanDirection::Up, ScanDirection::Left, ScanDirection::Right}) {
    Film film;
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
  Film film;
  film.motion = testing::windy(0.8);
  const ShutterFinding found = measureReadout(film.tracks(), film.lens, 1 / 30.0);
  EXPECT_TRUE(found.global);
  EXPECT_EQ(found.shutter.direction, ScanDirection::Unknown);
  EXPECT_LT(found.shutter.readout_s, 3 * found.uncertainty_s);
  EXPECT_LT(found.uncertainty_s, 0.002);
}

TEST(Readout, AFullFrameOfReadoutIsFound) {
  Film film;
  film.motion = testing::windy(1.0);
  film.shutter = {0.033, ScanDirection::Down};
  const ShutterFinding found = measureReadout(film.tracks(), film.lens, 1 / 30.0);
  EXPECT_NEAR(found.shutter.readout_s, 0.033, 0.05 * 0.033);
}

TEST(Readout, AStillCameraTellsNothing) {
  Film film;
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
  Film film;
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
  Film film;
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
  Film film;
  film.motion = testing::windy(0.5);
  TrackRecord record = film.tracks();
  record.frames[40].pairs.clear();
  record.frames[60].cut = true;
  record.frames[60].pairs.clear();
  record.frames[70].sharpness = 0.1F;
  const PathFinding found = solvePath(record, film.lens, film.shutter);
  EXPECT_EQ(found.path.frames()[40].doubt, PathDoubt::Nothing);
  EXPECT_EQ(found.path.frames()[40].confidence, 0);
  EXPECT_EQ(found.path.frames()[60].doubt, PathDoubt::Cut);
  EXPECT_EQ(found.path.frames()[70].doubt, PathDoubt::Blurred);
  EXPECT_EQ(found.path.frames()[41].doubt, PathDoubt::None);
}

TEST(Solve, ThirdOfTheTracksMayBeWrong) {
  Film film;
  film.motion = testing::windy(0.8);
  film.shutter = {0.0148, ScanDirection::Down};
  TrackRecord record = film.tracks();
  for (FrameTracks& f : record.frames)
    for (size_t i = 0; i < f.pairs.size(); i += 3) {
      f.pairs[i].to_x += 6;
      f.pairs[i].to_y -= 3;
    }
  const PathFinding found = solvePath(record, film.lens, film.shutter);
  const sim::SimCamera camera(testing::shakyCamera(), sim::Scene{}, film.motion);
  EXPECT_LT(testing::pathError(found.path, testing::truePath(camera, film.frames)), 0.05);
}

}  // namespace
}  // namespace glenhaze
