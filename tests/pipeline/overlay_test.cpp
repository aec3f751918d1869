#include "core/pipeline/overlay.h"

#include <gtest/gtest.h>

#include <cmath>
#include <fstream>

#include "core/base/error.h"
#include "core/media/reader.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {

// A round spot, as bright as it is opaque.
void draw(RgbaPicture& on, Point at, double radius) {
  for (int y = std::max(0, static_cast<int>(at.y) - 12); y < std::min(on.height, static_cast<int>(at.y) + 13);
       ++y)
    for (int x = std::max(0, static_cast<int>(at.x) - 12);
         x < std::min(on.width, static_cast<int>(at.x) + 13); ++x) {
      const double d2 = (x - at.x) * (x - at.x) + (y - at.y) * (y - at.y);
      const auto v = static_cast<float>(std::exp(-d2 / (2 * radius * radius)));
      for (size_t c = 0; c < 4; ++c) {
        float& to = on.row(y)[4 * static_cast<size_t>(x) + c];
        to = std::max(to, v);
      }
    }
}

// Where a spot near `at` has its middle.
Point found(const RgbaPicture& in, Point at) {
  double sum = 0;
  Point middle;
  for (int y = std::max(0, static_cast<int>(at.y) - 9); y < std::min(in.height, static_cast<int>(at.y) + 10);
       ++y)
    for (int x = std::max(0, static_cast<int>(at.x) - 9); x < std::min(in.width, static_cast<int>(at.x) + 10);
         ++x) {
      const double v = in.row(y)[4 * static_cast<size_t>(x) + 3];
      sum += v;
      middle = middle + Point{v * x, v * y};
    }
  return middle * (1 / sum);
}

std::vector<Point> places(PictureSize size) {
  std::vector<Point> all;
  for (int i = 0; i < 5; ++i)
    for (int j = 0; j < 4; ++j)
      all.push_back({14.3 + (size.width - 29.0) * i / 4, 14.6 + (size.height - 29.0) * j / 3});
  return all;
}

// Drawn where the lens's own map says that places of the filmed picture lie in the straight one.
TEST(Overlay, LiesOnWhatWasFilmed) {
  for (const LensModel model : {LensModel::BrownConrady, LensModel::KannalaBrandt, LensModel::Division})
    for (const int room : {0, 61}) {
      const Lens lens = testing::testLens(model, 640, 360);
      const PictureSize filmed{lens.width, lens.height};
      const LensMap map(lens);
      RgbaPicture drawn(lens.width + 2 * room, lens.height + 2 * room);
      std::vector<Point> seen;
      for (const Point p : places(filmed)) {
        const auto straight = map.undistort(p);
        if (!straight) continue;
        const Point at = *straight + Point{static_cast<double>(room), static_cast<double>(room)};
        // Beyond the drawing, where there is no room for it.
        if (at.x < 12 || at.y < 12 || at.x > drawn.width - 13 || at.y > drawn.height - 13) continue;
        draw(drawn, at, 2.5);
        seen.push_back(p);
      }
      EXPECT_GE(seen.size(), room > 0 ? 12U : 6U);
      const RgbaPicture out = redone(drawn, filmed, filmed, straightOf(lens));
      for (const Point p : seen)
        EXPECT_LT(length(found(out, p) - p), 0.1) << lensModelName(model) << " " << p.x << ", " << p.y;
    }
}

TEST(Overlay, OfARenderedPictureLiesOnTheFilmedOneToo) {
  Correction correction;
  correction.lens = testing::testLens(LensModel::BrownConrady, 640, 360);
  correction.fill = 1;
  correction.output = {500, 280};
  const PictureSize filmed{640, 360};
  const Geometry geometry(correction, filmed);
  RgbaPicture drawn(500 + 80, 280 + 40);
  std::vector<Point> seen;
  for (const Point p : places(filmed)) {
    const auto at = geometry.toOutput(p, 0);
    ASSERT_TRUE(at);
    if (at->x < -28 || at->y < -8 || at->x > 527 || at->y > 287) continue;
    draw(drawn, *at + Point{40, 20}, 2.5);
    seen.push_back(p);
  }
  EXPECT_GE(seen.size(), 12U);
  const RgbaPicture out = redone(drawn, filmed, {500, 280}, [&](Point p) { return geometry.toOutput(p, 0); });
  for (const Point p : seen) EXPECT_LT(length(found(out, p) - p), 0.1) << p.x << ", " << p.y;
}

TEST(Overlay, OneThatIsTooSmallIsRefused) {
  const Lens lens = testing::testLens(LensModel::BrownConrady, 640, 360);
  EXPECT_THROW(redone(RgbaPicture(639, 360), {640, 360}, {640, 360}, straightOf(lens)), Error);
}

// Straightened with room for all of it and laid back it is what was filmed, but for what two samplings take.
TEST(Plate, LaidBackIsThePictureAsFilmed) {
  const Lens lens = testing::testLens(LensModel::BrownConrady, 320, 180);
  const Frame frame = testing::millCamera(testing::smallCamera(LensModel::BrownConrady, 320, 180)).frame(0);
  const PictureSize filmed{320, 180}, roomy{320 + 160, 180 + 100};
  const RgbaPicture plate = plateOf(frame, roomy, filmed, filmedOf(lens));
  EXPECT_EQ(plate.row(0)[3], 0.0F) << "nothing was filmed in the corner";
  EXPECT_EQ(plate.row(140)[4 * 240 + 3], 1.0F);
  const RgbaPicture back = redone(plate, filmed, filmed, straightOf(lens));
  // Against the same colours without any bend.
  const RgbaPicture colours = plateOf(frame, filmed, filmed, [](Point p) { return std::optional(p); });
  double squares = 0;
  int count = 0;
  for (int y = 8; y < 172; ++y)
    for (int x = 8; x < 312; ++x) {
      EXPECT_NEAR(back.row(y)[4 * x + 3], 1, 0.01) << x << ", " << y;
      for (int c = 0; c < 3; ++c, ++count)
        squares += std::pow(255.0 * (back.row(y)[4 * x + c] - colours.row(y)[4 * x + c]), 2);
    }
  EXPECT_LT(std::sqrt(squares / count), 4.0);
}

// By BT.709, limited range: what the standard says of three colours (ITU-R BT.709-6, items 3.2 to 3.5).
TEST(Plate, ColoursAreThoseOfTheFootage) {
  Frame frame = testing::paint(32, 32, {Chroma::C444, 8}, [](int, int) { return 63; });
  for (int y = 0; y < 32; ++y)
    for (int x = 0; x < 32; ++x) {
      frame.planes[1].row<uint8_t>(y)[x] = 102;
      frame.planes[2].row<uint8_t>(y)[x] = 240;
    }
  const RgbaPicture red = plateOf(frame, {32, 32}, {32, 32}, [](Point p) { return std::optional(p); });
  EXPECT_NEAR(red.row(16)[4 * 16 + 0], 1, 0.01);
  EXPECT_NEAR(red.row(16)[4 * 16 + 1], 0, 0.01);
  EXPECT_NEAR(red.row(16)[4 * 16 + 2], 0, 0.01);
}

class RgbaFiles : public ::testing::Test {
 protected:
  static RgbaPicture sample(int shift = 0) {
    RgbaPicture p(64, 48);
    for (int y = 0; y < p.height; ++y)
      for (int x = 0; x < p.width; ++x) {
        float* to = p.row(y) + 4 * x;
        to[3] = static_cast<float>(x) / 63;
        for (int c = 0; c < 3; ++c)
          to[c] = to[3] * (0.1F + 0.8F * static_cast<float>((y + 10 * c + shift) % 48) / 47);
      }
    return p;
  }
  static double worst(const RgbaPicture& a, const RgbaPicture& b) {
    double most = a.rgba.size() == b.rgba.size() ? 0 : 1e9;
    for (size_t i = 0; i < std::min(a.rgba.size(), b.rgba.size()); ++i)
      most = std::max(most, static_cast<double>(std::abs(a.rgba[i] - b.rgba[i])));
    return most;
  }
  testing::ScratchFolder folder_;
};

TEST_F(RgbaFiles, ComeBackAsTheyWereWritten) {
  for (const char* name : {"a.png", "a.tif", "a.exr"})
    for (const AlphaKind alpha : {AlphaKind::Straight, AlphaKind::Premultiplied}) {
      RgbaWriter writer(folder_ / name, alpha, {25, 1}, true);
      writer.write(sample());
      writer.finish();
      RgbaReader reader(folder_ / name, alpha);
      EXPECT_TRUE(reader.still());
      const auto back = reader.next();
      ASSERT_TRUE(back) << name;
      // Half precision has 11 bits.
      EXPECT_LT(worst(*back, sample()), std::string(name) == "a.exr" ? 1.0 / 2048 : 3.0 / 65535) << name;
      EXPECT_FALSE(reader.next());
    }
}

TEST_F(RgbaFiles, AFilmAndASequenceKeepTheirOrder) {
  for (const char* name : {"a.mov", "a_%03d.exr", "b_%04d.png"}) {
    RgbaWriter writer(folder_ / name, AlphaKind::Straight, {25, 1}, false);
    for (int i = 0; i < 3; ++i) writer.write(sample(8 * i));
    writer.finish();
    RgbaReader reader(folder_ / name, AlphaKind::Straight);
    EXPECT_FALSE(reader.still());
    for (int i = 0; i < 3; ++i) {
      const auto back = reader.next();
      ASSERT_TRUE(back) << name << " " << i;
      // ProRes: ten bits, its chroma too, and coded with loss.
      EXPECT_LT(worst(*back, sample(8 * i)), std::string(name) == "a.mov" ? 0.05 : 0.001) << name << " " << i;
    }
    EXPECT_FALSE(reader.next()) << name;
  }
}

TEST_F(RgbaFiles, NothingIsReplacedUnasked) {
  std::ofstream(folder_ / "mine.png") << "mine";
  EXPECT_THROW(RgbaWriter(folder_ / "mine.png", AlphaKind::Straight, {25, 1}, false), Error);
  EXPECT_THROW(RgbaWriter(folder_ / "mine.webp", AlphaKind::Straight, {25, 1}, false), Error);
  std::ofstream(folder_ / "s_0002.png") << "mine";
  {
    RgbaWriter writer(folder_ / "s_%04d.png", AlphaKind::Straight, {25, 1}, false);
    writer.write(sample());
    EXPECT_THROW(writer.write(sample()), Error);
  }
  EXPECT_FALSE(std::filesystem::exists(folder_ / "s_0001.png"))
      << "the rest of an unfinished sequence is left";
  EXPECT_EQ(std::filesystem::file_size(folder_ / "s_0002.png"), 4U);
}

TEST_F(RgbaFiles, WhatIsNoPictureIsRefused) {
  std::ofstream(folder_ / "no.png") << "no picture";
  std::ofstream(folder_ / "no.exr") << "no picture";
  EXPECT_THROW(RgbaReader(folder_ / "no.png", AlphaKind::Straight).next(), Error);
  EXPECT_THROW(RgbaReader(folder_ / "no.exr", AlphaKind::Straight).next(), Error);
  EXPECT_THROW(RgbaReader(folder_ / "none_%04d.exr", AlphaKind::Straight).next(), Error);
}

// What another program wrote, and what has no transparency at all.
TEST_F(RgbaFiles, OthersFilesAreRead) {
  testing::makeWithFfmpeg(
      folder_ / "half.mov",
      "-f lavfi -i color=red@0.5:s=64x48:d=0.2,format=rgba -c:v prores_ks -profile:v 4444 "
      "-pix_fmt yuva444p10le");
  const auto half = RgbaReader(folder_ / "half.mov", AlphaKind::Straight).next();
  ASSERT_TRUE(half);
  EXPECT_NEAR(half->row(20)[4 * 20 + 3], 0.5, 0.01);
  EXPECT_NEAR(half->row(20)[4 * 20 + 0], 0.5, 0.02);
  EXPECT_NEAR(half->row(20)[4 * 20 + 1], 0, 0.02);
  testing::makeWithFfmpeg(folder_ / "plain.png",
                          "-f lavfi -i color=white:s=64x48 -frames:v 1 -pix_fmt rgb24");
  const auto plain = RgbaReader(folder_ / "plain.png", AlphaKind::Straight).next();
  ASSERT_TRUE(plain);
  EXPECT_EQ(plain->row(20)[4 * 20 + 3], 1.0F);
  EXPECT_NEAR(plain->row(20)[4 * 20 + 1], 1, 1.1 / 255);
}

}  // namespace
}  // namespace glenhaze
