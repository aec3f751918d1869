// Lens, shutter and stabilization in the one resampling.
#include <gtest/gtest.h>

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/pipeline/clip_motion.h"
#include "core/pipeline/correction.h"
#include "core/pipeline/render.h"
#include "core/pipeline/steady_variants.h"
#include "tests/support/motion.h"

namespace glenhaze {
namespace {

Correction shakenCorrection(LensModel model, int width = 640, int height = 360, double degrees = 1.5) {
  Correction c;
  c.lens = testing::testLens(model, width, height);
  const sim::SimCamera camera(testing::shakyCamera(), sim::Scene{}, testing::windy(degrees));
  const CameraPath path = testing::truePath(camera, 30);
  const Shutter shutter{0.02, ScanDirection::Down};
  const StabilizationRoom room(path, *c.lens, shutter, LensWindow(*c.lens, {}));
  c.motion = std::make_shared<ClipMotion>(ClipMotion{path, shutter, stabilize(room, {}, 0, 30).frames});
  return c;
}

TEST(MotionGrid, WithinTwoHundredthsOfTheExactMap) {
  for (const LensModel model : {LensModel::BrownConrady, LensModel::KannalaBrandt, LensModel::Division}) {
    const Correction c = shakenCorrection(model);
    const Geometry geometry(c, {640, 360});
    double worst = 0;
    for (const int64_t frame : {3, 14, 22}) {
      const auto grid = geometry.grid(frame);
      for (double y = 0.3; y < 359; y += 4.7)
        for (double x = 0.6; x < 639; x += 5.3) {
          const auto exact = geometry.toSource({x, y}, frame), got = grid->at({x, y});
          ASSERT_TRUE(exact && got);
          worst = std::max(worst, length(*exact - *got));
        }
    }
    EXPECT_LT(worst, 0.02) << lensModelName(model);
  }
}

double contrastOf(const Frame& f) {
  double sum = 0, squares = 0;
  int n = 0;
  for (int y = 60; y < f.height - 60; ++y)
    for (int x = 100; x < f.width - 100; ++x, ++n) {
      const double v = f.planes[0].at(x, y, 1);
      sum += v;
      squares += v * v;
    }
  return std::sqrt(squares / n - sum / n * sum / n);
}

// A pattern of four pixels a period loses nothing more by being steadied as well.
TEST(OneResampling, ContrastIsThatOfTheLensAlone) {
  Frame frame = testing::paint(640, 360, {Chroma::Mono, 8}, [](int x, int y) {
    return static_cast<int>(std::lround(128 + 90 * std::sin(M_PI / 2 * 0.7 * (x + y))));
  });
  const Correction all = shakenCorrection(LensModel::BrownConrady);
  Correction lens = all;
  lens.motion.reset();
  const double alone = contrastOf(correctFrame(frame, Geometry(lens, {640, 360}), frame.format));
  const Geometry geometry(all, {640, 360});
  for (const int64_t index : {2, 11, 19, 27}) {
    frame.index = index;
    EXPECT_NEAR(contrastOf(correctFrame(frame, geometry, frame.format)), alone, 0.03 * alone) << index;
  }
}

TEST(OneResampling, SameBitsForAnyNumberOfThreads) {
  const Correction c = shakenCorrection(LensModel::KannalaBrandt, 320, 180);
  Frame frame = testing::millCamera(testing::smallCamera()).frame(0);
  frame.index = 7;
  const Geometry geometry(c, {320, 180});
  const Frame reference = correctFrame(frame, geometry, frame.format);
  for (const int threads : {1, 2, 3, 8}) {
    const ThreadLimit limit(threads);
    EXPECT_TRUE(sameSamples(reference, correctFrame(frame, geometry, frame.format))) << threads;
  }
}

TEST(OneResampling, MotionWithoutALensIsRefused) {
  Correction c = shakenCorrection(LensModel::BrownConrady, 320, 180);
  c.lens.reset();
  EXPECT_THROW(Geometry(c, {320, 180}), Error);
}

// A draft at half size shows the same places.
TEST(OneResampling, DraftsLookTheSameWay) {
  const Correction full = shakenCorrection(LensModel::BrownConrady);
  const Geometry large(full, {640, 360}), small(correctionAt(full, {640, 360}, {320, 180}), {320, 180});
  for (double y = 20; y < 170; y += 31)
    for (double x = 20; x < 310; x += 37) {
      const auto a = small.toSource({x, y}, 9);
      const auto b = large.toSource({2 * x + 0.5, 2 * y + 0.5}, 9);
      ASSERT_TRUE(a && b);
      EXPECT_LT(length(Point{2 * a->x + 0.5, 2 * a->y + 0.5} - *b), 0.6);
    }
}

MotionRequest requestFor(const std::filesystem::path& film, const std::filesystem::path& tracks) {
  MotionRequest r;
  r.clip = probe(film);
  r.lens = testing::smallCamera().lens;
  r.window = {0, 0, 1, 1};
  r.tracks_file = tracks;
  return r;
}

TEST(Tracks, AreKeptAndTheSameWhenReadAgain) {
  const testing::ScratchFolder folder;
  const auto film = testing::makeFilm(folder / "a.mp4", testing::smallFilm(8));
  const MotionRequest r = requestFor(film, folder / "motion/a.tracks");
  EXPECT_FALSE(keptTracks(r).has_value());
  const TrackRecord made = tracksFor(r);
  ASSERT_EQ(made.frames.size(), 8U);
  EXPECT_GT(made.frames[4].pairs.size(), 20U);
  const auto kept = keptTracks(r);
  ASSERT_TRUE(kept.has_value());
  ASSERT_EQ(kept->frames.size(), 8U);
  for (size_t i = 0; i < 8; ++i) {
    ASSERT_EQ(kept->frames[i].pairs.size(), made.frames[i].pairs.size());
    const auto read = kept->frames[i].pairs.read(), were = made.frames[i].pairs.read();
    for (size_t k = 0; k < were.size(); ++k) EXPECT_EQ(read[k].to_x, were[k].to_x);
  }
  // Other masks ask for another analysis, and a damaged file is not believed.
  MotionRequest masked = r;
  masked.masks.push_back({{{0, 0}, {1, 0}, {1, 0.5}, {0, 0.5}}, 0, -1});
  EXPECT_FALSE(keptTracks(masked).has_value());
  std::filesystem::resize_file(r.tracks_file, std::filesystem::file_size(r.tracks_file) - 3);
  EXPECT_FALSE(keptTracks(r).has_value());
}

TEST(Tracks, NothingIsFollowedUnderAMask) {
  const testing::ScratchFolder folder;
  MotionRequest r = requestFor(testing::makeFilm(folder / "a.mp4", testing::smallFilm(5)), {});
  r.masks.push_back({{{0.2, 0.2}, {0.8, 0.2}, {0.8, 0.9}, {0.2, 0.9}}, 0, -1});
  const TrackRecord record = tracksFor(r);
  size_t pairs = 0;
  for (const FrameTracks& f : record.frames)
    for (const TrackPair& p : f.pairs.read()) {
      ++pairs;
      EXPECT_FALSE(p.to_x > 0.21 * 320 && p.to_x < 0.79 * 320 && p.to_y > 0.21 * 180 && p.to_y < 0.89 * 180);
    }
  EXPECT_GT(pairs, 10U);
}

TEST(Tracks, AStoppedAnalysisGoesOnWhereItWas) {
  const testing::ScratchFolder folder;
  const MotionRequest r =
      requestFor(testing::makeFilm(folder / "a.mp4", testing::smallFilm(12)), folder / "a.tracks");
  std::stop_source stop;
  Progress progress;
  progress.stop = stop.get_token();
  progress.report = [&](double share) {
    if (share > 0.4) stop.request_stop();
  };
  EXPECT_THROW(tracksFor(r, progress), Error);
  EXPECT_FALSE(std::filesystem::exists(r.tracks_file));
  ASSERT_TRUE(std::filesystem::exists(folder / "a.tracks.part"));
  double first = -1;
  Progress second;
  second.report = [&](double share) {
    if (first < 0) first = share;
  };
  const TrackRecord record = tracksFor(r, second);
  EXPECT_GT(first, 0.3);
  ASSERT_EQ(record.frames.size(), 12U);
  for (size_t i = 1; i < 12; ++i) {
    EXPECT_GT(record.frames[i].pairs.size(), 20U) << i;
    EXPECT_NEAR(record.frames[i].time_s, static_cast<double>(i) / 30, 0.002);
  }
  EXPECT_FALSE(std::filesystem::exists(folder / "a.tracks.part"));
}

// Masks hold by the clip's frames, not by those since the analysis went on.
TEST(Tracks, MasksOverTimeHoldBehindAStop) {
  const testing::ScratchFolder folder;
  MotionRequest r =
      requestFor(testing::makeFilm(folder / "a.mp4", testing::smallFilm(12)), folder / "a.tracks");
  r.masks.push_back({{{0, 0}, {1, 0}, {1, 1}, {0, 1}}, 9, -1});
  std::stop_source stop;
  Progress progress;
  progress.stop = stop.get_token();
  progress.report = [&](double share) {
    if (share > 0.4) stop.request_stop();
  };
  EXPECT_THROW(tracksFor(r, progress), Error);
  ASSERT_TRUE(std::filesystem::exists(folder / "a.tracks.part"));
  const TrackRecord record = tracksFor(r);
  ASSERT_EQ(record.frames.size(), 12U);
  for (size_t i = 1; i < 12; ++i) EXPECT_EQ(record.frames[i].pairs.empty(), i >= 9) << i;
}

TEST(SteadyVariants, StandAroundWhatIsSet) {
  StabilizationSettings set;
  set.smoothing_s = 1;
  set.crop_limit = 0.3;
  auto all = strengthsAround(set, false);
  ASSERT_EQ(all.size(), 3U);
  EXPECT_EQ(all[0], set);
  EXPECT_EQ(all[1].smoothing_s, 0.25);
  EXPECT_EQ(all[2].smoothing_s, 4);
  for (const StabilizationSettings& s : all) EXPECT_EQ(s.crop_limit, 0.3);
  EXPECT_EQ(strengthsAround(set, true)[2].steadying, Steadying::HoldStill);
  // Where nothing is steadied, or the camera is held, the usual strengths stand beside it; all are in range.
  for (const Steadying other : {Steadying::Off, Steadying::HoldStill}) {
    set.steadying = other;
    all = strengthsAround(set, true);
    EXPECT_EQ(all[0].steadying, other);
    EXPECT_EQ(all[1].steadying, Steadying::KeepMove);
    EXPECT_NE(all[2].steadying, other == Steadying::HoldStill ? Steadying::HoldStill : Steadying::Off);
  }
  for (const double extreme : {0.05, 20.0}) {
    set.steadying = Steadying::KeepMove;
    set.smoothing_s = extreme;
    for (const StabilizationSettings& s : strengthsAround(set, false)) EXPECT_NO_THROW(s.validate());
  }
}

TEST(SteadyVariants, AreTheFramesThatRenderingGives) {
  const testing::ScratchFolder folder;
  sim::FilmSettings film = testing::smallFilm(6);
  film.codec = sim::FilmCodec::Ffv1;
  const MotionRequest r = requestFor(testing::makeFilm(folder / "a.mkv", film), {});
  const MotionAnswer answer = answerMotion(r, tracksFor(r));
  StabilizationSettings still = r.settings;
  still.steadying = Steadying::HoldStill;
  const std::vector<std::shared_ptr<const ClipMotion>> motions{answer.motion,
                                                               steadiedBy(answer, r, still).motion};
  Correction correction;
  correction.lens = r.lens;
  std::vector<SteadyFrames> made;
  playVariants(r.clip, r.fields, {1, 5}, correction, motions, 320, [&](SteadyFrames f) {
    made.push_back(std::move(f));
    return made.size() < 3;  // enough of it
  });
  ASSERT_EQ(made.size(), 3U);
  for (const SteadyFrames& f : made) {
    ASSERT_EQ(f.corrected.size(), 2U);
    for (size_t i = 0; i < 2; ++i) {
      correction.motion = motions[i];
      const Frame direct = correctFrame(f.source, Geometry(correction, {320, 180}), f.source.format);
      EXPECT_TRUE(sameSamples(direct, f.corrected[i])) << f.index;
    }
    EXPECT_FALSE(sameSamples(f.corrected[0], f.corrected[1]));
  }
  EXPECT_EQ(made[0].index, 1);
  // Reduced by halves until they fit.
  playVariants(r.clip, r.fields, {0, 1}, correction, motions, 100, [](const SteadyFrames& f) {
    EXPECT_EQ(f.source.width, 80);
    EXPECT_EQ(f.corrected[0].width, 80);
    return true;
  });
}

// Own motion through a whole render: every frame once, in order, the same for any number of threads.
TEST(OwnMotionRender, EveryFrameComesOutOnceAndTheSameForAnyNumberOfThreads) {
  const testing::ScratchFolder folder;
  sim::Scene scene = sim::millScene();
  sim::addBox(scene, {-2.2F, -1.4F, 6.2F}, {0.2F, 0.6F, 6.6F}, sim::Material::Stone, {1, 1, 1}, {3, 0, 0});
  sim::FilmSettings film = testing::smallFilm(5);
  film.codec = sim::FilmCodec::Ffv1;
  const sim::SimCamera camera(testing::shakyCamera(0.025), scene, testing::windy(0.5));
  sim::writeFilm(folder / "a.mkv", camera, film);
  MotionRequest r = requestFor(folder / "a.mkv", {});
  r.shutter = {0.025, ScanDirection::Down};
  RenderJob job;
  job.clip = r.clip;
  job.correction.lens = r.lens;
  job.correction.motion = answerMotion(r, tracksFor(r)).motion;
  job.encode.codec = Codec::Ffv1;
  const auto rendered = [&](const char* name, bool local, int threads) {
    const ThreadLimit limit(threads);
    job.correction.shutter_local = local;
    job.place.path = folder / name;
    EXPECT_EQ(renderClip(job).written.frames, 5) << name;
    std::vector<Frame> frames;
    ClipReader reader(probe(job.place.path));
    while (auto frame = reader.next()) frames.push_back(std::move(*frame));
    return frames;
  };
  const auto plain = rendered("plain.mkv", false, 2), one = rendered("one.mkv", true, 1),
             three = rendered("three.mkv", true, 3);
  ASSERT_EQ(one.size(), 5U);
  ASSERT_EQ(three.size(), 5U);
  for (size_t i = 0; i < 5; ++i) {
    EXPECT_TRUE(sameSamples(one[i], three[i])) << i;
    EXPECT_EQ(one[i].pts, plain[i].pts);
  }
  EXPECT_FALSE(sameSamples(one[2], plain[2]));
}

}  // namespace
}  // namespace glenhaze
