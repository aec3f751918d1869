// What is done on the sensor's own pixels, as one stream, and several settings tried on one frame.
#include <gtest/gtest.h>

#include "core/base/error.h"
#include "core/noise/quality.h"
#include "core/pipeline/sensor_stage.h"
#include "core/pipeline/variants.h"
#include "tests/support/footage.h"
#include "tests/support/noise.h"

namespace glenhaze {
namespace {

ClipInfo noisyClip(const testing::ScratchFolder& folder, int64_t frames) {
  sim::CameraSetup setup = testing::smallCamera();
  setup.samples = 1;
  setup.noise = sim::sensorNoiseAt(1600);
  auto film = testing::smallFilm(frames);
  film.codec = sim::FilmCodec::Ffv1;
  return probe(testing::makeFilm(folder / "noisy.mkv", film, setup));
}

TEST(SensorStage, WithoutAnythingToDoFramesPassUntouchedAndAtOnce) {
  SensorStage stage(Correction{});
  const Frame frame = testing::paint(64, 48, {}, [](int x, int y) { return (x * 3 + y) % 200; });
  const auto out = stage.push(frame);
  ASSERT_TRUE(out);
  EXPECT_EQ(out->planes[0].data, frame.planes[0].data);
  EXPECT_FALSE(stage.drain());
}

TEST(SensorStage, HotPixelsAreMendedBeforeNoiseAndTheSourceStays) {
  Frame frame = testing::paint(96, 64, {}, [](int, int) { return 60; });
  frame.planes[0].row<uint8_t>(30)[40] = 250;
  Correction correction;
  correction.hot_pixels = {{40, 30, 190}};
  correction.noise = testing::evenCurve(1);
  correction.denoise.frames_each_side = 0;
  SensorStage stage(correction);
  const auto out = stage.push(frame);
  ASSERT_TRUE(out);
  EXPECT_NEAR(out->planes[0].row<uint8_t>(30)[40], 60, 1);
  EXPECT_EQ(frame.planes[0].row<uint8_t>(30)[40], 250);
}

TEST(SensorStage, EachFrameIsCleanedByTheIsoThatHeldThen) {
  const testing::ScratchFolder folder;
  const ClipInfo clip = noisyClip(folder, 6);
  Correction changing;
  changing.noise = testing::evenCurve(1);
  changing.noise_changes = {{0, testing::evenCurve(1)}, {3, testing::evenCurve(6)}};
  changing.denoise.frames_each_side = 0;
  Correction later = changing;
  later.noise = testing::evenCurve(6);
  later.noise_changes.clear();
  SensorStage one(changing), two(later);
  ClipReader reader(clip);
  for (int i = 0; i < 6; ++i) {
    const auto frame = reader.next();
    ASSERT_TRUE(frame);
    const auto a = one.push(*frame), b = two.push(*frame);
    ASSERT_TRUE(a && b);
    EXPECT_EQ(sameSamples(*a, *b), i >= 3) << "frame " << i;
  }
}

TEST(Variants, AreWhatRenderingGivesEachWithItsFigures) {
  const testing::ScratchFolder folder;
  const ClipInfo clip = noisyClip(folder, 7);
  Correction correction;
  correction.noise = testing::evenCurve(4);
  std::vector<DenoiseSettings> settings(3);
  settings[1].luma = settings[1].chroma = 0;
  settings[2].frames_each_side = 3;
  const auto results = tryVariants(clip, Fields::Keep, 3, correction, settings);
  ASSERT_EQ(results.size(), 3U);
  // All strengths at nought is the source itself.
  EXPECT_TRUE(sameSamples(results[1].corrected, readFrame(clip, 3)));
  ASSERT_TRUE(results[0].removal.noise_left && results[1].removal.noise_left);
  EXPECT_NEAR(*results[1].removal.noise_left, 1, 0.01);
  EXPECT_LT(*results[0].removal.noise_left, 0.8);
  // The very same as streaming the clip through.
  SensorStage stage(correction);
  ClipReader reader(clip);
  std::optional<Frame> streamed;
  while (auto frame = reader.next()) {
    auto out = stage.push(*frame);
    if (out && out->index == 3) streamed = out;
  }
  ASSERT_TRUE(streamed);
  EXPECT_TRUE(sameSamples(results[0].corrected, *streamed));
  EXPECT_THROW(tryVariants(clip, Fields::Keep, 99, correction, settings), Error);
}

TEST(Quality, TheSpeedTestCanBeStopped) {
  Progress progress;
  std::stop_source stop;
  stop.request_stop();
  progress.stop = stop.get_token();
  EXPECT_THROW(measureNoiseSpeed(progress), Error);
}

}  // namespace
}  // namespace glenhaze
