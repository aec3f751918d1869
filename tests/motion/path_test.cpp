#include "core/motion/path.h"

#include <gtest/gtest.h>

#include "core/base/error.h"
#include "tests/support/motion.h"

namespace glenhaze {
namespace {

TEST(Rotation, TurnAndQuaternionAreTheSame) {
  for (const double angle : {0.0, 1e-9, 1e-5, 9e-5, 1.1e-4, 0.3, 1.5, 3.0, 3.14159}) {
    const Turn t{angle * 0.48, angle * -0.6, angle * 0.64};
    const Turn back = turnOf(rotationOf(t));
    EXPECT_NEAR(length(back - t), 0, 1e-9) << angle;
  }
}

TEST(Rotation, MatrixTurnsAsTheQuaternionDoes) {
  const Quaternion a = rotationOf({0.3, -0.2, 0.9}), b = rotationOf({-0.1, 0.7, 0.2});
  const Ray r{0.2, -0.4, 1};
  const Ray one = (a * b) * r, two = a * (b * r);
  EXPECT_NEAR(one.x, two.x, 1e-12);
  EXPECT_NEAR(one.y, two.y, 1e-12);
  EXPECT_NEAR(one.z, two.z, 1e-12);
  // A quarter turn about z takes x to y (closed form).
  const Ray quarter = rotationOf({0, 0, std::acos(-1.0) / 2}) * Ray{1, 0, 0};
  EXPECT_NEAR(quarter.y, 1, 1e-12);
}

CameraPath sampled(const std::function<Turn(double)>& at, int frames, double fps = 30) {
  std::vector<PathFrame> all(static_cast<size_t>(frames));
  for (int i = 0; i < frames; ++i) {
    all[static_cast<size_t>(i)].time_s = i / fps;
    all[static_cast<size_t>(i)].orientation = rotationOf(at(i / fps));
  }
  return CameraPath(std::move(all));
}

// A turn about one axis at a speed that never changes is met exactly, also beyond both ends.
TEST(CameraPath, SteadyTurnIsExactEverywhere) {
  const CameraPath path = sampled([](double t) { return Turn{0.1 * t, 0.2 * t, -0.05 * t}; }, 10);
  for (const double t : {-0.02, 0.0, 0.05, 0.1234, 0.29, 0.31}) {
    const Turn off = turnOf(path.orientationAt(t, 4)) - Turn{0.1 * t, 0.2 * t, -0.05 * t};
    EXPECT_NEAR(length(off), 0, 1e-9) << t;
  }
}

// Between the frames a shake of 5 Hz at 30 frames a second is met within 2 % of its size.
TEST(CameraPath, ShakeIsMetBetweenTheFrames) {
  const auto shake = [](double t) {
    return Turn{0.01 * std::sin(2 * 3.14159265 * 5 * t), 0.02 * std::cos(2 * 3.14159265 * 3 * t), 0};
  };
  const CameraPath path = sampled(shake, 60);
  double worst = 0;
  for (double t = 0.3; t < 1.6; t += 0.0037) {
    const auto near = static_cast<size_t>(std::lround(t * 30));
    worst = std::max(worst, length(turnOf(inverse(rotationOf(shake(t))) * path.orientationAt(t, near))));
  }
  EXPECT_LT(worst, 0.02 * 0.02);
}

TEST(CameraPath, NothingReachesAcrossACut) {
  std::vector<PathFrame> frames(8);
  for (size_t i = 0; i < frames.size(); ++i) {
    frames[i].time_s = static_cast<double>(i) / 30;
    frames[i].orientation = rotationOf({0, i < 4 ? 0.01 * static_cast<double>(i) : 0.5, 0});
  }
  frames[4].doubt = PathDoubt::Cut;
  const CameraPath path(std::move(frames));
  EXPECT_EQ(path.scenes().size(), 2U);
  EXPECT_NEAR(turnOf(path.turnSince(3, 0.01)).y, 0.003, 1e-9);
  EXPECT_NEAR(turnOf(path.turnSince(4, -0.01)).y, 0, 1e-9);
}

TEST(CameraPath, CsvGoesThereAndBack) {
  const CameraPath path = sampled([](double t) { return Turn{0.1 * t, 0.2 * t * t, -0.3 * t}; }, 5);
  const CameraPath back = pathFromCsv(pathToCsv(path, 500), 500, "path.csv");
  ASSERT_EQ(back.frames().size(), 5U);
  for (size_t i = 0; i < 5; ++i)
    EXPECT_NEAR(length(turnOf(inverse(path.frames()[i].orientation) * back.frames()[i].orientation)), 0,
                1e-7);
  EXPECT_THROW(pathFromCsv("frame,time_s\n0,1,2\n", 500, "bad.csv"), Error);
}

}  // namespace
}  // namespace glenhaze
