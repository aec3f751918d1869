// Removing noise: closed forms where there are any, else rendered truth. Gains are those that the method must
// reach on small pictures; what is reached at full size stands beside benchmarks/noise_bench.
#include "core/noise/denoise.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <hwy/highway.h>
#include <hwy/targets.h>

#include <cmath>
#include <functional>
#include <random>

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/media/reader.h"
#include "core/noise/measure.h"
#include "tests/support/footage.h"
#include "tests/support/noise.h"

namespace glenhaze {
namespace {

using testing::noisy;

// Mean squared difference over a window of a plane, 8-bit codes.
double squaredError(const Frame& a, const Frame& b, size_t plane, int x0, int y0, int x1, int y1) {
  double sum = 0;
  const double unit = 1 << (a.format.bit_depth - 8);
  for (int y = y0; y < y1; ++y)
    for (int x = x0; x < x1; ++x)
      sum += std::pow((a.planes[plane].at(x, y, a.format.bytesPerSample()) -
                       b.planes[plane].at(x, y, b.format.bytesPerSample())) /
                          unit,
                      2);
  return sum / ((x1 - x0) * (y1 - y0));
}

double psnrOf(const Frame& a, const Frame& b, size_t plane) {
  const int edge = 8;
  return 10 * std::log10(255.0 * 255 /
                         squaredError(a, b, plane, edge, edge, a.planes[plane].width - edge,
                                      a.planes[plane].height - edge));
}

std::vector<Frame> removed(const std::vector<Frame>& frames, const NoiseCurve& curve,
                           const DenoiseSettings& settings) {
  Denoiser denoiser(curve, settings);
  std::vector<Frame> out;
  for (const Frame& f : frames)
    if (auto done = denoiser.push(f)) out.push_back(*done);
  while (auto done = denoiser.drain()) out.push_back(*done);
  return out;
}

// SSIM of luma over 8 × 8 windows (Z. Wang et al., "Image quality assessment: from error visibility to
// structural similarity", IEEE TIP 2004; constants of that paper).
double ssim(const Frame& a, const Frame& b) {
  constexpr double kC1 = 6.5025, kC2 = 58.5225;
  double all = 0, count = 0;
  for (int y0 = 0; y0 + 8 <= a.height; y0 += 4)
    for (int x0 = 0; x0 + 8 <= a.width; x0 += 4, ++count) {
      double sa = 0, sb = 0, aa = 0, bb = 0, ab = 0;
      for (int y = y0; y < y0 + 8; ++y)
        for (int x = x0; x < x0 + 8; ++x) {
          const double p = a.planes[0].row<uint8_t>(y)[x], q = b.planes[0].row<uint8_t>(y)[x];
          sa += p, sb += q, aa += p * p, bb += q * q, ab += p * q;
        }
      const double ma = sa / 64, mb = sb / 64, va = aa / 64 - ma * ma, vb = bb / 64 - mb * mb,
                   c = ab / 64 - ma * mb;
      all += (2 * ma * mb + kC1) * (2 * c + kC2) / ((ma * ma + mb * mb + kC1) * (va + vb + kC2));
    }
  return all / count;
}

// A smooth picture with a few hard edges.
int landscape(int x, int y) {
  const double v =
      110 + 40 * std::sin(x * 0.045) * std::cos(y * 0.06) + ((x / 24 + y / 20) % 2 != 0 ? 18 : 0);
  return static_cast<int>(std::lround(v));
}

// Closed form: the mean of n independent frames has 1/n of the variance. Weights fall a little where chance
// makes frames differ, so a quarter more is allowed.
TEST(Denoise, AStillPictureIsAveragedOverFrames) {
  const Frame clean = testing::paint(192, 128, {}, landscape);
  std::vector<Frame> frames;
  for (unsigned i = 0; i < 9; ++i) frames.push_back(noisy(clean, 6, 4, 10 + i));
  for (const int side : {1, 2, 4}) {
    DenoiseSettings settings;
    settings.smoothing = 0;
    settings.frames_each_side = side;
    const Frame out = denoiseOne(frames, 4, testing::evenCurve(6, 4), settings);
    // Rounding to codes adds a twelfth.
    EXPECT_LE(squaredError(out, clean, 0, 8, 8, 184, 120), 36.0 / (2 * side + 1) * 1.25 + 1.0 / 12) << side;
    EXPECT_LE(squaredError(out, clean, 1, 8, 8, 88, 56), 16.0 / (2 * side + 1) * 1.25 + 1.0 / 12) << side;
  }
}

// What was seen before is remembered: many frames leave less noise than the three of one frame and its
// neighbours, whose mean would leave a third.
TEST(Denoise, WhatWasSeenBeforeIsRemembered) {
  const Frame clean = testing::paint(192, 128, {}, landscape);
  std::vector<Frame> frames;
  for (unsigned i = 0; i < 13; ++i) frames.push_back(noisy(clean, 6, 4, 10 + i));
  DenoiseSettings settings;
  settings.smoothing = 0;
  const auto out = removed(frames, testing::evenCurve(6, 4), settings);
  const auto left = [&](size_t at) { return squaredError(out[at], clean, 0, 8, 8, 184, 120); };
  EXPECT_LT(left(5), 36.0 / 4.5);
  // Also after the memory was begun anew, and no less than before.
  for (const size_t at : {8U, 9U, 10U, 11U}) EXPECT_LT(left(at), 36.0 / 4.5) << at;
}

// A preview begins in the middle of a clip and shows what a render delivers.
TEST(Denoise, WhereTheWorkBeginsMakesNoDifference) {
  std::vector<Frame> frames;
  for (int i = 0; i < 17; ++i) {
    frames.push_back(noisy(testing::paint(96, 64, {}, [&](int x, int y) { return landscape(x + 2 * i, y); }),
                           5, 3, static_cast<unsigned>(i)));
    // Frames that stand twice, also where a memory begins.
    if (i == 6 || i == 8 || i == 13) frames.back() = cloneFrame(frames[frames.size() - 2]);
    frames.back().index = i;
  }
  for (const int side : {0, 1, 2}) {
    DenoiseSettings settings;
    settings.specks = 1;
    settings.frames_each_side = side;
    const auto all = removed(frames, testing::evenCurve(5, 3), settings);
    for (int64_t at = 0; at < 17; ++at) {
      const int back = Denoiser::looksBack(settings, at);
      ASSERT_LE(back, at);
      const std::vector<Frame> some(frames.begin() + (at - back), frames.end());
      const Frame one = denoiseOne(some, static_cast<size_t>(back), testing::evenCurve(5, 3), settings);
      EXPECT_TRUE(sameSamples(one, all[static_cast<size_t>(at)]))
          << "frame " << at << ", " << side << " ahead";
    }
  }
}

// The plain code for processors without vectors is held against whatever this one has.
TEST(Denoise, EveryInstructionSetGivesTheSamePicture) {
  std::vector<Frame> frames;
  for (int i = 0; i < 3; ++i)
    frames.push_back(
        noisy(testing::paint(161, 99, {}, [&](int x, int y) { return landscape(x + 2 * i, y + i); }), 5, 3,
              static_cast<unsigned>(i)));
  std::vector<Frame> best = removed(frames, testing::evenCurve(5, 3), {});
  for (const int64_t target : {HWY_SCALAR, HWY_SSE4, HWY_AVX2}) {
    hwy::SetSupportedTargetsForTest(target);
    const auto out = removed(frames, testing::evenCurve(5, 3), {});
    hwy::SetSupportedTargetsForTest(0);
    for (size_t plane = 0; plane < 3; ++plane)
      EXPECT_GE(psnrOf(out[1], best[1], plane), 60) << hwy::TargetName(target);
  }
}

TEST(Denoise, StrengthNoughtAndFullMixLeaveEveryCode) {
  const Frame clean = testing::paint(97, 61, {}, landscape);
  std::vector<Frame> frames;
  for (unsigned i = 0; i < 3; ++i) frames.push_back(noisy(clean, 5, 3, i));
  DenoiseSettings off;
  off.luma = off.chroma = 0;
  EXPECT_TRUE(sameSamples(denoiseOne(frames, 1, testing::evenCurve(5, 3), off), frames[1]));
  DenoiseSettings mixed;
  mixed.mix = 1;
  const Frame out = denoiseOne(frames, 1, testing::evenCurve(5, 3), mixed);
  EXPECT_LE(squaredError(out, frames[1], 0, 0, 0, 97, 61), 0.01);
}

TEST(Denoise, FootageWithoutNoiseStaysWithinACode) {
  std::vector<Frame> frames;
  for (int i = 0; i < 5; ++i)
    frames.push_back(testing::paint(192, 128, {}, [&](int x, int y) { return landscape(x + 3 * i, y + i); }));
  // The least noise that a measurement finds: that of rounding.
  const Frame out = denoiseOne(frames, 2, testing::evenCurve(0.29, 0.29), {});
  for (int y = 0; y < out.height; ++y)
    for (int x = 0; x < out.width; ++x)
      EXPECT_NEAR(out.planes[0].row<uint8_t>(y)[x], frames[2].planes[0].row<uint8_t>(y)[x], 1)
          << x << ", " << y;
}

TEST(Denoise, SameBitsForAnyNumberOfThreads) {
  std::vector<Frame> frames;
  for (unsigned i = 0; i < 4; ++i)
    frames.push_back(noisy(
        testing::paint(161, 99, {}, [&](int x, int y) { return landscape(x + 2 * static_cast<int>(i), y); }),
        5, 3, i));
  std::optional<std::vector<Frame>> first;
  for (const int threads : {1, 2, 3, 8}) {
    const ThreadLimit limit(threads);
    const auto out = removed(frames, testing::evenCurve(5, 3), {});
    ASSERT_EQ(out.size(), frames.size());
    if (!first) first = out;
    for (size_t i = 0; i < out.size(); ++i)
      EXPECT_TRUE(sameSamples(out[i], (*first)[i])) << threads << " threads";
  }
}

// Frame numbers and time stamps stay with their pictures whatever is held back.
TEST(Denoise, FramesComeOutOnceAndInOrder) {
  for (const int side : {0, 1, 4})
    for (const size_t count : {size_t{1}, size_t{2}, size_t{7}}) {
      std::vector<Frame> frames;
      for (size_t i = 0; i < count; ++i) {
        frames.push_back(noisy(testing::paint(48, 32, {}, landscape), 4, 2, static_cast<unsigned>(i)));
        frames.back().index = static_cast<int64_t>(i);
        frames.back().pts = static_cast<int64_t>(i) * 512;
      }
      DenoiseSettings settings;
      settings.frames_each_side = side;
      const auto out = removed(frames, testing::evenCurve(4, 2), settings);
      ASSERT_EQ(out.size(), count);
      for (size_t i = 0; i < count; ++i) {
        EXPECT_EQ(out[i].index, static_cast<int64_t>(i));
        EXPECT_EQ(out[i].pts, static_cast<int64_t>(i) * 512);
        EXPECT_GT(psnrOf(out[i], testing::paint(48, 32, {}, landscape), 0),
                  psnrOf(frames[i], testing::paint(48, 32, {}, landscape), 0));
      }
    }
}

TEST(Denoise, ACutLeavesNothingOfTheOtherSide) {
  const Frame before = testing::paint(192, 128, {}, landscape);
  const Frame after = testing::paint(
      192, 128, {}, [](int x, int y) { return 60 + (x * 7 + y * 3) % 31 + (y / 16 % 2) * 50; });
  std::vector<Frame> cut, alone;
  for (unsigned i = 0; i < 6; ++i) cut.push_back(noisy(i < 3 ? before : after, 5, 3, i));
  for (unsigned i = 3; i < 6; ++i) alone.push_back(cut[i]);
  const auto out = removed(cut, testing::evenCurve(5, 3), {}),
             expected = removed(alone, testing::evenCurve(5, 3), {});
  // What the frame before leaves is judged against what the frames of its own side make of it.
  const double own = squaredError(expected[0], after, 0, 8, 8, 184, 120);
  EXPECT_LE(squaredError(out[3], after, 0, 8, 8, 184, 120), own * 1.05 + 0.05);
}

// A textured square crosses in front of a still picture: it keeps what it was, and leaves no trail.
TEST(Denoise, WhatMovesOnItsOwnLeavesNoTrail) {
  constexpr int kSide = 48, kWidth = 352, kHeight = 160;
  for (const int speed : {2, 9, 30}) {
    std::vector<Frame> clean, frames;
    const auto left = [&](int i) { return 40 + speed * i; };
    for (int i = 0; i < 7; ++i) {
      clean.push_back(testing::paint(kWidth, kHeight, {}, [&](int x, int y) {
        const int u = x - left(i), v = y - 56;
        if (u >= 0 && u < kSide && v >= 0 && v < kSide)
          return 60 + (u / 6 + v / 8) % 2 * 60 + (u * 5 + v * 11) % 13;
        return landscape(x, y);
      }));
      frames.push_back(noisy(clean.back(), 6.4, 4, 50 + static_cast<unsigned>(i)));
    }
    const auto out = removed(frames, testing::evenCurve(6.4, 4), {});
    for (int i = 0; i < 7; ++i) {
      const auto error = [&](const Frame& f, int x0, int x1) {
        return squaredError(f, clean[static_cast<size_t>(i)], 0, std::max(0, x0), 56, std::min(kWidth, x1),
                            56 + kSide);
      };
      const Frame &o = out[static_cast<size_t>(i)], &n = frames[static_cast<size_t>(i)];
      EXPECT_LE(error(o, left(i), left(i) + kSide), error(n, left(i), left(i) + kSide))
          << "inside, speed " << speed << " frame " << i;
      EXPECT_LE(error(o, left(i) - 2 * speed - 8, left(i)), error(n, left(i) - 2 * speed - 8, left(i)))
          << "behind, speed " << speed << " frame " << i;
    }
  }
}

// Everything flies out of the picture, further from frame to frame than its border is wide.
TEST(Denoise, MotionBeyondTheBorderIsHeldAtIt) {
  for (const auto& [dx, dy] : {std::pair{44, 0}, {-44, 0}, {0, 44}, {0, -44}, {37, 41}}) {
    std::vector<Frame> frames;
    for (int i = 0; i < 9; ++i)
      frames.push_back(noisy(testing::paint(128, 96, {},
                                            [&](int x, int y) {
                                              const int u = x + dx * i + 4000, v = y + dy * i + 4000;
                                              return 60 + (u * u / 31 + v * v / 17 + u * v / 23) % 120;
                                            }),
                             3, 2, static_cast<unsigned>(i)));
    DenoiseSettings settings;
    settings.frames_each_side = 4;
    const auto out = removed(frames, testing::evenCurve(3, 2), settings);
    ASSERT_EQ(out.size(), frames.size());
    for (size_t i = 0; i < out.size(); ++i) EXPECT_GT(psnrOf(out[i], frames[i], 0), 30);
  }
}

// Parameterised over what cameras store.
class Formats : public ::testing::TestWithParam<PixelFormat> {};
INSTANTIATE_TEST_SUITE_P(Denoise, Formats,
                         ::testing::Values(PixelFormat{Chroma::C420, 8}, PixelFormat{Chroma::C422, 10},
                                           PixelFormat{Chroma::C420, 10}, PixelFormat{Chroma::C444, 8}));

TEST_P(Formats, GainOnAMovingPictureAndColoursStay) {
  const PixelFormat format = GetParam();
  const int unit = 1 << (format.bit_depth - 8);
  std::vector<Frame> clean, frames;
  for (int i = 0; i < 5; ++i) {
    clean.push_back(testing::paint(256, 192, format,
                                   [&](int x, int y) { return landscape(x + 3 * i, y + 2 * i) * unit; }));
    frames.push_back(noisy(clean.back(), 6.4, 4, 90 + static_cast<unsigned>(i)));
  }
  const Frame out = denoiseOne(frames, 2, testing::evenCurve(6.4, 4), {});
  EXPECT_GT(psnrOf(out, clean[2], 0), psnrOf(frames[2], clean[2], 0) + 3.5);
  for (size_t c : {1U, 2U}) EXPECT_GT(psnrOf(out, clean[2], c), psnrOf(frames[2], clean[2], c) + 6);
  // Mean of any 64 × 64 area: no more than 0.3 codes from what it was.
  for (size_t p = 0; p < 3; ++p) {
    const int sx = p == 0 ? 0 : format.shiftX(), sy = p == 0 ? 0 : format.shiftY();
    for (int y0 = 0; y0 + 64 <= 192; y0 += 32)
      for (int x0 = 0; x0 + 64 <= 256; x0 += 32) {
        double sum = 0, n = 0;
        for (int y = y0 >> sy; y < (y0 + 64) >> sy; ++y)
          for (int x = x0 >> sx; x < (x0 + 64) >> sx; ++x, ++n)
            sum += out.planes[p].at(x, y, format.bytesPerSample()) -
                   frames[2].planes[p].at(x, y, format.bytesPerSample());
        EXPECT_NEAR(sum / n / unit, 0, 0.3) << "plane " << p << " at " << x0 << ", " << y0;
      }
  }
}

// A bright disc on grey keeps its place: centroid of what is brighter than the ground.
TEST(Denoise, FeaturesStayWhereTheyAre) {
  const auto disc = [](double cx, double cy) {
    return testing::paint(128, 96, {}, [=](int x, int y) {
      const double r = std::hypot(x - cx, y - cy);
      return static_cast<int>(std::lround(80 + 110 * std::clamp(9.5 - r, 0.0, 1.0)));
    });
  };
  const auto centroid = [](const Frame& f) {
    double sx = 0, sy = 0, n = 0;
    for (int y = 24; y < 72; ++y)
      for (int x = 40; x < 88; ++x) {
        const double w = std::max(0.0, f.planes[0].row<uint8_t>(y)[x] - 110.0);
        sx += w * x, sy += w * y, n += w;
      }
    return std::pair(sx / n, sy / n);
  };
  std::vector<Frame> frames;
  for (int i = 0; i < 5; ++i)
    frames.push_back(noisy(disc(60.2 + 1.3 * i, 47.6 - 0.4 * i), 5, 3, 7 + static_cast<unsigned>(i)));
  const auto [ox, oy] = centroid(denoiseOne(frames, 2, testing::evenCurve(5, 3), {}));
  const auto [cx, cy] = centroid(disc(62.8, 46.8));
  EXPECT_NEAR(ox, cx, 0.05);
  EXPECT_NEAR(oy, cy, 0.05);
}

// Blotches 8 pixels wide lie in the third octave: only a reach of three gets at them.
TEST(Denoise, ReachSaysHowCoarseBlotchesMayBe) {
  const Frame grey = testing::paint(192, 128, {}, [](int, int) { return 120; });
  std::mt19937 random(3);
  std::normal_distribution<double> noise(0, 4);
  std::vector<double> blotch(24 * 16);
  for (double& b : blotch) b = noise(random);
  const Frame blotchy = testing::paint(192, 128, {}, [&](int x, int y) {
    return static_cast<int>(std::lround(120 + blotch[static_cast<size_t>(y / 8 * 24 + x / 8)]));
  });
  NoiseCurve curve = testing::evenCurve(4, 4);
  curve.octaves[0] = {0.1, 0.8, 8, 16};
  const auto left = [&](int reach) {
    DenoiseSettings settings;
    settings.frames_each_side = 0;
    settings.reach = reach;
    return squaredError(denoiseOne({blotchy}, 0, curve, settings), grey, 0, 8, 8, 184, 120);
  };
  const double all = squaredError(blotchy, grey, 0, 8, 8, 184, 120);
  EXPECT_NEAR(left(0), all, 0.1);
  EXPECT_GT(left(1), 0.8 * all);
  // The means of whole blocks, a quarter of these blotches' variance, are never touched.
  EXPECT_LT(left(4), 0.7 * left(1));
  EXPECT_LE(left(4), left(3));
  EXPECT_LT(left(3), left(2));
}

TEST(Denoise, RepeatedFramesAreNoEvidence) {
  const Frame clean = testing::paint(192, 128, {}, landscape);
  const Frame a = noisy(clean, 6, 4, 1), b = noisy(clean, 6, 4, 2);
  DenoiseSettings settings;
  settings.smoothing = 0;
  // a a b b: two pictures, however often they are shown.
  const Frame out = denoiseOne({a, a, b, b}, 1, testing::evenCurve(6, 4), settings);
  EXPECT_GE(squaredError(out, clean, 0, 8, 8, 184, 120), 36.0 / 2 * 0.9);
}

// A drop that is in one frame only goes; a ball that crosses stays what it is.
TEST(Denoise, SpecksAreMendedAndWhatMovesStays) {
  constexpr int kWidth = 256, kHeight = 160;
  std::vector<Frame> clean, frames;
  const auto disc = [](int x, int y, double cx, double cy, double r) {
    return std::hypot(x - cx, y - cy) <= r;
  };
  for (int i = 0; i < 3; ++i) {
    clean.push_back(testing::paint(kWidth, kHeight, {}, [&](int x, int y) {
      if (disc(x, y, 60 + 12 * i, 110, 9)) return 200 + (x + y) % 7;
      return landscape(x + 4 * i, y);
    }));
    Frame frame = noisy(clean.back(), 3, 2, 90 + static_cast<unsigned>(i));
    if (i == 1)
      for (int y = 0; y < kHeight; ++y)
        for (int x = 0; x < kWidth; ++x)
          if (disc(x, y, 170, 50, 4)) frame.planes[0].row<uint8_t>(y)[x] = 230;
    frames.push_back(frame);
  }
  DenoiseSettings settings;
  const Frame kept = denoiseOne(frames, 1, testing::evenCurve(3, 2), settings);
  settings.specks = 1;
  const Frame mended = denoiseOne(frames, 1, testing::evenCurve(3, 2), settings);
  const auto drop = [&](const Frame& f) { return squaredError(f, clean[1], 0, 162, 42, 179, 59); };
  const auto ball = [&](const Frame& f) { return squaredError(f, clean[1], 0, 60, 98, 86, 124); };
  EXPECT_LT(drop(mended), 0.05 * drop(kept));
  EXPECT_LE(ball(mended), ball(kept) * 1.02 + 0.1);
}

// ISO that changes within a clip: each frame by its own curve.
TEST(Denoise, TheCurveMayChangeWithinAClip) {
  const Frame clean = testing::paint(192, 128, {}, landscape);
  std::vector<Frame> frames;
  for (unsigned i = 0; i < 6; ++i) frames.push_back(noisy(clean, i < 3 ? 2 : 8, 2, 70 + i));
  DenoiseSettings settings;
  settings.frames_each_side = 0;
  Denoiser changing(testing::evenCurve(2, 2), settings);
  std::vector<Frame> out;
  for (size_t i = 0; i < frames.size(); ++i) {
    if (i == 3) changing.changeCurve(testing::evenCurve(8, 2));
    if (auto done = changing.push(frames[i])) out.push_back(*done);
  }
  ASSERT_EQ(out.size(), 6U);
  EXPECT_TRUE(sameSamples(out[2], denoiseOne({frames[2]}, 0, testing::evenCurve(2, 2), settings)));
  EXPECT_TRUE(sameSamples(out[4], denoiseOne({frames[4]}, 0, testing::evenCurve(8, 2), settings)));
}

TEST(Denoise, SettingsOutOfRangeAreRefusedByName) {
  const auto refused = [](const std::function<void(DenoiseSettings&)>& spoil) {
    DenoiseSettings s;
    spoil(s);
    EXPECT_THROW(Denoiser(testing::evenCurve(5, 3), s), Error);
  };
  refused([](auto& s) { s.frames_each_side = 5; });
  refused([](auto& s) { s.luma = -1; });
  refused([](auto& s) { s.smoothing = 9; });
  refused([](auto& s) { s.tolerance = 0; });
  refused([](auto& s) { s.mix = 1.5; });
  EXPECT_THROW(Denoiser(NoiseCurve{}, {}), Error);
}

// The mill, panned over: PSNR of luma near 32 dB before. Uncompressed, and as a camera would compress it.
class Panned : public ::testing::TestWithParam<sim::FilmCodec> {};
INSTANTIATE_TEST_SUITE_P(Denoise, Panned, ::testing::Values(sim::FilmCodec::Ffv1, sim::FilmCodec::H264));

TEST_P(Panned, RenderedFootageGains) {
  const testing::ScratchFolder folder;
  auto setup = testing::smallCamera(LensModel::BrownConrady, 640, 360);
  auto settings = testing::smallFilm(7);
  settings.sound = false;
  settings.codec = sim::FilmCodec::Ffv1;
  const ClipInfo truth = probe(testing::makeFilm(folder / "clean.mkv", settings, setup));
  setup.noise = sim::sensorNoiseAt(6400);
  settings.codec = GetParam();
  settings.bit_rate = 12'000'000;
  const ClipInfo clip = probe(testing::makeFilm(folder / "noisy.mkv", settings, setup));
  const std::vector<NoiseShot> shots{{clip, {}}};
  const NoiseCurve curve = measurePatches(shots, 6400).curve;
  std::vector<Frame> frames;
  ClipReader reader(clip);
  while (auto frame = reader.next()) frames.push_back(*frame);
  const Frame wanted = readFrame(truth, 3), out = denoiseOne(frames, 3, curve, {});
  const bool compressed = GetParam() == sim::FilmCodec::H264;
  const double before = psnrOf(frames[3], wanted, 0);
  RecordProperty("before_db", std::to_string(before));
  EXPECT_GT(psnrOf(out, wanted, 0), before + (compressed ? 1.5 : 3.5)) << "from " << before;
  for (size_t c : {1U, 2U})
    EXPECT_GT(psnrOf(out, wanted, c), psnrOf(frames[3], wanted, c) + (compressed ? 1.5 : 6));
  EXPECT_GT(ssim(out, wanted), ssim(frames[3], wanted));
}

}  // namespace
}  // namespace glenhaze
