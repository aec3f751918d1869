// What is said of the shake that is left, held against the finished picture: places of known direction are
// followed through the finished map, which tells where each appears in every frame.
#include <gtest/gtest.h>

#include "core/base/numbers.h"
#include "core/pipeline/clip_motion.h"
#include "tests/support/filmed.h"
#include "tests/support/motion.h"
#include "tests/support/photographs.h"
#include "tests/support/steadiness.h"

namespace glenhaze {
namespace {

constexpr int kWidth = 640, kHeight = 360, kFrames = 90;
constexpr std::pair kFar{0.0, 0.4}, kNear{0.65, 1.0};  // heights in the picture that are surely of the one

std::function<Quaternion(double)> shaking(double degrees, double high_hz, unsigned seed, double pan = 0) {
  return [=](double t) {
    sim::Pose base;
    base.ry = pan * (t - 1.5) * testing::kDegree;
    sim::Shake shake;
    shake.pitch = shake.yaw = degrees * testing::kDegree;
    shake.roll = degrees / 3 * testing::kDegree;
    shake.high_hz = high_hz;
    shake.seed = seed;
    return testing::orientationOf(sim::shaken(base, shake, t));
  };
}

struct Steadied {
  MotionAnswer answer;
  double before_deg = 0, after_deg = 0;  // by the independent meter, of the picture as it is shown
};

// The meter: the tracks of the source, carried to where the finished picture shows them, fitted by one
// similarity a frame (see steadiness.h).
// `within`: of which places, by their height in the source, 0 at the top to 1.
double shakeShown(const TrackRecord& record, const MotionAnswer& answer, const Lens& lens,
                  std::pair<double, double> within = {-1, 2}) {
  const LensMap map(lens);
  const LensWindow& window = answer.room->window();
  TrackRecord shown{window.width(), window.height(), {}};
  for (size_t i = 0; i < record.frames.size(); ++i) {
    FrameTracks frame;
    frame.time_s = record.frames[i].time_s;
    if (i > 0) {
      std::vector<TrackPair> pairs;
      const FrameMap from(*answer.motion, static_cast<int64_t>(i) - 1, map, window),
          to(*answer.motion, static_cast<int64_t>(i), map, window);
      for (const TrackPair& p : record.frames[i].pairs.read()) {
        const double height = static_cast<double>(p.from_y) / record.height;
        if (height < within.first || height > within.second) continue;
        const auto a = from.toOutput({p.from_x, p.from_y}), b = to.toOutput({p.to_x, p.to_y});
        if (a && b)
          pairs.push_back({static_cast<float>(a->x), static_cast<float>(a->y), static_cast<float>(b->x),
                           static_cast<float>(b->y)});
      }
      frame.pairs = std::move(pairs);
    }
    shown.frames.push_back(std::move(frame));
  }
  const double focal = lens.fx * window.zoom();
  return testing::steadinessOf(shown, 30).shake_px / focal / testing::kDegree;
}

MotionRequest requestFor(const testing::Filming& filming) {
  MotionRequest request;
  request.lens = filming.lens->lens;
  request.shutter = {filming.readout_s, ScanDirection::Down};
  request.window = {kWidth, kHeight, 1, 1};
  request.settings.crop_limit = 0.4;
  return request;
}

Steadied steadied(const testing::Filming& filming) {
  const TrackRecord record = testing::FilmedPhotograph(filming).tracks(kFrames);
  const MotionRequest request = requestFor(filming);
  Steadied s;
  s.answer = answerMotion(request, record);
  s.after_deg = shakeShown(record, s.answer, request.lens);
  s.before_deg = s.answer.stabilized.shake_before_deg;
  std::printf(
      "  said %.4f° of %.3f°, meter %.4f°, unexplained %.4f°, %.0f %% moves by "
      "%.1f°/s; %s\n",
      s.answer.stabilized.shake_after_deg, s.before_deg, s.after_deg, s.answer.unexplained.shake_deg,
      100 * s.answer.unexplained.moving_share, s.answer.unexplained.drift_deg_per_s,
      s.answer.stabilized.doubt.c_str());
  return s;
}

class SteadinessSaid : public ::testing::Test {
 protected:
  void SetUp() override {
    photographs = testing::photographs();
    if (photographs.empty()) GTEST_SKIP() << "lomiri-wallpapers-16.04 is not installed";
    filming.photograph = photographs[3];
    filming.lens = std::make_shared<const testing::FilmingLens>(
        testing::testLens(LensModel::BrownConrady, kWidth, kHeight));
    filming.readout_s = 0.016;
    filming.noise = 1;
    filming.turning = shaking(0.8, 6, 5);
  }
  // Agrees with the meter within a quarter (or what no eye sees), or is said to be in doubt.
  static void expectHonest(const Steadied& s) {
    if (!s.answer.stabilized.doubt.empty()) return;
    EXPECT_LT(s.after_deg, 1.25 * s.answer.stabilized.shake_after_deg + 0.005);
  }
  std::vector<std::filesystem::path> photographs;
  testing::Filming filming;
};

TEST_F(SteadinessSaid, OfAPlainScene) {
  const Steadied s = steadied(filming);
  expectHonest(s);
  EXPECT_EQ(s.answer.stabilized.doubt, "");
  EXPECT_LT(s.answer.stabilized.shake_after_deg, 0.03 * s.before_deg);
}

TEST_F(SteadinessSaid, DuringAZoom) {
  filming.zoom = [](double t) { return 1 + 0.35 * std::clamp(t / 3, 0.0, 1.0); };
  const Steadied s = steadied(filming);
  expectHonest(s);
  EXPECT_LT(s.after_deg, 0.03 * s.before_deg);
}

TEST_F(SteadinessSaid, WhereNearAndFarThingsMoveApart) {
  filming.front = testing::Front{photographs[8], 1, 0.0, 0};
  filming.place = [turn = shaking(2, 6, 9)](double t) {
    const Turn way = turnOf(turn(t));
    return Point{way.y, way.x};  // some centimetres from side to side
  };
  const TrackRecord record = testing::FilmedPhotograph(filming).tracks(kFrames);
  MotionRequest request = requestFor(filming);
  request.settings.steadying = Steadying::Off;
  const double before = shakeShown(record, answerMotion(request, record), request.lens, kFar);
  const Steadied s = steadied(filming);
  expectHonest(s);
  // What is far shows how the camera turns.
  EXPECT_EQ(s.answer.part, SteadiedPart::Far);
  EXPECT_LT(shakeShown(record, s.answer, request.lens, kFar), 0.1 * before);
}

// The far photograph above and the near one below, whichever most of the tracks are on.
TEST_F(SteadinessSaid, WhatIsFarOrWhatIsNearIsSteadiedAsAskedFor) {
  for (const double top : {-0.1, 0.05}) {
    filming.front = testing::Front{photographs[8], 1, top, 0};
    filming.place = [turn = shaking(2, 6, 9)](double t) {
      const Turn way = turnOf(turn(t));
      return Point{way.y, way.x};
    };
    const TrackRecord record = testing::FilmedPhotograph(filming).tracks(kFrames);
    MotionRequest request = requestFor(filming);
    request.settings.steadying = Steadying::Off;
    const MotionAnswer as_filmed = answerMotion(request, record);
    request.settings.steadying = Steadying::KeepMove;
    for (const SteadiedPart part : {SteadiedPart::Far, SteadiedPart::Near}) {
      request.settings.part = part;
      const MotionAnswer answer = answerMotion(request, record);
      const bool far = part == SteadiedPart::Far;
      const auto chosen = far ? kFar : kNear, other = far ? kNear : kFar;
      const double before = shakeShown(record, as_filmed, request.lens, chosen),
                   after = shakeShown(record, answer, request.lens, chosen),
                   left = shakeShown(record, answer, request.lens, other);
      std::printf("  top %.2f, %s: %.4f° of %.3f°, the other %.3f°, said %.4f°; %s\n", top,
                  far ? "far" : "near", after, before, left, answer.stabilized.shake_after_deg,
                  answer.stabilized.doubt.c_str());
      EXPECT_LT(after, 0.1 * before);
      EXPECT_GT(left, 3 * after);
      expectHonest({answer, before, after});
    }
  }
}

// One depth: there is nothing to choose between, and that is said.
TEST_F(SteadinessSaid, WithoutNearAndFarThingsThereIsNoChoice) {
  const TrackRecord record = testing::FilmedPhotograph(filming).tracks(kFrames);
  MotionRequest request = requestFor(filming);
  const MotionAnswer most = answerMotion(request, record);
  request.settings.part = SteadiedPart::Near;
  const MotionAnswer near = answerMotion(request, record);
  ASSERT_FALSE(near.finding.warnings.empty());
  EXPECT_NE(near.finding.warnings.back().find("told from each other"), std::string::npos)
      << near.finding.warnings.back();
  EXPECT_EQ(near.stabilized.shake_after_deg, most.stabilized.shake_after_deg);
}

// Most of the picture passes by on its own: the rest is the scene, and that is said.
TEST_F(SteadinessSaid, WhereMostOfThePictureMovesOnItsOwn) {
  filming.front = testing::Front{photographs[8], 1, -0.06, 0.15};
  const Steadied s = steadied(filming);
  EXPECT_EQ(s.answer.part, SteadiedPart::Far);
  EXPECT_NE(leftOutNote(s.answer), "");
  EXPECT_LT(s.after_deg, 0.06 * s.before_deg);
  EXPECT_LT(s.after_deg, s.answer.stabilized.shake_after_deg + 0.02);  // less is not seen
}

}  // namespace
}  // namespace glenhaze
