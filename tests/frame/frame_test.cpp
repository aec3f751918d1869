#include <gtest/gtest.h>

#include <cmath>
#include <tuple>

#include "core/frame/reduce.h"
#include "core/frame/rgb.h"
#include "core/frame/scopes.h"
#include "core/frame/turn.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {

struct Coding {
  int depth;
  Chroma chroma;
  bool full;
  int matrix;  // as in ITU-T H.273: 1 BT.709, 5 BT.601, 9 BT.2020
};

void PrintTo(const Coding& c, std::ostream* out) { *out << c.depth << " bit, matrix " << c.matrix; }

class Screen : public ::testing::TestWithParam<Coding> {};

// K_R and K_B of ITU-R BT.709-6 (3.2), BT.601-7 (2.5.1) and BT.2020-2 (table 4).
std::pair<double, double> weights(int matrix) {
  if (matrix == 1) return {0.2126, 0.0722};
  if (matrix == 5) return {0.299, 0.114};
  return {0.2627, 0.0593};
}

// One even colour gives the R′G′B′ of the standards' equations, at full size and reduced.
TEST_P(Screen, ColoursFollowTheStandards) {
  const Coding c = GetParam();
  const PixelFormat format{c.chroma, c.depth};
  const double scale = 1 << (c.depth - 8);
  for (const auto& [y, cb, cr] : {std::tuple{120, 128, 128},
                                  {81, 90, 200},
                                  {145, 60, 40},
                                  {41, 200, 110},
                                  {235, 128, 128},
                                  {16, 128, 128}}) {
    Frame frame = makeFrame(66, 34, format);
    frame.colour = {c.matrix, c.matrix, c.matrix, c.full, ChromaSiting::Left};
    const int values[3] = {y, cb, cr};
    for (size_t p = 0; p < 3; ++p)
      for (int row = 0; row < frame.planes[p].height; ++row)
        for (int x = 0; x < frame.planes[p].width; ++x) {
          const int value = static_cast<int>(values[p] * scale);
          if (c.depth == 8)
            frame.planes[p].row<uint8_t>(row)[x] = static_cast<uint8_t>(value);
          else
            frame.planes[p].row<uint16_t>(row)[x] = static_cast<uint16_t>(value);
        }
    const auto [kr, kb] = weights(c.matrix);
    // Full range at depth n ends at 2ⁿ − 1, limited range keeps its proportions.
    const double top = c.full ? (255 * scale + scale - 1) / scale : 0;
    const double luma = c.full ? y / top : (y - 16) / 219.0;
    const double b_y = c.full ? (cb - 128) / top : (cb - 128) / 224.0,
                 r_y = c.full ? (cr - 128) / top : (cr - 128) / 224.0;
    const double r = luma + 2 * (1 - kr) * r_y, b = luma + 2 * (1 - kb) * b_y,
                 g = (luma - kr * r - kb * b) / (1 - kr - kb);
    // Reduced pictures go through libswscale, whose fixed point is up to two codes low.
    for (const auto& [w, h, tolerance] : {std::tuple{66, 34, 1.0}, {22, 11, 2.2}}) {
      const ScreenPicture picture = toScreen(frame, w, h);
      ASSERT_EQ(picture.width, w);
      const size_t at = static_cast<size_t>((h / 2) * w + w / 2) * 4;
      const double want[3] = {b, g, r};
      for (size_t i = 0; i < 3; ++i)
        EXPECT_NEAR(picture.bgrx[at + i], std::clamp(want[i] * 255, 0.0, 255.0), tolerance)
            << "channel " << i << " of " << y << ' ' << cb << ' ' << cr << " at " << w;
    }
  }
}

INSTANTIATE_TEST_SUITE_P(
    Codings, Screen,
    ::testing::Values(Coding{8, Chroma::C420, false, 1}, Coding{8, Chroma::C420, true, 1},
                      Coding{8, Chroma::C422, false, 5}, Coding{10, Chroma::C422, false, 1},
                      Coding{10, Chroma::C420, false, 9}, Coding{10, Chroma::C420, true, 5}),
    [](const auto& info) {
      return "bits" + std::to_string(info.param.depth) +
             (info.param.chroma == Chroma::C420 ? "_420" : "_422") +
             (info.param.full ? "_full" : "_limited") + "_matrix" + std::to_string(info.param.matrix);
    });

// Between samples of chroma by their places in the picture, pixel by pixel, also of odd sizes.
TEST(Rgb, ColoursLieWhereTheirSamplesDo) {
  for (const Chroma chroma : {Chroma::C420, Chroma::C422, Chroma::C444})
    for (const int depth : {8, 10})
      for (const ChromaSiting siting : {ChromaSiting::Left, ChromaSiting::Center, ChromaSiting::TopLeft})
        for (const auto& [width, height] : {std::pair{97, 33}, {64, 18}, {1, 1}, {3, 2}}) {
          const PixelFormat format{chroma, depth};
          Frame frame = makeFrame(width, height, format);
          frame.colour = {1, 1, 1, false, siting};
          const int scale = 1 << (depth - 8);
          for (size_t p = 0; p < 3; ++p)
            for (int y = 0; y < frame.planes[p].height; ++y)
              for (int x = 0; x < frame.planes[p].width; ++x) {
                const int value = (60 + (x * 7 + y * 13 + static_cast<int>(p) * 31) % 120) * scale;
                if (depth == 8)
                  frame.planes[p].row<uint8_t>(y)[x] = static_cast<uint8_t>(value);
                else
                  frame.planes[p].row<uint16_t>(y)[x] = static_cast<uint16_t>(value);
              }
          const int bytes = format.bytesPerSample();
          // Linear between the samples of a plane, held at its border.
          const auto at = [&](size_t p, double x, double y) {
            const Plane& plane = frame.planes[p];
            const auto sample = [&](int i, int j) {
              return plane.at(std::clamp(i, 0, plane.width - 1), std::clamp(j, 0, plane.height - 1), bytes) /
                     static_cast<double>(scale);
            };
            const int i = static_cast<int>(std::floor(x)), j = static_cast<int>(std::floor(y));
            const double u = x - i, v = y - j;
            return (sample(i, j) * (1 - u) + sample(i + 1, j) * u) * (1 - v) +
                   (sample(i, j + 1) * (1 - u) + sample(i + 1, j + 1) * u) * v;
          };
          const ScreenPicture picture = toScreen(frame, width, height);
          for (int y = 0; y < height; ++y)
            for (int x = 0; x < width; ++x) {
              const double cx =
                  format.shiftX() == 0 ? x : (x - (siting == ChromaSiting::Center ? 0.5 : 0)) / 2;
              const double cy =
                  format.shiftY() == 0 ? y : (y - (siting == ChromaSiting::TopLeft ? 0 : 0.5)) / 2;
              const double luma = (at(0, x, y) - 16) / 219, cb = (at(1, cx, cy) - 128) / 224,
                           cr = (at(2, cx, cy) - 128) / 224;
              // BT.709 (ITU-R): Kr 0.2126, Kb 0.0722.
              const double r = luma + 1.5748 * cr, b = luma + 1.8556 * cb,
                           g = (luma - 0.2126 * r - 0.0722 * b) / 0.7152;
              const double want[3] = {b, g, r};
              const size_t pixel = static_cast<size_t>(y * width + x) * 4;
              for (size_t i = 0; i < 3; ++i)
                ASSERT_NEAR(picture.bgrx[pixel + i], std::clamp(want[i] * 255, 0.0, 255.0), 0.52)
                    << x << "," << y << " of " << width << ", depth " << depth;
              ASSERT_EQ(picture.bgrx[pixel + 3], 255);
            }
        }
}

TEST(Rgb, ThereAndBackKeepsColours) {
  std::vector<uint8_t> rgb;
  for (int i = 0; i < 64 * 32; ++i) rgb.insert(rgb.end(), {200, 90, 40});
  PixelFormat format;
  const Frame frame = fromRgb(rgb, 64, 32, format, {1, 1, 1, false, ChromaSiting::Left});
  const ScreenPicture back = toScreen(frame, 64, 32);
  EXPECT_NEAR(back.bgrx[4 * 700], 40, 2);
  EXPECT_NEAR(back.bgrx[4 * 700 + 1], 90, 2);
  EXPECT_NEAR(back.bgrx[4 * 700 + 2], 200, 2);
}

// Closed form: one stop is twice the light (sRGB of IEC 61966-2-1, at 18 % grey: 0.18 → 118, 0.36 → 162).
TEST(Rgb, AStopMoreIsTwiceTheLight) {
  const auto same = liftedScreenValues(0), one = liftedScreenValues(1);
  for (size_t i = 0; i < 256; ++i) EXPECT_EQ(same[i], i);
  EXPECT_NEAR(one[118], 162, 1);
  EXPECT_EQ(one[0], 0);
  EXPECT_EQ(one[255], 255);
  EXPECT_TRUE(std::is_sorted(one.begin(), one.end()));
}

TEST(Reduce, HalvesByMeansAndTakesOddSizes) {
  const Frame frame = testing::paint(65, 33, PixelFormat{}, [](int x, int y) { return x + y; });
  const Frame half = halvedFrame(frame);
  ASSERT_EQ(half.width, 32);
  ASSERT_EQ(half.height, 16);
  // Mean of (2x, 2x+1) × (2y, 2y+1) of x + y is 2x + 2y + 1.
  for (int y = 0; y < 16; ++y)
    for (int x = 0; x < 32; ++x) ASSERT_EQ(half.planes[0].row<uint8_t>(y)[x], 2 * x + 2 * y + 1);
}

TEST(Turn, MovesCornersAndComesBack) {
  const Frame frame =
      testing::paint(6, 4, PixelFormat{Chroma::C422, 8}, [](int x, int y) { return 10 * y + x; });
  const Frame turned = turnedFrame(frame, 90);
  ASSERT_EQ(turned.width, 4);
  ASSERT_EQ(turned.height, 6);
  EXPECT_EQ(turned.format.chroma, Chroma::C440);
  // Clockwise: the upper left corner goes to the upper right, the lower left to the upper left.
  EXPECT_EQ(turned.planes[0].row<uint8_t>(0)[3], 0);
  EXPECT_EQ(turned.planes[0].row<uint8_t>(0)[0], 30);
  EXPECT_TRUE(sameSamples(turnedFrame(turned, 270), frame));
  EXPECT_TRUE(sameSamples(turnedFrame(turnedFrame(frame, 180), 180), frame));
  EXPECT_TRUE(sameSamples(turnedFrame(turned, 90), turnedFrame(frame, 180)));
}

TEST(Luma, TenBitsBecomeEight) {
  PixelFormat ten;
  ten.bit_depth = 10;
  const Frame frame = testing::paint(40, 20, ten, [](int x, int) { return x * 25; });
  const std::vector<uint8_t> luma = luma8(frame);
  ASSERT_EQ(luma.size(), 800U);
  for (size_t x = 0; x < 40; ++x) EXPECT_NEAR(luma[x], static_cast<double>(x) * 25 / 4, 1.0);
}

TEST(Scopes, SayHowBrightnessIsSpreadAndWhatIsClipped) {
  // Left half black, right half a red that is at its end.
  constexpr int kWidth = 64, kHeight = 10;
  std::vector<uint8_t> bgrx(4 * kWidth * kHeight);
  for (int y = 0; y < kHeight; ++y)
    for (int x = kWidth / 2; x < kWidth; ++x) {
      uint8_t* p = &bgrx[4 * static_cast<size_t>(y * kWidth + x)];
      p[0] = p[1] = 100;
      p[2] = 255;
    }
  const Scopes s = scopesOf(bgrx, kWidth, kHeight);
  EXPECT_FLOAT_EQ(s.histogram[0][255], 0.5F);
  EXPECT_FLOAT_EQ(s.histogram[0][0], 0.5F);
  EXPECT_FLOAT_EQ(s.histogram[2][100], 0.5F);
  // 0.2126 · 255 + 0.7874 · 100 (ITU-R BT.709-6, item 3.2).
  EXPECT_FLOAT_EQ(s.histogram[3][133], 0.5F);
  EXPECT_DOUBLE_EQ(s.at_white, 0.5);
  EXPECT_DOUBLE_EQ(s.at_black, 0.5);
  EXPECT_FLOAT_EQ(s.waveform[0], 1) << "the first column is all black";
  EXPECT_FLOAT_EQ(s.waveform[static_cast<size_t>(Scopes::kColumns - 4) * Scopes::kLevels + 133 / 2], 1);
  EXPECT_EQ(scopesOf({}, 0, 0).at_white, 0);
}

}  // namespace
}  // namespace glenhaze
