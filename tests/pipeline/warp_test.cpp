#include "core/pipeline/warp.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <random>

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/pipeline/correction.h"
#include "core/pipeline/detail/sample_kernel.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {

constexpr double kGrid_px = 0.02;  // allowed distance of the interpolated map from the exact one

std::optional<Point> same(Point p) { return p; }

TEST(WarpGrid, WithinTwoHundredthsOfTheExactMap) {
  for (const LensModel model : {LensModel::BrownConrady, LensModel::KannalaBrandt, LensModel::Division})
    for (const double fill : {0.0, 1.0})
      for (const PictureSize size : {PictureSize{1920, 1080}, PictureSize{333, 187}}) {
        const Lens lens = testing::testLens(model, size.width, size.height);
        const LensWindow window(lens, {size.width, size.height, 1, fill});
        const WarpGrid grid(size, size, [&](Point p) { return window.toSource(p); });
        double worst = 0;
        int compared = 0;
        for (int y = 0; y < size.height; y += 3)
          for (int x = 0; x < size.width; x += 5) {
            const Point p{x + 0.25, static_cast<double>(y)};
            const auto exact = window.toSource(p), ours = grid.at(p);
            if (!exact || !ours || exact->x < -20 || exact->y < -20 || exact->x > size.width + 20 ||
                exact->y > size.height + 20)
              continue;
            worst = std::max(worst, length(*exact - *ours));
            ++compared;
          }
        EXPECT_LT(worst, kGrid_px) << lensModelName(model) << " fill " << fill << " " << size.width;
        EXPECT_GT(compared, 1000);
      }
}

TEST(Warp, IdentityChangesNothing) {
  for (const PixelFormat format : {PixelFormat{Chroma::C420, 8}, PixelFormat{Chroma::C422, 10},
                                   PixelFormat{Chroma::C444, 16}, PixelFormat{Chroma::Mono, 8}})
    for (const PictureSize size :
         {PictureSize{97, 61}, PictureSize{1, 1}, PictureSize{16, 16}, PictureSize{64, 2}}) {
      std::mt19937 random(1);
      Frame frame = makeFrame(size.width, size.height, format);
      for (size_t p = 0; p < static_cast<size_t>(format.numPlanes()); ++p)
        for (int y = 0; y < frame.planes[p].height; ++y)
          for (int x = 0; x < frame.planes[p].width; ++x) {
            const auto v = static_cast<uint16_t>(random() % static_cast<unsigned>(format.maxValue() + 1));
            if (format.bit_depth > 8)
              frame.planes[p].row<uint16_t>(y)[x] = v;
            else
              frame.planes[p].row<uint8_t>(y)[x] = static_cast<uint8_t>(v);
          }
      const Frame out = warpFrame(frame, WarpGrid(size, size, same), format);
      EXPECT_TRUE(sameSamples(frame, out)) << size.width << "x" << size.height << " " << format.bit_depth;
    }
}

TEST(Warp, ConstantStaysConstantThroughAnyLens) {
  const Frame frame = testing::paint(320, 180, {Chroma::C420, 8}, [](int, int) { return 137; });
  for (const LensModel model : {LensModel::BrownConrady, LensModel::KannalaBrandt}) {
    Correction correction;
    correction.lens = testing::testLens(model);
    correction.output = {250, 150};
    const Frame out = correctFrame(frame, Geometry(correction, {320, 180}), frame.format);
    for (int y = 0; y < out.height; ++y)
      for (int x = 0; x < out.width; ++x) ASSERT_EQ(out.planes[0].at(x, y, 1), 137) << x << "," << y;
    for (int y = 0; y < out.planes[1].height; ++y)
      for (int x = 0; x < out.planes[1].width; ++x) ASSERT_EQ(out.planes[1].at(x, y, 1), 128);
  }
}

// Lanczos kernels reproduce slow waves; the closed form is the shifted wave itself.
TEST(Warp, SineKeepsNinetyPercentAtHalfOfNyquist) {
  constexpr double kOmega = M_PI / 2;  // half of Nyquist: 4 px per period
  double least = 1e9;
  for (const double shift : {0.1, 0.25, 0.5, 0.75}) {
    const Frame frame = testing::paint(256, 32, {Chroma::Mono, 8}, [&](int x, int) {
      return static_cast<int>(std::lround(128 + 100 * std::sin(kOmega * x)));
    });
    const WarpGrid grid({256, 32}, {256, 32}, [&](Point p) {
      return std::optional(Point{p.x + shift, p.y + shift});
    });
    const Frame out = warpFrame(frame, grid, frame.format);
    double s = 0, c = 0;
    int n = 0;
    for (int x = 32; x < 224; ++x, ++n) {
      s += (out.planes[0].at(x, 16, 1) - 128) * std::sin(kOmega * x);
      c += (out.planes[0].at(x, 16, 1) - 128) * std::cos(kOmega * x);
    }
    least = std::min(least, 2 * std::hypot(s, c) / n);
  }
  EXPECT_GE(least, 90);
}

// Closed form: a plane wave seen through a turned and scaled map is a plane wave. Gentle turns are sampled
// along the source's curves, steeper ones tap by tap: both must keep its contrast, and put it in its place.
TEST(Warp, WavesKeepContrastAndPlaceThroughTurns) {
  constexpr int kWidth = 384, kHeight = 288;
  for (const auto& [fx, fy] : {std::pair{0.25, 0.0}, {0.0, 0.25}, {0.18, 0.18}, {0.18, -0.18}}) {
    const auto wave = [fx = fx, fy = fy](double x, double y) {
      return 400 * std::sin(2 * M_PI * (fx * x + fy * y));
    };
    const Frame frame = testing::paint(kWidth, kHeight, {Chroma::Mono, 10}, [&](int x, int y) {
      return static_cast<int>(std::lround(512 + wave(x, y)));
    });
    for (const double degrees : {0.3, 4.0, 11.0, 13.0, 30.0})
      for (const double zoom : {0.97, 1.15}) {
        const double c = std::cos(degrees * M_PI / 180) * zoom, s = std::sin(degrees * M_PI / 180) * zoom;
        const auto map = [&](Point p) {
          const double x = p.x - 80, y = p.y - 60;
          return Point{192.3 + c * x - s * y, 144.6 + s * x + c * y};
        };
        const Frame out = warpFrame(
            frame, WarpGrid({160, 120}, {kWidth, kHeight}, [&](Point p) { return std::optional(map(p)); }),
            frame.format);
        double inner = 0, norm = 0, error = 0;
        for (int y = 0; y < 120; ++y)
          for (int x = 0; x < 160; ++x) {
            const Point at = map({static_cast<double>(x), static_cast<double>(y)});
            const double expected = wave(at.x, at.y), got = out.planes[0].at(x, y, 2) - 512;
            inner += expected * got;
            norm += expected * expected;
            error += (got - expected) * (got - expected);
          }
        const auto where = ::testing::Message()
                           << fx << "," << fy << " turned by " << degrees << "°, × " << zoom;
        EXPECT_GT(inner / norm, zoom > 1 ? 0.85 : 0.93)
            << where;  // shrunk by 15 %, 0.25 is nearer to the new limit
        EXPECT_LT(std::sqrt(error / norm), zoom > 1 ? 0.16 : 0.08) << where;
      }
  }
}

TEST(Warp, ShrinkingLetsNoAliasThrough) {
  // A pattern above the Nyquist limit of the half-size picture must turn grey, not into a slow wave.
  const Frame frame =
      testing::paint(512, 64, {Chroma::Mono, 8}, [](int x, int) { return x % 2 != 0 ? 220 : 30; });
  const WarpGrid grid({256, 32}, {512, 64}, [](Point p) {
    return std::optional(Point{2 * p.x + 0.5, 2 * p.y + 0.5});
  });
  const Frame out = warpFrame(frame, grid, frame.format);
  for (int x = 8; x < 248; ++x) EXPECT_NEAR(out.planes[0].at(x, 16, 1), 125, 6) << x;
}

TEST(Warp, SameBitsForAnyNumberOfThreads) {
  const Frame frame = testing::millCamera(testing::smallCamera()).frame(0);
  Correction correction;
  correction.lens = testing::testLens(LensModel::BrownConrady);
  const Geometry geometry(correction, {320, 180});
  const Frame reference = correctFrame(frame, geometry, frame.format);
  for (const int threads : {1, 2, 3, 8}) {
    const ThreadLimit limit(threads);
    EXPECT_TRUE(sameSamples(reference, correctFrame(frame, geometry, frame.format))) << threads;
  }
}

TEST(Warp, ChromaFollowsLuma) {
  // A coloured square moved by a whole number of chroma samples moves exactly, in both rasters.
  for (const ChromaSiting siting : {ChromaSiting::Left, ChromaSiting::Center, ChromaSiting::TopLeft}) {
    Frame frame = testing::paint(64, 64, {Chroma::C420, 8}, [](int x, int y) {
      return x >= 20 && x < 40 && y >= 20 && y < 40 ? 200 : 50;
    });
    frame.colour.siting = siting;
    for (int y = 0; y < 32; ++y)
      for (int x = 0; x < 32; ++x)
        frame.planes[2].row<uint8_t>(y)[x] = x >= 10 && x < 20 && y >= 10 && y < 20 ? 220 : 128;
    const WarpGrid grid({64, 64}, {64, 64}, [](Point p) { return std::optional(Point{p.x - 4, p.y - 6}); });
    const Frame out = warpFrame(frame, grid, frame.format);
    for (int y = 10; y < 60; ++y)
      for (int x = 10; x < 60; ++x) {
        EXPECT_EQ(out.planes[0].at(x, y, 1), frame.planes[0].at(x - 4, y - 6, 1));
        EXPECT_EQ(out.planes[2].at(x / 2, y / 2, 1), frame.planes[2].at(x / 2 - 2, y / 2 - 3, 1));
      }
  }
}

TEST(Warp, BlankIsBlackInEveryRange) {
  for (const bool full : {false, true}) {
    Frame frame = testing::paint(64, 64, {Chroma::C420, 10}, [](int, int) { return 700; });
    frame.colour.full_range = full;
    const WarpGrid grid({64, 64}, {64, 64},
                        [](Point p) { return p.x < 20 ? std::nullopt : std::optional(p); });
    const Frame out = warpFrame(frame, grid, frame.format);
    EXPECT_EQ(out.planes[0].at(3, 30, 2), full ? 0 : 64);
    EXPECT_EQ(out.planes[1].at(3, 15, 2), 512);
    EXPECT_EQ(out.planes[0].at(50, 30, 2), 700);
  }
}

TEST(Warp, DepthConversionKeepsLevels) {
  const Frame frame = testing::paint(32, 32, {Chroma::C420, 8}, [](int x, int) { return 16 + x * 6; });
  const Frame ten = convertFormat(frame, {Chroma::C422, 10});
  for (int x = 0; x < 32; ++x) EXPECT_EQ(ten.planes[0].at(x, 5, 2), 4 * (16 + x * 6));
  const Frame back = convertFormat(ten, {Chroma::C420, 8});
  for (int x = 0; x < 32; ++x) EXPECT_EQ(back.planes[0].at(x, 5, 1), 16 + x * 6);
}

TEST(Warp, RefusesAnotherPictureSize) {
  const Frame frame = testing::paint(64, 64, {Chroma::C420, 8}, [](int, int) { return 50; });
  EXPECT_THROW(warpFrame(frame, WarpGrid({64, 64}, {32, 32}, same), frame.format), Error);
}

// The rendered scene through the measured truth: straightened, the picture must equal the picture of a
// camera without distortion, because the simulator can be that camera too.
TEST(Warp, CorrectedPictureEqualsAStraightCamerasPicture) {
  sim::CameraSetup bent = testing::smallCamera(LensModel::BrownConrady, 640, 360);
  bent.samples = 9;
  Correction correction;
  correction.lens = bent.lens;
  const LensWindow window(bent.lens, {});
  sim::CameraSetup straight = bent;
  straight.lens = straightLens(640, 360, 1);
  straight.lens.fx = bent.lens.fx * window.zoom();
  straight.lens.fy = bent.lens.fy * window.zoom();
  straight.lens.cx = (bent.lens.cx - 319.5) * window.zoom() + 319.5;
  straight.lens.cy = (bent.lens.cy - 179.5) * window.zoom() + 179.5;
  const Frame corrected =
      correctFrame(testing::millCamera(bent).frame(0), Geometry(correction, {640, 360}), bent.format);
  const Frame truth = testing::millCamera(straight).frame(0);
  const double right = testing::lumaPsnr(corrected, truth, 12);
  const double uncorrected = testing::lumaPsnr(testing::millCamera(bent).frame(0), truth, 12);
  EXPECT_GT(right, 29);
  EXPECT_GT(right, uncorrected + 8);
}

TEST(SampleKernel, AgreesWithThePlainVersion) {
  std::mt19937 random(9);
  std::uniform_real_distribution<float> unit(0, 1);
  for (const int taps : {6, 8, 10, 16, 24}) {
    const int padded = (taps + 7) / 8 * 8;
    std::vector<float> weights(static_cast<size_t>(256 * padded), 0.0F);
    for (int p = 0; p < 256; ++p)
      for (int t = 0; t < taps; ++t)
        weights[static_cast<size_t>(p * padded + t)] = (unit(random) - 0.3F) / static_cast<float>(taps);
    const detail::KernelTable table{weights.data(), taps, padded};
    const int stride = 160, rows = 120;
    std::vector<uint8_t> bytes(static_cast<size_t>(stride * rows));
    std::vector<uint16_t> words(bytes.size());
    for (auto& b : bytes) b = static_cast<uint8_t>(random());
    for (auto& w : words) w = static_cast<uint16_t>(random());
    for (const int count : {1, 3, 4, 15, 16, 17, 50}) {
      std::vector<float> xs, ys, fast(64), slow(64);
      for (int i = 0; i < count; ++i) {
        xs.push_back(unit(random) * 80);
        ys.push_back(unit(random) * 60);
      }
      const auto check = [&](const detail::PaddedSource& source, double scale) {
        detail::sampleRun(source, table, table, xs.data(), ys.data(), count, fast.data());
        detail::sampleRunReference(source, table, table, xs.data(), ys.data(), count, slow.data());
        // Float sums of up to 576 products against double ones.
        for (int i = 0; i < count; ++i)
          EXPECT_NEAR(static_cast<double>(fast[static_cast<size_t>(i)]),
                      static_cast<double>(slow[static_cast<size_t>(i)]), scale * 2e-5)
              << taps << " " << count << " " << i;
      };
      check({bytes.data() + 30 * stride + 40, stride, 1}, 255);
      check({words.data() + 30 * stride + 40, stride, 2}, 65535);
    }
  }
}

// A picture on a larger or smaller one: the same samples as without, black beside it.
TEST(Canvas, BarsAreBlackAndThePictureIsTheSame) {
  const PixelFormat format{Chroma::C420, 8};
  const Frame source =
      testing::paint(96, 54, format, [](int x, int y) { return 60 + (7 * x + 11 * y) % 130; });
  for (const bool bent : {false, true}) {
    Correction plain;
    if (bent) plain.lens = testing::testLens(LensModel::BrownConrady, 96, 54);
    const Frame alone = correctFrame(source, Geometry(plain, {96, 54}), format);
    for (const auto& [size, x, y] :
         {Canvas{{96, 72}, 0, 10}, Canvas{{128, 54}, 16, 0}, Canvas{{60, 40}, -18, -8}}) {
      Correction on = plain;
      on.canvas = {size, x, y};
      const Geometry geometry(on, {96, 54});
      EXPECT_EQ(geometry.output(), size);
      const Frame out = correctFrame(source, geometry, format);
      ASSERT_EQ(PictureSize(out.width, out.height), size);
      for (int row = 0; row < size.height; ++row)
        for (int column = 0; column < size.width; ++column) {
          const int at_x = column - x, at_y = row - y;
          const bool inside = at_x >= 0 && at_y >= 0 && at_x < 96 && at_y < 54;
          EXPECT_NEAR(out.planes[0].at(column, row, 1), inside ? alone.planes[0].at(at_x, at_y, 1) : 16,
                      inside ? 1 : 0)
              << column << ", " << row << (bent ? " bent" : "");
        }
      if (bent) continue;
      const auto there = geometry.toOutput({10, 20}, 0);
      ASSERT_TRUE(there);
      EXPECT_NEAR(there->x, 10 + x, 1e-6);
      EXPECT_NEAR(geometry.toSource(*there, 0)->y, 20, 1e-6);
    }
  }
}

TEST(Canvas, ADraftStandsWhereTheWholeDoes) {
  Correction on;
  on.output = {160, 90};
  on.canvas = {{160, 120}, 0, 15};
  const Correction half = correctionAt(on, {320, 180}, {160, 90});
  EXPECT_EQ(half.output, (PictureSize{80, 45}));
  EXPECT_EQ(half.canvas, (Canvas{{80, 60}, 0, 7}));
}

}  // namespace
}  // namespace glenhaze
