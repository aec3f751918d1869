// What is looked at is what is rendered, bit for bit, wherever one begins to look.
#include "core/pipeline/any_frame.h"

#include <gtest/gtest.h>

#include "core/base/error.h"
#include "core/pipeline/render.h"
#include "core/pipeline/variants.h"
#include "tests/support/footage.h"
#include "tests/support/motion.h"
#include "tests/support/noise.h"
#include "tests/support/stopped.h"

namespace glenhaze {
namespace {

constexpr int64_t kFrames = 9;

// A shaken, noisy, flickering clip with all parts on.
class WholeChain : public ::testing::Test {
 protected:
  void SetUp() override {
    sim::FilmSettings film = testing::smallFilm(kFrames);
    film.codec = sim::FilmCodec::Ffv1;
    sim::CameraSetup setup = testing::shakyCamera(0.025);
    setup.noise = sim::sensorNoiseAt(1600);
    sim::writeFilm(folder_ / "a.mkv", sim::SimCamera(setup, sim::millScene(), testing::windy(0.5)), film);
    job_.clip = probe(folder_ / "a.mkv");
    MotionRequest r;
    r.clip = job_.clip;
    r.lens = testing::smallCamera().lens;
    r.window = {0, 0, 1, 1};
    r.shutter = {0.025, ScanDirection::Down};
    Correction& c = job_.correction;
    c.lens = r.lens;
    c.motion = answerMotion(r, tracksFor(r)).motion;
    c.noise = testing::evenCurve(4);
    c.denoise.frames_each_side = 2;
    c.denoise.shadow_colour = 0.5;
    c.denoise.flicker = 1;
    c.hot_pixels = {{40, 30, 60}};
    FlickerPath flicker;
    flicker.depth = 0.05;
    flicker.bands = 1;
    for (int i = 0; i < kFrames; ++i) flicker.gain.push_back(i % 2 == 0 ? 1.04F : 0.96F);
    c.flicker = flicker;
    job_.encode.codec = Codec::Ffv1;
  }

  std::vector<Frame> rendered(const char* name, std::optional<FrameRange> range = std::nullopt) {
    job_.range = range;
    job_.place.path = folder_ / name;
    renderClip(job_);
    std::vector<Frame> frames;
    ClipReader reader(probe(job_.place.path));
    while (auto frame = reader.next()) frames.push_back(std::move(*frame));
    return frames;
  }

  testing::ScratchFolder folder_;
  RenderJob job_;
};

TEST_F(WholeChain, AnyFrameIsTheOneThatIsRendered) {
  for (const bool own : {false, true}) {
    job_.correction.shutter_local = own;
    const std::vector<Frame> frames = rendered(own ? "own.mkv" : "plain.mkv");
    ASSERT_EQ(frames.size(), static_cast<size_t>(kFrames));
    AnyFrame any(job_.clip, job_.correction);
    // Jumps, steps, the ends.
    for (const int64_t at : {5, 6, 7, 8, 0, 1, 4, 3, 3}) {
      const StagedFrame staged = any.make(at);
      EXPECT_EQ(staged.source.index, at);
      EXPECT_EQ(staged.clean.index, at);
      EXPECT_TRUE(sameSamples(staged.corrected, frames[static_cast<size_t>(at)]))
          << at << (own ? " own" : "");
      EXPECT_TRUE(sameSamples(staged.source, readFrame(job_.clip, at))) << at;
      EXPECT_EQ(staged.own != nullptr, own);
    }
    // Trials of other settings are made the same way.
    const std::vector<DenoiseSettings> as_set = {job_.correction.denoise};
    EXPECT_TRUE(sameSamples(tryVariants(job_.clip, Fields::Keep, 4, job_.correction, as_set)[0].corrected,
                            frames[4]));
    // In and out points do not change the frames between them.
    const std::vector<Frame> part = rendered(own ? "own-part.mkv" : "part.mkv", FrameRange{3, 7});
    ASSERT_EQ(part.size(), 4U);
    for (size_t i = 0; i < part.size(); ++i) EXPECT_TRUE(sameSamples(part[i], frames[i + 3])) << i;
  }
}

// With two stages that look at the frames around, one behind the other, and with the second alone.
TEST_F(WholeChain, AnyFrameIsTheOneThatIsRenderedWithFineEdgesSteadied) {
  const std::vector<Frame> without = rendered("without.mkv");
  job_.correction.finishes = true;
  job_.correction.finish.crisp = 0;
  job_.correction.finish.shimmer = 1;
  for (const bool noise : {true, false}) {
    if (!noise) job_.correction.noise.reset();
    const std::vector<Frame> frames = rendered(noise ? "both.mkv" : "shimmer.mkv");
    ASSERT_EQ(frames.size(), static_cast<size_t>(kFrames));
    if (noise) EXPECT_FALSE(sameSamples(frames[4], without[4])) << "it does something";
    AnyFrame any(job_.clip, job_.correction);
    for (const int64_t at : {5, 6, 8, 0, 1, 2, 4, 3})
      EXPECT_TRUE(sameSamples(any.make(at).corrected, frames[static_cast<size_t>(at)])) << at << noise;
    const std::vector<Frame> part = rendered(noise ? "both-part.mkv" : "part.mkv", FrameRange{3, 7});
    ASSERT_EQ(part.size(), 4U);
    for (size_t i = 0; i < part.size(); ++i) EXPECT_TRUE(sameSamples(part[i], frames[i + 3])) << i;
  }
}

TEST_F(WholeChain, OwnMotionCanBeMeasuredWithoutBeingTakenBack) {
  AnyFrame plain(job_.clip, job_.correction);
  AnyFrame measured(job_.clip, job_.correction, {}, OwnMotionUse::Measured);
  for (const int64_t at : {4, 5}) {
    const StagedFrame a = plain.make(at), b = measured.make(at);
    EXPECT_TRUE(sameSamples(a.corrected, b.corrected));
    EXPECT_EQ(a.own, nullptr);
    EXPECT_NE(b.own, nullptr);
  }
}

TEST_F(WholeChain, AFrameThatNeedsNoOtherIsFinishedByItself) {
  Correction& c = job_.correction;
  c.noise.reset();
  const std::vector<Frame> frames = rendered("alone.mkv");
  AnyFrame any(job_.clip, c);
  for (const int64_t at : {7, 8, 2, 5, 6})
    EXPECT_TRUE(sameSamples(any.make(at).corrected, frames[static_cast<size_t>(at)])) << at;
}

// Whether it begins anew or goes on: the frame as it was filmed, once, and before it is finished.
TEST_F(WholeChain, TheFrameIsThereBeforeItIsFinished) {
  for (const bool cleans : {true, false}) {
    if (!cleans) job_.correction.noise.reset();
    AnyFrame any(job_.clip, job_.correction);
    for (const int64_t at : {5, 6, 8, 0, 1}) {
      EXPECT_EQ(any.goesOn(at), at == 6 || at == 1);
      std::vector<Frame> decoded;
      const StagedFrame staged = any.make(at, {}, [&](const Frame& frame) { decoded.push_back(frame); });
      ASSERT_EQ(decoded.size(), 1U) << at;
      EXPECT_EQ(decoded[0].index, at);
      EXPECT_TRUE(sameSamples(decoded[0], staged.source)) << at;
    }
    EXPECT_TRUE(any.isDecoded(0));
    EXPECT_FALSE(any.isDecoded(kFrames));
    // So early that the work on it can still be stopped.
    std::stop_source stop;
    Progress progress;
    progress.stop = stop.get_token();
    EXPECT_THROW(any.make(4, progress, [&](const Frame&) { stop.request_stop(); }), Error);
  }
}

// What it is worked on with begins before what is kept: the frame is handed out before that is given up.
TEST(AnyFrame, AKeptFrameIsThereAtOnce) {
  const testing::ScratchFolder folder;
  const ClipInfo clip = probe(testing::makeFilm(folder / "a.mp4", testing::smallFilm(30)));
  Correction correction;
  correction.noise = testing::evenCurve(4);
  AnyFrame any(clip, correction);
  any.make(24);
  ASSERT_TRUE(any.isDecoded(23));
  ASSERT_FALSE(any.isDecoded(20));
  std::stop_source stop;
  Progress progress;
  progress.stop = stop.get_token();
  EXPECT_THROW(any.make(23, progress, [&](const Frame&) { stop.request_stop(); }), Error);
  EXPECT_TRUE(any.isDecoded(24)) << "nothing was decoded anew";
  any.make(23);
  EXPECT_TRUE(any.isDecoded(16)) << "that is where its way begins";
}

TEST_F(WholeChain, AStoppedFrameCanBeMadeAgain) {
  AnyFrame any(job_.clip, job_.correction);
  EXPECT_THROW(any.make(4, testing::stoppedProgress()), Error);
  const StagedFrame again = any.make(4);
  EXPECT_TRUE(sameSamples(again.corrected, AnyFrame(job_.clip, job_.correction).make(4).corrected));
}

TEST_F(WholeChain, WhatIsNotInTheClipIsSaid) {
  AnyFrame any(job_.clip, job_.correction);
  EXPECT_THROW(any.make(kFrames), Error);
  EXPECT_EQ(any.make(2).source.index, 2);
}

}  // namespace
}  // namespace glenhaze
