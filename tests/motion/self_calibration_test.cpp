// The lens from tracks that a turning camera of known lens would give: projected points, no pictures. On
// photographs: tests/accuracy/lens_test.cpp.
#include "core/motion/self_calibration.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "core/base/error.h"
#include "tests/support/projected.h"

namespace glenhaze {
namespace {

using testing::ProjectedFilm;

// Looks about by so many degrees, in the hand.
sim::Motion lookingAbout(double degrees) {
  return [degrees](double t) {
    sim::Pose pose;
    pose.ry = degrees * std::sin(1.7 * t) * testing::kDegree;
    pose.rx = degrees / 2 * std::sin(2.3 * t) * testing::kDegree;
    sim::Shake shake;
    shake.pitch = shake.yaw = 0.4 * testing::kDegree;
    shake.roll = 0.8 * testing::kDegree;
    shake.seed = 4;
    return sim::shaken(pose, shake, t);
  };
}

ProjectedFilm filmWith(const Lens& lens, double degrees) {
  ProjectedFilm film;
  film.lens = lens;
  film.motion = lookingAbout(degrees);
  film.shutter = {0.014, ScanDirection::Down};
  film.wide = 1.5;
  return film;
}

void expectTold(const FootageLens& found, const ProjectedFilm& film, LensModel model) {
  ASSERT_TRUE(found.usable) << found.why;
  EXPECT_EQ(found.lens.model, model);
  EXPECT_NEAR(found.lens.fx / film.lens.fx, 1, 0.01);
  EXPECT_NEAR(found.lens.fx / film.lens.fx, 1, 3 * found.focal_uncertainty);
  ASSERT_TRUE(found.bend_told);
  EXPECT_NEAR(found.bend.value_px, bendAt(film.lens, found.bend.at), 3 * found.bend.uncertainty_px);
  ASSERT_TRUE(found.readout_told);
  EXPECT_EQ(found.shutter.direction, film.shutter.direction);
  EXPECT_NEAR(found.shutter.readout_s, film.shutter.readout_s, 0.03 * film.shutter.readout_s);
}

TEST(SelfCalibration, AnOrdinaryLensIsTold) {
  const ProjectedFilm film = filmWith(testing::testLens(LensModel::BrownConrady, 1280, 720), 10);
  expectTold(measureLensFrom(film.tracks(), 1 / 30.0), film, LensModel::BrownConrady);
}

TEST(SelfCalibration, AVeryWideLensIsToldAsWhatItIs) {
  ProjectedFilm film = filmWith(testing::testLens(LensModel::KannalaBrandt, 1280, 720), 10);
  film.wide = 4;
  film.shutter.direction = ScanDirection::Up;
  expectTold(measureLensFrom(film.tracks(), 1 / 30.0), film, LensModel::KannalaBrandt);
}

TEST(SelfCalibration, WhereNothingBendsNoBendIsMadeUp) {
  const ProjectedFilm film = filmWith(straightLens(1280, 720, 900), 10);
  const FootageLens found = measureLensFrom(film.tracks(), 1 / 30.0);
  ASSERT_TRUE(found.usable) << found.why;
  EXPECT_FALSE(found.bend_told);
  EXPECT_EQ(found.lens.k, (std::array<double, 5>{}));
  EXPECT_GT(found.bend.uncertainty_px, 0);
  EXPECT_LT(found.bend.uncertainty_px, 4);
  EXPECT_NEAR(found.lens.fx, 900, 3 * found.focal_uncertainty * 900);
}

TEST(SelfCalibration, ANarrowLensThatHardlyTurnsTellsNothing) {
  ProjectedFilm film = filmWith(straightLens(1280, 720, 3000), 0.5);
  film.wide = 0.25;
  const FootageLens found = measureLensFrom(film.tracks(), 1 / 30.0);
  EXPECT_FALSE(found.usable);
  EXPECT_THAT(found.why, ::testing::HasSubstr("turns too little"));
}

TEST(SelfCalibration, ACameraThatMovesThroughTheSceneIsRefused) {
  ProjectedFilm film = filmWith(testing::testLens(LensModel::BrownConrady, 1280, 720), 5);
  film.aside = [](double t) { return 0.8 * std::sin(2 * t); };
  const FootageLens found = measureLensFrom(film.tracks(), 1 / 30.0);
  EXPECT_FALSE(found.usable);
  EXPECT_THAT(found.why, ::testing::HasSubstr("moves through the scene"));
}

TEST(SelfCalibration, TooLittleToTrackIsSaid) {
  ProjectedFilm film = filmWith(testing::testLens(LensModel::BrownConrady, 1280, 720), 10);
  film.frames = 12;
  EXPECT_THROW(measureLensFrom(film.tracks(), 1 / 30.0), Error);
}

}  // namespace
}  // namespace glenhaze
