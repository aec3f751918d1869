// Hot pixels, blockiness, flicker and shadow colour, each against what the simulated camera or a closed form
// says.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>
#include <set>

#include "core/base/error.h"
#include "core/finish/flicker.h"
#include "core/finish/hot_pixels.h"
#include "core/finish/shadows.h"
#include "core/media/clip_info.h"
#include "core/noise/blocks.h"
#include "core/noise/denoise.h"
#include "tests/support/footage.h"
#include "tests/support/noise.h"

namespace glenhaze {
namespace {

sim::SimCamera stillCamera(const sim::CameraSetup& setup, double yaw = 0, double turn_per_s = 0) {
  return {setup, sim::millScene(), [=](double t) {
            sim::Pose pose;
            pose.position = {-0.5F, -0.5F, 3.0F};
            pose.ry = yaw + turn_per_s * t;
            return pose;
          }};
}

sim::FilmSettings lossless(int64_t frames) {
  sim::FilmSettings film = testing::smallFilm(frames);
  film.codec = sim::FilmCodec::Ffv1;
  film.sound = false;
  return film;
}

ClipInfo filmed(const std::filesystem::path& path, const sim::SimCamera& camera, int64_t frames) {
  sim::writeFilm(path, camera, lossless(frames));
  return probe(path);
}

int rightOf(const HotPixelFinding& finding, const sim::SimCamera& camera) {
  const auto truth = camera.hotPixels();
  const std::set<std::pair<int, int>> known(truth.begin(), truth.end());
  int right = 0;
  for (const HotPixel& p : finding.pixels) {
    EXPECT_TRUE(known.contains({p.x, p.y})) << p.x << ", " << p.y << " is of the scene";
    right += known.contains({p.x, p.y}) ? 1 : 0;
  }
  return right;
}

TEST(HotPixels, AreFoundWithTheLensCovered) {
  const testing::ScratchFolder folder;
  sim::CameraSetup setup = testing::smallCamera();
  setup.samples = 1;
  setup.noise = sim::sensorNoiseAt(800);
  setup.hot_pixels = 20;
  setup.exposure = 0.002;
  const sim::SimCamera camera = stillCamera(setup);
  const HotPixelFinding finding = findHotPixels(std::vector{filmed(folder / "dark.mkv", camera, 12)});
  EXPECT_TRUE(finding.dark);
  EXPECT_GE(rightOf(finding, camera), 18);
}

// In daylight only the strong ones on quiet places can be told; nothing of the scene may be.
TEST(HotPixels, OfTwoScenesOnlyWhatIsInBothCounts) {
  const testing::ScratchFolder folder;
  sim::CameraSetup setup = testing::smallCamera();
  setup.samples = 1;
  setup.noise = sim::sensorNoiseAt(400);
  setup.hot_pixels = 60;
  const sim::SimCamera one = stillCamera(setup), two = stillCamera(setup, 0.4);
  const HotPixelFinding finding =
      findHotPixels(std::vector{filmed(folder / "one.mkv", one, 12), filmed(folder / "two.mkv", two, 12)});
  EXPECT_FALSE(finding.dark);
  EXPECT_GE(rightOf(finding, one), 5);
}

TEST(HotPixels, MendedFramesAreNearTheCleanOnesAndElsewhereTheSame) {
  sim::CameraSetup setup = testing::smallCamera();
  const Frame clean = stillCamera(setup).frame(0);
  setup.hot_pixels = 20;
  const sim::SimCamera camera = stillCamera(setup);
  const Frame hot = camera.frame(0);
  Frame mended = cloneFrame(hot);
  std::vector<HotPixel> pixels{{-5, 3, 10}, {9999, 2, 10}};  // of another mode: passed over
  for (const auto& [x, y] : camera.hotPixels()) pixels.push_back({x, y, 50});
  mendHotPixels(mended, pixels);
  double before = 0, after = 0;
  for (const auto& [x, y] : camera.hotPixels()) {
    before += std::pow(hot.planes[0].at(x, y, 1) - clean.planes[0].at(x, y, 1), 2);
    after += std::pow(mended.planes[0].at(x, y, 1) - clean.planes[0].at(x, y, 1), 2);
  }
  EXPECT_LT(after, 0.2 * before);
  int changed = 0;
  for (int y = 0; y < hot.height; ++y)
    for (int x = 0; x < hot.width; ++x)
      changed += hot.planes[0].at(x, y, 1) != mended.planes[0].at(x, y, 1) ? 1 : 0;
  EXPECT_LE(changed, 20 * 9);
}

TEST(HotPixels, AShotThatMovesIsRefused) {
  const testing::ScratchFolder folder;
  const ClipInfo clip = filmed(folder / "pan.mkv", stillCamera(testing::smallCamera(), 0, 0.6), 12);
  try {
    findHotPixels(std::vector{clip});
    FAIL() << "it was taken";
  } catch (const Error& error) {
    EXPECT_EQ(error.kind(), ErrorKind::Evidence);
    EXPECT_THAT(error.what(), ::testing::HasSubstr("pan.mkv"));
  }
}

// Quantises the cosines of 8 × 8 blocks, as block coders do, from sample `shift` on (cosine transform of
// ITU-T T.81, annex A.3.3; one step size for all).
Frame blocky(const Frame& frame, double step, int shift) {
  Frame out = cloneFrame(frame);
  const auto c = [](int u, int x) {
    return (u == 0 ? std::sqrt(0.125) : 0.5) * std::cos((2 * x + 1) * u * std::numbers::pi / 16);
  };
  Plane& plane = out.planes[0];
  for (int by = shift; by + 8 <= plane.height; by += 8)
    for (int bx = shift; bx + 8 <= plane.width; bx += 8) {
      double f[8][8];
      for (int v = 0; v < 8; ++v)
        for (int u = 0; u < 8; ++u) {
          double sum = 0;
          for (int y = 0; y < 8; ++y)
            for (int x = 0; x < 8; ++x) sum += plane.row<uint8_t>(by + y)[bx + x] * c(u, x) * c(v, y);
          f[v][u] = std::round(sum / step) * step;
        }
      double g[8][8];
      for (int y = 0; y < 8; ++y)
        for (int x = 0; x < 8; ++x) {
          g[y][x] = 0;
          for (int v = 0; v < 8; ++v)
            for (int u = 0; u < 8; ++u) g[y][x] += f[v][u] * c(u, x) * c(v, y);
        }
      for (int y = 0; y < 8; ++y)
        for (int x = 0; x < 8; ++x)
          plane.row<uint8_t>(by + y)[bx + x] =
              static_cast<uint8_t>(std::clamp(std::lround(g[y][x]), 0L, 255L));
    }
  return out;
}

TEST(Blocks, AreMeasuredOnTheirGridAndSmoothed) {
  const Frame clean = stillCamera(testing::smallCamera()).frame(0);
  for (const int shift : {0, 3}) {
    const Frame hard = blocky(clean, 34, shift);
    const Blockiness found = measureBlockiness(hard);
    ASSERT_TRUE(found.any());
    EXPECT_EQ(found.across[0].phase, shift);
    EXPECT_EQ(found.down[0].phase, shift);
    // Hardly any noise of the camera's own: what is gained is the coder's.
    const NoiseCurve quiet = testing::evenCurve(0.3);
    DenoiseSettings settings;
    const Frame smooth = denoiseOne({hard}, 0, quiet, settings);
    settings.blocks = 0;
    const Frame kept = denoiseOne({hard}, 0, quiet, settings);
    EXPECT_GT(testing::lumaPsnr(smooth, clean, 16), testing::lumaPsnr(kept, clean, 16) + 0.15);
    EXPECT_LT(measureBlockiness(smooth).share(), 0.6 * measureBlockiness(kept).share());
  }
}

TEST(Blocks, FootageWithoutAGridIsLeftAlone) {
  sim::CameraSetup setup = testing::smallCamera();
  EXPECT_FALSE(measureBlockiness(stillCamera(setup).frame(0)).any());
  setup.noise = sim::sensorNoiseAt(1600);
  EXPECT_FALSE(measureBlockiness(stillCamera(setup).frame(0)).any());
  // Texture of the grid's own period, but not of its place alone.
  const Frame stripes = testing::paint(320, 180, {}, [](int x, int) { return x / 4 % 2 != 0 ? 90 : 120; });
  EXPECT_FALSE(measureBlockiness(stripes).any());
}

// RMS of luma's mean over frames around its running mean of three, as a share of it: what pulses.
double pulseOf(const std::vector<Frame>& frames) {
  std::vector<double> level;
  for (const Frame& f : frames) {
    double sum = 0;
    for (int y = 0; y < f.height; ++y)
      for (int x = 0; x < f.width; ++x) sum += f.planes[0].at(x, y, 1) - 16;
    level.push_back(sum / f.width / f.height);
  }
  double sum = 0, count = 0;
  for (size_t i = 1; i + 1 < level.size(); ++i, ++count)
    sum += std::pow(level[i] / ((level[i - 1] + level[i] + level[i + 1]) / 3) - 1, 2);
  return std::sqrt(sum / count);
}

std::vector<Frame> framesOf(const sim::SimCamera& camera, int64_t count) {
  std::vector<Frame> frames;
  for (int64_t i = 0; i < count; ++i) frames.push_back(camera.frame(i));
  return frames;
}

TEST(Flicker, PulsingExposureIsEvenedOutWhileTheCameraMoves) {
  const testing::ScratchFolder folder;
  sim::CameraSetup setup = testing::smallCamera();
  setup.samples = 1;
  setup.noise = sim::sensorNoiseAt(400);
  setup.pulsing = 0.08;
  const sim::SimCamera camera = stillCamera(setup, 0, 0.1);
  const FlickerPath path = measureFlicker(filmed(folder / "pulse.mkv", camera, 48));
  // The camera breathes 0.37 cycles a frame.
  EXPECT_NEAR(path.rate_hz, 0.37 * 30, 0.4);
  std::vector<Frame> frames = framesOf(camera, 48);
  const double before = pulseOf(frames);
  for (Frame& f : frames) evenOut(f, path, 1);
  EXPECT_LT(pulseOf(frames), 0.25 * before);
  EXPECT_THAT(path.describe(), ::testing::HasSubstr("Hz"));
}

TEST(Flicker, MainsBeatsAreEvenedOutRowByRow) {
  const testing::ScratchFolder folder;
  sim::CameraSetup setup = testing::smallCamera();
  setup.samples = 1;
  setup.readout_s = 0.02;
  setup.mains_depth = 0.15;
  const sim::SimCamera camera = stillCamera(setup);
  const FlickerPath path = measureFlicker(filmed(folder / "mains.mkv", camera, 45));
  EXPECT_EQ(path.bands, 16);
  EXPECT_NEAR(path.rate_hz, 10, 0.7);  // 100 Hz seen 30 times a second
  sim::CameraSetup steady = setup;
  steady.mains_depth = 0;
  const Frame truth = stillCamera(steady).frame(20);
  Frame evened = camera.frame(20);
  const double before = testing::lumaPsnr(evened, truth);
  evenOut(evened, path, 1);
  EXPECT_GT(testing::lumaPsnr(evened, truth), before + 8);
}

// A time lapse whose exposure jumps from still to still by chance; made by ffmpeg alone.
TEST(Flicker, ATimeLapseThatJumpsIsEvened) {
  const testing::ScratchFolder folder;
  testing::makeWithFfmpeg(
      folder / "tl_%03d.png",
      "-f lavfi -i \"testsrc2=s=320x180:r=25:d=0.04,format=yuv420p,loop=-1:1,"
      "geq=lum='clip((lum(X,Y)*0.6+40-16)*(1+0.06*sin(N*N*1.7))+16,16,235)':cb=128:cr=128\" "
      "-frames:v 50");
  const ClipInfo lapse = probe(folder / "tl_%03d.png");
  ASSERT_EQ(lapse.kind, ClipKind::Sequence);
  const FlickerPath path = measureFlicker(lapse);
  std::vector<Frame> frames;
  ClipReader reader(lapse);
  while (auto frame = reader.next()) frames.push_back(cloneFrame(*frame));
  ASSERT_EQ(frames.size(), 50U);
  const double before = pulseOf(frames);
  EXPECT_GT(before, 0.03);
  for (Frame& f : frames) evenOut(f, path, 1);
  EXPECT_LT(pulseOf(frames), 0.2 * before);
}

TEST(Flicker, SteadyFootageIsNotTouched) {
  const testing::ScratchFolder folder;
  sim::CameraSetup setup = testing::smallCamera();
  setup.samples = 1;
  setup.noise = sim::sensorNoiseAt(1600);
  const FlickerPath path = measureFlicker(filmed(folder / "steady.mkv", stillCamera(setup, 0, 0.25), 45));
  EXPECT_EQ(path.depth, 0) << path.describe();
  const Frame frame = stillCamera(setup).frame(3);
  Frame same = cloneFrame(frame);
  evenOut(same, path, 1);
  EXPECT_TRUE(sameSamples(frame, same));
}

// A lamp that is switched on, and a cloud that passes within seconds, are light; a cut begins anew.
TEST(Flicker, RealChangesOfLightStay) {
  LevelSteps steps;
  constexpr int kFrames = 120;
  const auto light = [](int f) {
    return (f >= 50 ? 0.3 : 0.0) - 0.2 * std::min(1.0, std::max(0.0, (f - 70) / 40.0));
  };
  for (int f = 0; f < kFrames; ++f) {
    const double flicker = 0.02 * (f % 2 == 0 ? 1 : -1);
    const double before = f == 0 ? 0 : light(f - 1) - 0.02 * (f % 2 == 0 ? 1 : -1);
    steps.step.push_back(f == 0 ? 0.0F : static_cast<float>(light(f) + flicker - before));
    steps.error.push_back(0.0005F);
    steps.cut.push_back(false);
  }
  const FlickerPath path = flickerPath(steps, 30);
  ASSERT_GT(path.depth, 0.015);
  for (int f = 2; f + 2 < kFrames; ++f) {
    const double flicker = 0.02 * (f % 2 == 0 ? 1 : -1);
    // The gain takes the flicker away and nothing else; beside the switch the median is at a loss by a
    // little.
    EXPECT_NEAR(std::log(path.at(f, 0.5)), -flicker, 0.012 + (std::abs(f - 50) < 3 ? 0.02 : 0))
        << "frame " << f;
  }
}

TEST(Shadows, ColourFadesTowardsBlackOnly) {
  Frame frame = testing::paint(64, 16, {}, [](int x, int) { return 16 + 3 * x; });
  for (size_t p = 1; p < 3; ++p)
    for (int y = 0; y < frame.planes[p].height; ++y)
      for (int x = 0; x < frame.planes[p].width; ++x) frame.planes[p].row<uint8_t>(y)[x] = p == 1 ? 168 : 98;
  const Frame before = cloneFrame(frame);
  calmShadowColour(frame, 1);
  EXPECT_EQ(frame.planes[1].row<uint8_t>(4)[0], 128);
  EXPECT_EQ(frame.planes[2].row<uint8_t>(4)[0], 128);
  EXPECT_EQ(frame.planes[1].row<uint8_t>(4)[30], 168);
  for (int x = 1; x < 32; ++x)
    EXPECT_GE(frame.planes[1].row<uint8_t>(4)[x], frame.planes[1].row<uint8_t>(4)[x - 1]);
  Frame half = cloneFrame(before);
  calmShadowColour(half, 0.5);
  EXPECT_NEAR(half.planes[1].row<uint8_t>(4)[0], 148, 1);
}

TEST(FlickerPath, IsTheSameAfterItWasKept) {
  FlickerPath path;
  path.first = 3;
  path.bands = 2;
  path.depth = 0.0123456789;
  path.rate_hz = 100.0 / 3;
  path.gain = {1.0F, 0.98765432F, 1.0F + 1e-7F, -0.0F, 3e-39F, 1.5F};
  const std::string text = flickerToText(path);
  EXPECT_EQ(flickerFromText(text), path);
  EXPECT_EQ(flickerFromText(flickerToText(FlickerPath{})), FlickerPath{});
  // Cut off, of no whole frame, or not ours: measured again.
  for (const std::string& bad :
       {text.substr(0, text.size() - 1), text.substr(0, text.size() - 8), std::string(),
        std::string("0 1 0 0"), std::string("0 0 0 0 "), std::string("0 -1 0 0 "),
        std::string("0 1 0 0 7f800000"), std::string("0 1 0 0 zzzzzzzz")})
    EXPECT_EQ(flickerFromText(bad), std::nullopt) << bad;
}

}  // namespace
}  // namespace glenhaze
