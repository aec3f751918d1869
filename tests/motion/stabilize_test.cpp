#include "core/motion/stabilize.h"
#include "core/motion/own_motion.h"

#include <gtest/gtest.h>

#include <numbers>

#include "core/base/error.h"
#include "core/motion/detail/whittaker.h"
#include "core/motion/frame_map.h"
#include "tests/support/motion.h"

namespace glenhaze {
namespace {

using testing::kDegree;

constexpr int kFilmFrames = 90;

sim::SimCamera camera(double degrees, double readout_s = 0.015, double pan_per_s = 3) {
  return {testing::shakyCamera(readout_s), sim::Scene{}, testing::windy(degrees, pan_per_s)};
}

struct Case {
  Lens lens;
  Shutter shutter;
  LensWindow window;
  CameraPath path;
  StabilizationRoom room;
  Case(const sim::SimCamera& cam, int frames = kFilmFrames)
      : lens(cam.setup().lens),
        shutter{cam.setup().readout_s, ScanDirection::Down},
        window(lens, {0, 0, 1, 1}),
        path(testing::truePath(cam, frames)),
        room(path, lens, shutter, window) {}
  FrameMap map(const StabilizedClip& clip, int64_t frame, const LensMap& lens_map) const {
    motion = {path, shutter, clip.frames};
    return {motion, frame, lens_map, window};
  }
  mutable ClipMotion motion;
};

TEST(Whittaker, LinesPassAndFastSwingsFallAsTheFormulaSays) {
  constexpr double kFps = 30, kTau = 0.5;
  const double lambda = detail::lambdaOf(kTau, kFps);
  std::vector<double> line(200), swing(4000);
  for (size_t i = 0; i < line.size(); ++i) line[i] = 3 - 0.2 * static_cast<double>(i);
  const auto straight = detail::smoothed(line, std::vector<double>(line.size(), 1.0), lambda);
  for (size_t i = 0; i < line.size(); ++i) EXPECT_NEAR(straight[i], line[i], 1e-7);
  // Gain at frequency f: 1 / (1 + λ (2 sin(πf/fps))⁴), the closed form of the infinite filter.
  for (const double hz : {0.1, 0.318, 1.0, 3.0}) {
    for (size_t i = 0; i < swing.size(); ++i)
      swing[i] = std::cos(2 * std::numbers::pi * hz * static_cast<double>(i) / kFps);
    const auto left = detail::smoothed(swing, std::vector<double>(swing.size(), 1.0), lambda);
    const double gain = 1 / (1 + lambda * std::pow(2 * std::sin(std::numbers::pi * hz / kFps), 4));
    double worst = 0;
    for (size_t i = 1500; i < 2500; ++i) worst = std::max(worst, std::abs(left[i] - gain * swing[i]));
    EXPECT_LT(worst, 1e-3) << hz;
  }
}

// A place far away, filmed at its row's own time, must come out where the camera that is not there sees it.
TEST(FrameMap, PlacesOfTheWorldComeOutWhereTheVirtualCameraSeesThem) {
  const sim::SimCamera cam = camera(1.5);
  const Case c(cam);
  const StabilizedClip clip = stabilize(c.room, {}, 0, kFilmFrames);
  const LensMap lens(c.lens);
  const RowTimes rows(c.shutter, c.lens.width, c.lens.height);
  double worst = 0, moved = 0;
  for (const int64_t frame : {10, 37, 60}) {
    const FrameMap map = c.map(clip, frame, lens);
    const VirtualFrame& view = clip.frames[static_cast<size_t>(frame)];
    for (double y = 10; y < 175; y += 16)
      for (double x = 10; x < 315; x += 21) {
        // Source pixel → direction in the world by the true motion at its row's time.
        const double t = static_cast<double>(frame) / 30 + rows.at({x, y});
        const Quaternion now =
            inverse(testing::orientationOf(cam.pose(0))) * testing::orientationOf(cam.pose(t));
        const Ray world = now * *lens.pixelToRay({x, y});
        const auto seen = c.window.fromRay(inverse(view.orientation) * world);
        ASSERT_TRUE(seen);
        const Point middle{(c.window.width() - 1) / 2.0, (c.window.height() - 1) / 2.0};
        const Point expected = middle + (*seen - middle) * view.zoom;
        const auto got = map.toOutput({x, y});
        ASSERT_TRUE(got);
        worst = std::max(worst, length(*got - expected));
        const auto back = map.toSource(*got);
        ASSERT_TRUE(back);
        EXPECT_LT(length(*back - Point{x, y}), 0.002);
        moved = std::max(moved, length(*got - *c.window.toOutput({x, y})));
      }
  }
  // What a spline through the frames leaves of a shake of up to 6 Hz.
  EXPECT_LT(worst, 0.05);
  EXPECT_GT(moved, 2);
}

// Places that stand in the world are where the path says in the neighbour frames too.
TEST(OwnMotion, WhatTheCamerasTurningCarriesIsWhereTheCameraSeesIt) {
  const sim::SimCamera cam = camera(1.5);
  const Case c(cam);
  const LensMap lens(c.lens);
  const RowTimes rows(c.shutter, c.lens.width, c.lens.height);
  const CameraPath path = testing::truePath(cam, kFilmFrames);
  const auto worldAt = [&](size_t frame, Point at) {
    return testing::orientationOf(cam.pose(static_cast<double>(frame) / 30 + rows.at(at))) *
           *lens.pixelToRay(at);
  };
  double farthest = 0;
  for (const auto& [from, to] : {std::pair<size_t, size_t>{20, 21}, {40, 39}})
    for (double y = 15; y < 170; y += 23)
      for (double x = 20; x < 300; x += 31) {
        const auto carried = carriedBy(path, rows, lens, from, to, {x, y});
        ASSERT_TRUE(carried);
        const Ray here = worldAt(from, {x, y}), there = worldAt(to, *carried);
        const double off = std::hypot(here.x - there.x, here.y - there.y, here.z - there.z);
        EXPECT_LT(off * c.lens.fx, 0.05);
        farthest = std::max(farthest, length(*carried - Point{x, y}));
      }
  EXPECT_GT(farthest, 1);
}

TEST(WindowKeys, RunStraightAndStayOutsideThem) {
  const std::vector<WindowKey> keys{{10, {0.1, -0.2}, 0.5}, {20, {0.3, 0}, 0.9}};
  EXPECT_EQ(windowAt({}, 7), (WindowKey{7, {}, 1}));
  EXPECT_EQ(windowAt(keys, 3), (WindowKey{3, {0.1, -0.2}, 0.5}));
  EXPECT_EQ(windowAt(keys, 99), (WindowKey{99, {0.3, 0}, 0.9}));
  const WindowKey middle = windowAt(keys, 15);
  EXPECT_NEAR(middle.offset.x, 0.2, 1e-12);
  EXPECT_NEAR(middle.offset.y, -0.1, 1e-12);
  EXPECT_NEAR(middle.size, 0.7, 1e-12);
}

TEST(MotionMask, CoversWhatItsOutlineHoldsInItsFrames) {
  // An L: the notch at the upper right is not in it.
  const MotionMask m{{{0.1, 0.1}, {0.5, 0.1}, {0.5, 0.5}, {0.9, 0.5}, {0.9, 0.9}, {0.1, 0.9}}, 4, 9};
  EXPECT_TRUE(m.covers({0.3, 0.3}));
  EXPECT_TRUE(m.covers({0.7, 0.7}));
  EXPECT_FALSE(m.covers({0.7, 0.3}));
  EXPECT_FALSE(m.covers({0.05, 0.5}));
  EXPECT_FALSE(MotionMask{}.covers({0.5, 0.5}));
  EXPECT_FALSE(m.holdsAt(3));
  EXPECT_TRUE(m.holdsAt(4));
  EXPECT_TRUE(m.holdsAt(8));
  EXPECT_FALSE(m.holdsAt(9));
  EXPECT_TRUE((MotionMask{m.corners, 4, -1}).holdsAt(1000));
}

// Every output pixel of the border lies in the source, in every frame.
void expectFilled(const Case& c, const StabilizedClip& clip, int64_t first, int64_t last) {
  const LensMap lens(c.lens);
  for (int64_t f = first; f < last; ++f) {
    const FrameMap map = c.map(clip, f, lens);
    const double w = c.window.width() - 1, h = c.window.height() - 1;
    for (double t = 0; t <= 1; t += 1.0 / 64)
      for (const Point p : {Point{t * w, 0}, Point{t * w, h}, Point{0, t * h}, Point{w, t * h}}) {
        const auto s = map.toSource(p);
        ASSERT_TRUE(s && s->x > -0.02 && s->y > -0.02 && s->x < c.lens.width - 0.98 &&
                    s->y < c.lens.height - 0.98)
            << "frame " << f << " at " << p.x << ", " << p.y << " → " << (s ? s->x : -1) << ", "
            << (s ? s->y : -1);
      }
  }
}

TEST(Stabilize, ShakeGoesAndNothingBlankShows) {
  const Case c(camera(0.8));
  StabilizationSettings settings;
  settings.crop_limit = 0.3;
  const StabilizedClip clip = stabilize(c.room, settings, 0, kFilmFrames);
  EXPECT_LT(clip.shake_after_deg, 0.06 * clip.shake_before_deg);
  // What is left of each frame is what the figure sums up.
  ASSERT_EQ(clip.shake_left_deg.size(), clip.frames.size());
  double sum = 0;
  for (const float left : clip.shake_left_deg) sum += static_cast<double>(left) * static_cast<double>(left);
  EXPECT_NEAR(std::sqrt(sum / static_cast<double>(clip.frames.size())), clip.shake_after_deg, 1e-6);
  EXPECT_GT(clip.crop, 0.02);
  EXPECT_LT(clip.crop, 0.3);
  expectFilled(c, clip, 0, kFilmFrames);
}

TEST(Stabilize, TheCropLimitHolds) {
  const Case c(camera(2.5));
  StabilizationSettings settings;
  settings.smoothing_s = 3;
  double before = 1e9;
  for (const double limit : {0.06, 0.12, 0.3}) {
    settings.crop_limit = limit;
    const StabilizedClip clip = stabilize(c.room, settings, 0, kFilmFrames);
    EXPECT_LE(clip.crop, limit + 0.002) << limit;
    EXPECT_GT(clip.needed_crop, 0.06);
    expectFilled(c, clip, 0, kFilmFrames);
    // More room, less shake.
    EXPECT_LE(clip.shake_after_deg, before * 1.02) << limit;
    before = clip.shake_after_deg;
  }
  EXPECT_LT(before, 0.06 * stabilize(c.room, settings, 0, kFilmFrames).shake_before_deg);
}

// A camera that is carried past near things: what it moves costs crop as what it turns does.
TEST(Stabilize, TheCropLimitHoldsForShiftAndScaleToo) {
  Case c(camera(0.2));
  std::vector<PathFrame> frames = c.path.frames();
  for (size_t i = 0; i < frames.size(); ++i) {
    const double t = static_cast<double>(i) / 30;
    frames[i].shift = {0.25 * std::sin(5 * t), 0.15 * std::sin(7 * t + 1)};
    frames[i].scale = 1 + 0.2 * std::sin(6 * t + 2);
  }
  const CameraPath carried(frames);
  const StabilizationRoom room(carried, c.lens, c.shutter, c.window);
  for (const Framing framing : {Framing::Filled, Framing::FilledSlow})
    for (const double limit : {0.1, 0.25}) {
      StabilizationSettings settings;
      settings.framing = framing;
      settings.crop_limit = limit;
      const StabilizedClip clip = stabilize(room, settings, 0, kFilmFrames);
      EXPECT_LT(clip.crop, limit + 0.01);
      EXPECT_GT(clip.needed_crop, limit);
      EXPECT_LT(clip.shake_after_deg, clip.shake_before_deg);
    }
}

TEST(Stabilize, ASlowScaleFillsToo) {
  const Case c(camera(1.2));
  StabilizationSettings settings;
  settings.framing = Framing::FilledSlow;
  settings.crop_limit = 0.3;
  const StabilizedClip clip = stabilize(c.room, settings, 0, kFilmFrames);
  expectFilled(c, clip, 0, kFilmFrames);
  double fastest = 0, least = 9, most = 0;
  for (size_t i = 1; i < clip.frames.size(); ++i) {
    fastest = std::max(fastest, std::abs(clip.frames[i].zoom - clip.frames[i - 1].zoom));
    least = std::min(least, clip.frames[i].zoom);
    most = std::max(most, clip.frames[i].zoom);
  }
  EXPECT_LT(fastest, 0.005);  // a tenth of a second for half a per cent: nobody sees it pump
}

TEST(Stabilize, HoldingStillIsOneOrientation) {
  const Case c(camera(0.6, 0.015, 0));
  StabilizationSettings settings;
  settings.steadying = Steadying::HoldStill;
  const StabilizedClip clip = stabilize(c.room, settings, 0, kFilmFrames);
  EXPECT_TRUE(clip.can_hold_still) << clip.hold_reason;
  for (const VirtualFrame& f : clip.frames)
    EXPECT_LT(length(turnOf(inverse(clip.frames[0].orientation) * f.orientation)), 1e-9);
  expectFilled(c, clip, 0, kFilmFrames);
  // A long pan cannot be held, and it is said why.
  const Case pan(camera(0.6, 0.015, 25));
  const StabilizedClip far = stabilize(pan.room, {}, 0, kFilmFrames);
  EXPECT_FALSE(far.can_hold_still);
  EXPECT_NE(far.hold_reason.find("turns by"), std::string::npos);
}

TEST(Stabilize, AxesThatAreNotWantedStayAsTheyWere) {
  const Case c(camera(0.8));
  StabilizationSettings settings;
  settings.pan = settings.tilt = 0;
  const StabilizedClip clip = stabilize(c.room, settings, 0, kFilmFrames);
  double roll = 0;
  for (size_t i = 0; i < clip.frames.size(); ++i) {
    const Turn off = turnOf(inverse(c.path.frames()[i].orientation) * clip.frames[i].orientation);
    EXPECT_NEAR(off.x, 0, 1e-9);
    EXPECT_NEAR(off.y, 0, 1e-9);
    roll = std::max(roll, std::abs(off.z));
  }
  EXPECT_GT(roll, 0.1 * kDegree);
}

TEST(Stabilize, TheHorizonIsKeptLevel) {
  const sim::SimCamera cam(testing::shakyCamera(), sim::Scene{}, [](double t) {
    sim::Pose p;
    p.rz = (4 + 6 * std::sin(0.7 * t)) * kDegree;  // rolls as a boat does, and hangs at the beginning
    p.ry = 0.05 * t;
    return p;
  });
  const Case c(cam);
  StabilizationSettings settings;
  settings.level = true;
  settings.level_roll_deg = 4;  // the world's down, against the first frame
  settings.crop_limit = 0.5;
  const StabilizedClip clip = stabilize(c.room, settings, 0, kFilmFrames);
  for (size_t i = 0; i < clip.frames.size(); i += 7) {
    const Quaternion view = testing::orientationOf(cam.pose(0)) * clip.frames[i].orientation;
    const Ray down = inverse(view) * Ray{0, 1, 0};
    EXPECT_NEAR(std::atan2(down.x, down.y) / kDegree, 0, 0.05) << i;
  }
}

TEST(Stabilize, CropIsJudgedBetweenTheInAndOutPoints) {
  const sim::SimCamera cam(testing::shakyCamera(), sim::Scene{}, [](double t) {
    sim::Pose p;
    p.rx = t > 2 ? 0.15 * std::sin(40 * t) : 0;  // the operator lets go
    return p;
  });
  const Case c(cam);
  StabilizationSettings settings;
  settings.crop_limit = 0.6;
  EXPECT_GT(stabilize(c.room, settings, 0, 90).crop, 0.2);
  EXPECT_LT(stabilize(c.room, settings, 0, 45).crop, 0.12);
}

TEST(Stabilize, DoubtsNextToEachOtherAreOneRangeAndAdviceFitsTheWorst) {
  const sim::SimCamera cam = camera(0.8);
  std::vector<PathFrame> frames = testing::truePath(cam, kFilmFrames).frames();
  const auto advised = [&] {
    const Lens lens = cam.setup().lens;
    const StabilizationRoom room(CameraPath(frames), lens, {}, LensWindow(lens, {}));
    return stabilize(room, {}, 0, kFilmFrames);
  };
  EXPECT_TRUE(advised().doubtful.empty());
  for (const size_t i : {20, 21, 24}) frames[i].doubt = PathDoubt::Blurred;
  StabilizedClip clip = advised();
  ASSERT_EQ(clip.doubtful.size(), 1U);
  EXPECT_EQ(clip.doubtful[0].first, 20);
  EXPECT_EQ(clip.doubtful[0].last, 25);
  EXPECT_EQ(clip.doubtful[0].why, "blurred");
  EXPECT_NE(clip.advice.find("blurred"), std::string::npos);
  frames[23].doubt = PathDoubt::Nothing;
  frames[50].doubt = PathDoubt::Moving;
  clip = advised();
  ASSERT_EQ(clip.doubtful.size(), 2U);
  EXPECT_EQ(clip.doubtful[0].why, "blurred; nothing to track");
  EXPECT_NE(clip.advice.find("cannot be followed"), std::string::npos);
  for (size_t i = 30; i < 30 + kFilmFrames * 2 / 5; ++i) frames[i].doubt = PathDoubt::Nothing;
  EXPECT_NE(advised().advice.find("by hand"), std::string::npos);
}

TEST(Stabilize, AWindowByHandIsFollowed) {
  const Case c(camera(0.3));
  StabilizationSettings settings;
  settings.window = {{0, {0, 0}, 1}, {60, {0.1, 0.05}, 0.7}};
  const StabilizedClip clip = stabilize(c.room, settings, 0, kFilmFrames);
  EXPECT_NEAR(clip.frames[30].offset.x, 0.05, 1e-9);
  EXPECT_NEAR(clip.frames[70].offset.y, 0.05, 1e-9);
  EXPECT_NEAR(clip.frames[60].zoom / clip.frames[0].zoom, 1 / 0.7, 1e-6);
  expectFilled(c, clip, 0, kFilmFrames);
}

TEST(Stabilize, ASettingOutOfRangeIsNamed) {
  const Case c(camera(0.3), 10);
  StabilizationSettings settings;
  settings.smoothing_s = 0;
  try {
    stabilize(c.room, settings, 0, 10);
    FAIL() << "no error";
  } catch (const Error& e) {
    EXPECT_NE(std::string(e.what()).find("smoothing_s"), std::string::npos);
  }
}

TEST(Stabilize, OneFrameAndTwoFramesAreNoTrouble) {
  for (const int frames : {1, 2, 3}) {
    const Case c(camera(0.5), frames);
    EXPECT_EQ(stabilize(c.room, {}, 0, frames).frames.size(), static_cast<size_t>(frames));
  }
}

}  // namespace
}  // namespace glenhaze
