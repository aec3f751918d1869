// What moves on its own while the rows are read, against footage whose camera reads all rows at once.
#include <gtest/gtest.h>

#include "core/motion/stabilize.h"
#include "core/pipeline/own_motion_stage.h"
#include "tests/support/motion.h"

namespace glenhaze {
namespace {

constexpr int kFrames = 7;
const Shutter kShutter{0.025, ScanDirection::Down};

// A wall of stones that is carried past close by.
sim::Scene crossing() {
  sim::Scene scene = sim::millScene();
  sim::addBox(scene, {-2.2F, -1.4F, 6.2F}, {0.2F, 0.6F, 6.6F}, sim::Material::Stone, {1, 1, 1}, {3, 0, 0});
  return scene;
}

sim::SimCamera filmedBy(double readout_s) {
  return {testing::shakyCamera(readout_s), crossing(), testing::windy(0.6)};
}

std::vector<Frame> framesOf(const sim::SimCamera& camera) {
  std::vector<Frame> frames;
  for (int i = 0; i < kFrames; ++i) {
    frames.push_back(camera.frame(i));
    frames.back().index = i;
  }
  return frames;
}

Correction held(const sim::SimCamera& camera, double readout_s) {
  Correction c;
  c.lens = camera.setup().lens;
  const CameraPath path = testing::truePath(camera, kFrames);
  const Shutter shutter{readout_s, kShutter.direction};
  const StabilizationRoom room(path, *c.lens, shutter, LensWindow(*c.lens, {}));
  StabilizationSettings settings;
  settings.steadying = Steadying::Off;
  c.motion =
      std::make_shared<ClipMotion>(ClipMotion{path, shutter, stabilize(room, settings, 0, kFrames).frames});
  return c;
}

std::vector<FrameInMotion> measured(const Correction& correction, const std::vector<Frame>& frames) {
  OwnMotionStage stage(correction);
  std::vector<FrameInMotion> out;
  for (const Frame& f : frames)
    if (auto ready = stage.push(f)) out.push_back(std::move(*ready));
  if (auto last = stage.drain()) out.push_back(std::move(*last));
  return out;
}

// Mean difference of luma where `inside` says so.
template <typename Where>
double difference(const Frame& a, const Frame& b, Where inside) {
  double sum = 0;
  int n = 0;
  for (int y = 8; y < a.height - 8; ++y)
    for (int x = 8; x < a.width - 8; ++x) {
      if (!inside(x, y)) continue;
      sum += std::abs(static_cast<double>(a.planes[0].at(x, y, 1)) -
                      static_cast<double>(b.planes[0].at(x, y, 1)));
      ++n;
    }
  return sum / std::max(1, n);
}

TEST(OwnMotion, WhatCrossesIsSeenAndStandsUprightWhenTakenBack) {
  const sim::SimCamera rolling = filmedBy(kShutter.readout_s), global = filmedBy(0);
  const std::vector<Frame> frames = framesOf(rolling), truth = framesOf(global);
  const Correction correction = held(rolling, kShutter.readout_s), still = held(global, 0);
  const PictureSize size{frames[0].width, frames[0].height};
  const Geometry geometry(correction, size), reference(still, size);
  const std::vector<FrameInMotion> ready = measured(correction, frames);
  ASSERT_EQ(ready.size(), frames.size());
  const LensMap lens(*correction.lens);
  for (const size_t i : {size_t{2}, size_t{4}}) {
    // The wall's middle and its true speed, from where the simulated camera sees it.
    const double t = static_cast<double>(i) / 30;
    const sim::V3 middle{-1.0F + 3 * static_cast<float>(t), -0.3F, 6.2F};
    const auto here = global.project(middle, t), later = global.project(middle + sim::V3{0.03F, 0, 0}, t);
    ASSERT_TRUE(here && later);
    const Point speed = (*later - *here) * 100;
    const Point seen = ready[i].own->at(*here);
    EXPECT_NEAR(seen.x, speed.x, 0.15 * length(speed)) << i;
    EXPECT_NEAR(seen.y, speed.y, 0.15 * length(speed)) << i;
    const Frame plain = correctFrame(frames[i], geometry, frames[i].format);
    const Frame local = correctFrame(ready[i].frame, geometry, frames[i].format, ready[i].own);
    const Frame ideal = correctFrame(truth[i], reference, frames[i].format);
    const auto at = geometry.toOutput(*here, static_cast<int64_t>(i));
    ASSERT_TRUE(at);
    const auto wall = [&](int x, int y) { return std::abs(x - at->x) < 35 && std::abs(y - at->y) < 45; };
    const auto far = [&](int x, int) { return x > at->x + 120; };
    EXPECT_LT(difference(local, ideal, wall), 0.6 * difference(plain, ideal, wall)) << i;
    EXPECT_LT(difference(local, ideal, far), 1.1 * difference(plain, ideal, far) + 0.1) << i;
  }
}

TEST(OwnMotion, AStandingSceneHasNone) {
  sim::Scene scene = sim::millScene();
  std::erase_if(scene.quads, [](const sim::Quad& q) { return dot(q.velocity, q.velocity) > 0; });
  scene.water_level = 1e9F;
  sim::Motion turning = [](double t) {
    sim::Pose p = testing::windy(0.8)(t);
    p.position = {-0.5F, -0.5F, 3};
    return p;
  };
  const sim::SimCamera camera(testing::shakyCamera(kShutter.readout_s), scene, turning);
  const std::vector<Frame> frames = framesOf(camera);
  const std::vector<FrameInMotion> ready = measured(held(camera, kShutter.readout_s), frames);
  const RowTimes rows(kShutter, 320, 180);
  // By what a place would be moved, px: not to be seen.
  double worst = 0;
  for (const FrameInMotion& f : ready)
    for (int y = 0; y < 180; y += 5)
      for (int x = 0; x < 320; x += 5) {
        const Point at{static_cast<double>(x), static_cast<double>(y)};
        worst = std::max(worst, length(f.own->at(at) * rows.at(at)));
      }
  EXPECT_LT(worst, 0.35);
}

TEST(OwnMotion, OneFrameAndACutAreNoTrouble) {
  const sim::SimCamera camera = filmedBy(kShutter.readout_s);
  Correction correction = held(camera, kShutter.readout_s);
  const std::vector<Frame> one{camera.frame(0)};
  const std::vector<FrameInMotion> ready = measured(correction, one);
  ASSERT_EQ(ready.size(), 1U);
  EXPECT_EQ(ready[0].own->fastest(), 0);
  std::vector<PathFrame> path = correction.motion->path.frames();
  path[1].doubt = PathDoubt::Cut;
  correction.motion =
      std::make_shared<ClipMotion>(ClipMotion{CameraPath(path), kShutter, correction.motion->frames});
  std::vector<Frame> two{camera.frame(0), camera.frame(1)};
  two[0].index = 0;
  two[1].index = 1;
  for (const FrameInMotion& f : measured(correction, two)) EXPECT_EQ(f.own->fastest(), 0);
}

}  // namespace
}  // namespace glenhaze
