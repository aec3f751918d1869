#include "core/motion/hand.h"

#include <gtest/gtest.h>

#include "core/motion/frame_map.h"
#include "tests/support/motion.h"

namespace glenhaze {
namespace {

const Lens kLens = straightLens(640, 360, 500);

std::vector<double> times(int count) {
  std::vector<double> t;
  for (int i = 0; i < count; ++i) t.push_back(i / 30.0);
  return t;
}

TEST(Hand, KeysHoldAtTheirFramesAndRunSmoothlyBetween) {
  const std::vector<HandKey> keys = {{0, {0, 0}, 0, 1, {0.5, 0.28}},
                                     {10, {0.02, -0.01}, 3, 1.1, {0.5, 0.28}},
                                     {20, {0.04, -0.02}, 6, 1.21, {0.5, 0.28}}};
  for (const HandKey& k : keys) {
    const HandKey at = handAt(keys, static_cast<double>(k.frame));
    EXPECT_NEAR(at.shift.x, k.shift.x, 1e-12);
    EXPECT_NEAR(at.turn_deg, k.turn_deg, 1e-12);
    EXPECT_NEAR(at.scale, k.scale, 1e-12);
  }
  // What runs straight through the keys runs straight between them (the cubic's own case).
  EXPECT_NEAR(handAt(keys, 5).shift.x, 0.01, 1e-9);
  EXPECT_NEAR(handAt(keys, 13).turn_deg, 3.9, 1e-9);
  EXPECT_NEAR(handAt(keys, 15).scale, 1.1 * std::sqrt(1.1), 1e-9);
  EXPECT_NEAR(handAt(keys, -5).shift.x, 0, 1e-12);
  EXPECT_NEAR(handAt(keys, 99).shift.x, 0.04, 1e-12);
}

// Held still, the path by hand must bring every place back to where the first frame has it.
TEST(Hand, HeldStillItUndoesWhatTheKeysSay) {
  const HandKey key{12, {0.03, 0.02}, 4, 1.05, {0.7, 0.1}};
  const std::vector<HandKey> keys = {{0, {0, 0}, 0, 1, {0.7, 0.1}}, key};
  const CameraPath path = pathByHand(keys, times(13), kLens);
  const LensWindow window(kLens, {0, 0, 1, 1});
  const LensMap lens(kLens);
  // Every frame is shown as the first frame's camera would.
  std::vector<VirtualFrame> views(13);
  const ClipMotion motion{path, {}, views};
  const FrameMap first(motion, 0, lens, window), last(motion, 12, lens, window);
  const double turn = key.turn_deg * testing::kDegree;
  for (const Point p : {Point{100, 80}, Point{320, 180}, Point{500, 300}}) {
    const Point share{(p.x + 0.5) / 640, (p.y + 0.5) / 640};
    const Point off = share - key.pivot;
    const Point there{
        key.pivot.x + key.scale * (std::cos(turn) * off.x - std::sin(turn) * off.y) + key.shift.x,
        key.pivot.y + key.scale * (std::sin(turn) * off.x + std::cos(turn) * off.y) + key.shift.y};
    const auto a = first.toOutput(p), b = last.toOutput({there.x * 640 - 0.5, there.y * 640 - 0.5});
    ASSERT_TRUE(a && b);
    EXPECT_LT(length(*a - *b), 0.01) << p.x;
  }
}

TEST(Hand, ARangeOfAMeasuredPathIsMended) {
  const sim::SimCamera camera(testing::shakyCamera(), sim::Scene{}, testing::windy(0.5));
  const CameraPath measured = testing::truePath(camera, 40);
  const std::vector<HandKey> keys = {{10, {0, 0}, 0, 1}, {20, {0.05, 0}, 0, 1}};
  const CameraPath mended = mendedByHand(measured, keys, kLens);
  for (const size_t i : {0, 5, 10})
    EXPECT_EQ(mended.frames()[i].orientation, measured.frames()[i].orientation);
  EXPECT_NEAR(mended.frames()[20].shift.x - mended.frames()[10].shift.x, 0.05 * 640 / 500, 1e-9);
  // Behind it every step is the measured one again.
  for (size_t i = 22; i < 40; ++i) {
    const Quaternion a = inverse(mended.frames()[i - 1].orientation) * mended.frames()[i].orientation;
    const Quaternion b = inverse(measured.frames()[i - 1].orientation) * measured.frames()[i].orientation;
    EXPECT_LT(length(turnOf(inverse(a) * b)), 1e-9);
    EXPECT_NEAR(mended.frames()[i].shift.x, mended.frames()[20].shift.x, 1e-12);
  }
}

TEST(Hand, TheDifferenceIsBlackWhereTheKeyIsRight) {
  const auto wave = [](double x, double y) {
    return 120 + 60 * std::sin(0.11 * x) * std::cos(0.09 * y) + 30 * std::sin(0.03 * (x + y));
  };
  const Frame frozen = testing::paint(
      320, 180, {Chroma::C420, 8}, [&](int x, int y) { return static_cast<int>(std::lround(wave(x, y))); });
  // The same picture, moved by 8 px right and 4 px up.
  const Frame moved = testing::paint(320, 180, {Chroma::C420, 8}, [&](int x, int y) {
    return static_cast<int>(std::lround(wave(x - 8, y + 4)));
  });
  const HandKey right{1, {8.0 / 320, -4.0 / 320}, 0, 1};
  EXPECT_LT(differenceUnder(frozen, moved, right).mean, 0.6);
  EXPECT_GT(differenceUnder(frozen, moved, {}).mean, 5);
  HandKey near = right;
  near.shift.x += 1.0 / 320;
  EXPECT_GT(differenceUnder(frozen, moved, near).mean, 2 * differenceUnder(frozen, moved, right).mean);
}

TEST(Hand, WhatMovesOnItsOwnIsLeftOutOfTheDifference) {
  const auto scene = [](int crossing) {
    return testing::paint(320, 180, {Chroma::C420, 8}, [=](int x, int y) {
      const bool boat = x > crossing && x < crossing + 40 && y > 90 && y < 130;
      return boat ? 220 : 60 + (7 * x + 13 * y) % 90;
    });
  };
  Frame frozen = scene(60), frame = scene(140);
  frame.index = 5;
  const HandKey unmoved{5, {}, 0, 1};
  EXPECT_GT(differenceUnder(frozen, frame, unmoved).mean, 3);
  const MotionMask water{{{0.1, 0.45}, {0.9, 0.45}, {0.9, 0.8}, {0.1, 0.8}}, 5, 6};
  EXPECT_EQ(differenceUnder(frozen, frame, unmoved, std::vector{water}).mean, 0);
  // It does not hold a frame later.
  frame.index = 6;
  EXPECT_GT(differenceUnder(frozen, frame, unmoved, std::vector{water}).mean, 3);
}

TEST(Hand, KeysGoThroughFilesInOrder) {
  const std::vector<HandKey> keys = {{20, {0.04, -0.02}, 6, 1.21, {0.5, 0.1}}, {3, {0, 0.01}, -1, 0.9}};
  const auto back = handKeysFromText(handKeysToText(keys));
  ASSERT_EQ(back.size(), 2U);
  EXPECT_EQ(back[0], keys[1]);
  EXPECT_EQ(back[1], keys[0]);
}

}  // namespace
}  // namespace glenhaze
