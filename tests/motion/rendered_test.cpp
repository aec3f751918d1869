// The whole way on rendered footage whose truth is known: tracks → path → readout → steadied pictures.
#include <gtest/gtest.h>

#include "core/motion/readout.h"
#include "core/motion/solve.h"
#include "core/motion/stabilize.h"
#include "core/pipeline/correction.h"
#include "tests/support/motion.h"
#include "tests/support/steadiness.h"

namespace glenhaze {
namespace {

constexpr double kFps = 30;

std::vector<Frame> framesOf(const sim::SimCamera& camera, int count) {
  std::vector<Frame> frames;
  for (int i = 0; i < count; ++i) {
    frames.push_back(camera.frame(i));
    frames.back().index = i;
  }
  return frames;
}

TrackRecord tracksOf(const std::vector<Frame>& frames) {
  TrackRecord record{frames[0].width, frames[0].height, {}};
  Tracker tracker(frames[0].width, frames[0].height, {});
  for (size_t i = 0; i < frames.size(); ++i)
    record.frames.push_back(tracker.push(frames[i], static_cast<double>(i) / kFps));
  return record;
}

std::vector<Frame> corrected(const std::vector<Frame>& frames, const Lens& lens, const Shutter& shutter,
                             const CameraPath& path, const StabilizationSettings& settings) {
  Correction correction;
  correction.lens = lens;
  const StabilizationRoom room(path, lens, shutter, LensWindow(lens, {0, 0, 1, 1}));
  const StabilizedClip clip = stabilize(room, settings, 0, static_cast<int64_t>(frames.size()));
  correction.motion = std::make_shared<ClipMotion>(ClipMotion{path, shutter, clip.frames});
  const Geometry geometry(correction, {lens.width, lens.height});
  std::vector<Frame> out;
  for (const Frame& f : frames) out.push_back(correctFrame(f, geometry, f.format));
  return out;
}

// One film, rendered once: rendering is what takes the time here.
TEST(Rendered, WindyFootageIsUnderstoodAndSteadied) {
  const Shutter shutter{0.02, ScanDirection::Down};
  const sim::SimCamera camera(testing::shakyCamera(shutter.readout_s), sim::millScene(), testing::windy(2.2));
  const Lens& lens = camera.setup().lens;
  constexpr int kFrames = 60;
  const std::vector<Frame> frames = framesOf(camera, kFrames);
  const TrackRecord record = tracksOf(frames);
  const CameraPath truth = testing::truePath(camera, kFrames);

  const PathFinding found = solvePath(record, lens, shutter);
  EXPECT_LT(testing::pathError(found.path, truth), 0.05);
  // Without row times the same tracks agree less.
  EXPECT_GT(solvePath(record, lens, {}).rms_px, found.rms_px);
  for (size_t i = 1; i < kFrames; ++i) EXPECT_GT(found.path.frames()[i].confidence, 0.5) << i;

  const ShutterFinding readout = measureReadout(record, lens, 1 / kFps);
  EXPECT_NEAR(readout.shutter.readout_s, shutter.readout_s, 0.05 * shutter.readout_s);
  EXPECT_EQ(readout.shutter.direction, ScanDirection::Down);
  EXPECT_LT(std::abs(readout.shutter.readout_s - shutter.readout_s), 4 * readout.uncertainty_s);
  // The disagreement is least where the readout is.
  const auto least = std::min_element(readout.plot.begin(), readout.plot.end(),
                                      [](const auto& a, const auto& b) { return a.second < b.second; });
  EXPECT_NEAR(least->first, 20, 5);

  StabilizationSettings settings;
  settings.crop_limit = 0.3;
  const testing::Steadiness before = testing::steadinessOf(record, kFps);
  const testing::Steadiness after =
      testing::steadinessOf(tracksOf(corrected(frames, lens, shutter, found.path, settings)), kFps);
  EXPECT_LT(after.shake_px, 0.06 * before.shake_px);
}

// Exposure that breathes is followed through; another scene is a cut, and nothing links across it.
TEST(Rendered, ExposureMayChangeAndCutsAreSeen) {
  sim::CameraSetup setup = testing::shakyCamera(0);
  setup.pulsing = 0.35;
  std::vector<Frame> frames = framesOf({setup, sim::millScene(), testing::windy(0.8)}, 14);
  double darkest = 255, brightest = 0;
  for (const Frame& f : frames) {
    const double mid = f.planes[0].at(160, 120, 1);
    darkest = std::min(darkest, mid);
    brightest = std::max(brightest, mid);
  }
  EXPECT_GT(brightest - darkest, 15);
  const sim::SimCamera other(setup, sim::footingsScene(), testing::windy(0.8));
  for (int i = 0; i < 6; ++i) frames.push_back(other.frame(i));
  const TrackRecord record = tracksOf(frames);
  for (size_t i = 1; i < frames.size(); ++i) {
    EXPECT_EQ(record.frames[i].cut, i == 14) << i;
    if (i < 14) EXPECT_GT(record.frames[i].pairs.size(), 60U) << i;
  }
  EXPECT_TRUE(record.frames[14].pairs.empty());
  const PathFinding found = solvePath(record, setup.lens, {});
  EXPECT_EQ(found.path.frames()[14].doubt, PathDoubt::Cut);
  EXPECT_EQ(found.path.scenes().size(), 2U);
  const CameraPath truth = testing::truePath({setup, sim::millScene(), testing::windy(0.8)}, 14);
  std::vector<PathFrame> before(found.path.frames().begin(), found.path.frames().begin() + 14);
  EXPECT_LT(testing::pathError(CameraPath(before), truth), 0.05);
}

// Walking towards a wall: every step brings it nearer by jerks, which no turn explains.
TEST(Rendered, ScaleIsSolvedAndSmoothedWhereTheCameraMovesOn) {
  constexpr double kDistance = 5;
  sim::Scene wall;
  wall.quads.push_back(
      {{-9, -6, kDistance}, {1, 0, 0}, {0, 1, 0}, 18, 12, sim::Material::Stone, {1, 1, 1}, 4, {}});
  const auto forward = [](double t) { return 0.8 * t + 0.03 * std::sin(2 * M_PI * 2.3 * t); };
  const sim::Motion walking = [&](double t) {
    sim::Pose p = testing::windy(0.5, 0)(t);
    p.ry += 3 * testing::kDegree;
    p.position = {0, 0, static_cast<float>(forward(t))};
    return p;
  };
  const Shutter shutter{0.015, ScanDirection::Down};
  const sim::SimCamera camera(testing::shakyCamera(shutter.readout_s), wall, walking);
  const Lens& lens = camera.setup().lens;
  constexpr int kFrames = 36;
  const std::vector<Frame> frames = framesOf(camera, kFrames);
  const PathFinding found = solvePath(tracksOf(frames), lens, shutter);
  ASSERT_TRUE(found.shift_and_scale);
  EXPECT_LT(testing::pathError(found.path, testing::truePath(camera, kFrames)), 0.1);
  double squares = 0, jerks_before = 0, jerks_after = 0;
  StabilizationSettings settings;
  settings.crop_limit = 0.4;
  const StabilizationRoom room(found.path, lens, shutter, LensWindow(lens, {}));
  const StabilizedClip clip = stabilize(room, settings, 0, kFrames);
  for (size_t i = 0; i < kFrames; ++i) {
    const double true_scale = (kDistance - forward(0)) / (kDistance - forward(static_cast<double>(i) / kFps));
    const double off = std::log(found.path.frames()[i].scale / true_scale);
    squares += off * off;
    if (i < 2) continue;
    const auto bend = [i](const auto& all) {
      return std::log(all[i].scale) - 2 * std::log(all[i - 1].scale) + std::log(all[i - 2].scale);
    };
    jerks_before += std::pow(bend(found.path.frames()), 2);
    jerks_after += std::pow(bend(clip.frames), 2);
  }
  EXPECT_LT(std::sqrt(squares / kFrames), 0.01);
  EXPECT_LT(jerks_after, 0.01 * jerks_before);
}

// Swaying sideways in front of a wall: shift is told from turning, and taken out with it.
TEST(Rendered, ShiftIsSolvedWhereTheCameraSways) {
  constexpr double kDistance = 3, kSway = 0.06;
  sim::Scene wall;
  wall.quads.push_back(
      {{-9, -6, kDistance}, {1, 0, 0}, {0, 1, 0}, 18, 12, sim::Material::Stone, {1, 1, 1}, 4, {}});
  const auto side = [](double t) { return kSway * std::sin(2 * M_PI * 2.3 * t); };
  const sim::Motion swaying = [&](double t) {
    sim::Pose p = testing::windy(0.5, 0)(t);
    p.ry += 3 * testing::kDegree;
    p.position = {static_cast<float>(side(t)), 0, 0};
    return p;
  };
  const Shutter shutter{0.015, ScanDirection::Down};
  const sim::SimCamera camera(testing::shakyCamera(shutter.readout_s), wall, swaying);
  constexpr int kFrames = 36;
  const Lens& lens = camera.setup().lens;
  const TrackRecord record = tracksOf(framesOf(camera, kFrames));
  const CameraPath truth = testing::truePath(camera, kFrames);
  const PathFinding found = solvePath(record, lens, shutter);
  ASSERT_TRUE(found.shift_and_scale);
  // Turns alone would take the swaying for panning.
  SolveOptions turns;
  turns.model = MotionModel::Rotation;
  const double turned = testing::pathError(solvePath(record, lens, shutter, turns).path, truth);
  EXPECT_GT(turned, 0.3);
  EXPECT_LT(testing::pathError(found.path, truth), 0.1);
  double squares = 0;
  for (size_t i = 0; i < kFrames; ++i) {
    const double swayed = side(static_cast<double>(i) / kFps) - side(0);
    squares += std::pow(found.path.frames()[i].shift.x + swayed / kDistance, 2);
    EXPECT_NEAR(found.path.frames()[i].scale, 1, 0.005) << i;
  }
  EXPECT_LT(std::sqrt(squares / kFrames), 0.08 * kSway / kDistance);
}

// Strong shake and a slow readout: jelly, and none of it left.
TEST(Rendered, HeldStillItStandsStillAndDoesNotWobble) {
  const Shutter shutter{0.025, ScanDirection::Down};
  sim::CameraSetup setup = testing::smallCamera(LensModel::BrownConrady, 640, 360);
  setup.readout_s = shutter.readout_s;
  const sim::SimCamera camera(setup, sim::millScene(), testing::windy(2.5, 0, 7));
  const std::vector<Frame> frames = framesOf(camera, 24);
  const TrackRecord record = tracksOf(frames);
  const PathFinding found = solvePath(record, setup.lens, shutter);
  StabilizationSettings settings;
  settings.steadying = Steadying::HoldStill;
  settings.crop_limit = 0.6;
  const auto before = testing::steadinessOf(record, kFps);
  const auto still =
      testing::steadinessOf(tracksOf(corrected(frames, setup.lens, shutter, found.path, settings)), kFps);
  EXPECT_LT(still.farthest_px, 0.5);
  EXPECT_LT(still.wobble_px, 0.4 * before.wobble_px);
  // Without the readout the same path leaves the jelly in.
  const PathFinding rigid = solvePath(record, setup.lens, {});
  const auto jelly =
      testing::steadinessOf(tracksOf(corrected(frames, setup.lens, {}, rigid.path, settings)), kFps);
  EXPECT_GT(jelly.wobble_px, 2 * still.wobble_px);
}

// A third of the picture is covered by things that move on their own.
TEST(Rendered, ThingsThatMoveOnTheirOwnAreNotFollowed) {
  sim::Scene scene = sim::millScene();
  for (int i = 0; i < 4; ++i) {
    const float side = i % 2 == 0 ? 1.0F : -1.0F;
    sim::Quad board;
    board.corner = {-1.6F + 0.8F * static_cast<float>(i) - 0.5F, -0.9F + 0.35F * side, 5.0F};
    board.u = {1, 0, 0};
    board.v = {0, 1, 0};
    board.size_u = 0.55F;
    board.size_v = 0.75F;
    board.material = i % 2 == 0 ? sim::Material::Brick : sim::Material::Stone;
    board.velocity = {0.5F * side, 0.15F, 0};
    scene.quads.push_back(board);
  }
  const Shutter shutter{0.015, ScanDirection::Down};
  sim::CameraSetup setup = testing::smallCamera(LensModel::BrownConrady, 640, 360);
  setup.readout_s = shutter.readout_s;
  const sim::SimCamera camera(setup, scene, testing::windy(0.6, 2, 11));
  constexpr int kFrames = 24;
  const PathFinding found = solvePath(tracksOf(framesOf(camera, kFrames)), camera.setup().lens, shutter);
  EXPECT_LT(testing::pathError(found.path, testing::truePath(camera, kFrames)), 0.05);
}

}  // namespace
}  // namespace glenhaze
