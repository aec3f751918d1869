#include "core/motion/log.h"

#include <gtest/gtest.h>

#include "core/base/error.h"
#include "tests/support/motion.h"

namespace glenhaze {
namespace {

// What a sensor on the camera would write: rates in the camera's frame, 200 a second, from before the clip to
// behind it, on a clock of its own.
MotionLog logOf(const sim::Motion& motion, double offset, const std::array<int, 3>& axes = {1, 2, 3}) {
  MotionLog log;
  constexpr double kStep = 1e-3;
  for (double t = -1; t < 4; t += 0.005) {
    const Turn turn = turnOf(inverse(testing::orientationOf(motion(t - kStep / 2))) *
                             testing::orientationOf(motion(t + kStep / 2)));
    const std::array<double, 3> camera{turn.x / kStep, turn.y / kStep, turn.z / kStep};
    std::array<double, 3> written{};
    for (size_t k = 0; k < 3; ++k)
      written[static_cast<size_t>(std::abs(axes[k]) - 1)] = (axes[k] < 0 ? -1 : 1) * camera[k];
    log.samples.push_back({t + offset, {written[0], written[1], written[2]}});
  }
  return log;
}

CameraPath truth(const sim::Motion& motion, int frames = 60) {
  return testing::truePath(sim::SimCamera(testing::shakyCamera(), sim::Scene{}, motion), frames);
}

TEST(MotionLog, OffsetAndAxesAreFound) {
  const sim::Motion motion = testing::windy(0.8);
  const CameraPath path = truth(motion);
  for (const std::array<int, 3>& axes : {std::array<int, 3>{1, 2, 3}, {2, -1, 3}, {-3, 2, 1}, {3, 1, 2}}) {
    const LogFit fit = fitLog(logOf(motion, 3.217, axes), path);
    EXPECT_TRUE(fit.usable);
    EXPECT_NEAR(fit.offset_s, 3.217, 0.002);
    EXPECT_EQ(fit.axes, axes);
    EXPECT_GT(fit.agreement, 0.99);
  }
}

TEST(MotionLog, ItsPathIsTheCamerasPath) {
  const sim::Motion motion = testing::windy(0.8);
  const CameraPath path = truth(motion);
  const MotionLog log = logOf(motion, -0.4, {2, -1, 3});
  EXPECT_LT(testing::pathError(pathFromLog(log, fitLog(log, path), path), path), 0.01);
}

// Where the picture told nothing the log does.
TEST(MotionLog, FillsWhatThePictureDoesNotTell) {
  const sim::Motion motion = testing::windy(0.8);
  const CameraPath whole = truth(motion);
  std::vector<PathFrame> holed = whole.frames();
  for (size_t i = 20; i < 35; ++i) {
    holed[i].orientation = holed[19].orientation;
    holed[i].doubt = PathDoubt::Nothing;
    holed[i].confidence = 0;
  }
  const CameraPath tracked(holed);
  const MotionLog log = logOf(motion, 1.5);
  const CameraPath path = pathFromLog(log, fitLog(log, tracked), tracked);
  EXPECT_LT(testing::pathError(path, whole), 0.02);
  EXPECT_EQ(path.frames()[25].doubt, PathDoubt::None);
}

TEST(MotionLog, AnotherClipsLogIsNotUsable) {
  const LogFit fit = fitLog(logOf(testing::windy(0.8, 0, 91), 0), truth(testing::windy(0.8, 0, 3)), 0.5);
  EXPECT_FALSE(fit.usable) << fit.agreement;
}

TEST(MotionLog, IsReadAsWrittenAndBadLinesAreNamed) {
  std::string text = "t,x,y,z\n";
  for (int i = 0; i < 10; ++i) text += std::to_string(0.01 * i) + ",0.1,-0.2,3e-1\n";
  const MotionLog log = parseMotionLog(text, "log.csv");
  ASSERT_EQ(log.samples.size(), 10U);
  EXPECT_EQ(log.samples[3].rate.y, -0.2);
  for (const std::string& bad : {text + "0.5,1,2\n", text + "0.01,0,0,0\n", text + "0.5,nan,0,0\n"}) {
    try {
      parseMotionLog(bad, "log.csv");
      FAIL() << bad;
    } catch (const Error& error) {
      EXPECT_NE(std::string(error.what()).find("line 12"), std::string::npos) << error.what();
    }
  }
  EXPECT_THROW(parseMotionLog("", "log.csv"), Error);
}

}  // namespace
}  // namespace glenhaze
