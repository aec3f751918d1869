// What a lens is handed over as: under water by Snell's law, and as maps that another library applies.
#include <gtest/gtest.h>

#include <ImfChannelList.h>
#include <ImfFrameBuffer.h>
#include <ImfHeader.h>
#include <ImfInputFile.h>

#include <cmath>
#include <numbers>
#include <opencv2/imgproc.hpp>

#include "core/base/error.h"
#include "core/lens/st_map.h"
#include "core/lens/water.h"
#include "core/run/hand_over.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {

// A ray is followed from a point in the water to the port, bent there by Snell's law, and on to the lens: by
// bisection over where it meets the port.
Point tracedPixel(const LensMap& air, double angle_water, double turn, double index, double port_mm,
                  double subject_mm) {
  const double reach = (port_mm + subject_mm) * std::tan(angle_water);
  double low = 0, high = reach;
  for (int i = 0; i < 80; ++i) {
    const double hit = (low + high) / 2;
    const double in = std::atan2(hit, port_mm);
    const double sin_water = std::sin(in) / index;
    const double end = hit + subject_mm * sin_water / std::sqrt(1 - sin_water * sin_water);
    (end < reach ? low : high) = hit;
  }
  const double in = std::atan2(low, port_mm);
  return *air.rayToPixel({std::sin(in) * std::cos(turn), std::sin(in) * std::sin(turn), std::cos(in)});
}

TEST(Water, AgreesWithRaysThatAreTracedThroughAFlatPort) {
  for (const LensModel model : {LensModel::BrownConrady, LensModel::KannalaBrandt})
    for (const double port : {0.001, 60.0})
      for (const Water water : {Water::Fresh, Water::Sea}) {
        // 47° across and bent as ordinary lenses are; what a model of four or five values cannot follow is
        // below.
        Lens lens = testing::testLens(model, 1920, 1080);
        lens.fx = lens.fy = 2200;
        for (double& k : lens.k) k *= 0.2;
        // Far: 200 m; beside that, six centimetres are nothing.
        const WaterLens wet = underWater(lens, water, {port, 200'000});
        EXPECT_LT(wet.worst_px, 0.02) << lensModelName(model);
        const LensMap air(lens), map(wet.lens);
        int compared = 0;
        for (double angle = 0.02; angle < 0.8; angle += 0.05)
          for (double turn = 0.1; turn < 6; turn += 0.7) {
            const Ray ray{std::tan(angle) * std::cos(turn), std::tan(angle) * std::sin(turn), 1};
            const auto ours = map.rayToPixel(ray);
            if (!ours || ours->x < 0 || ours->y < 0 || ours->x > 1919 || ours->y > 1079) continue;
            const Point traced = tracedPixel(air, angle, turn, refractiveIndex(water), port, 200'000);
            EXPECT_LT(length(*ours - traced), 0.02) << angle << " " << turn;
            ++compared;
          }
        EXPECT_GT(compared, 40);
        // In the middle things look larger by the refractive index.
        EXPECT_NEAR(wet.lens.fx / lens.fx, refractiveIndex(water), 0.002);
      }
}

TEST(Water, AVeryWideViewSaysHowFarItIsOff) {
  const Lens lens = testing::testLens(LensModel::KannalaBrandt, 1920, 1080);
  const WaterLens wet = underWater(lens, Water::Sea);
  EXPECT_GT(wet.worst_px, 0.1);
  const LensMap air(lens), map(wet.lens);
  double worst = 0;
  for (double angle = 0.02; angle < 0.8; angle += 0.02)
    for (double turn = 0.1; turn < 6; turn += 0.7) {
      const Point traced = tracedPixel(air, angle, turn, refractiveIndex(Water::Sea), 0.001, 1e6);
      if (traced.x < 0 || traced.y < 0 || traced.x > 1919 || traced.y > 1079) continue;
      const auto ours =
          map.rayToPixel({std::tan(angle) * std::cos(turn), std::tan(angle) * std::sin(turn), 1});
      if (ours) worst = std::max(worst, length(*ours - traced));
    }
  EXPECT_LT(worst, 1.1 * wet.worst_px);
}

TEST(Water, ANearSubjectBehindAPortIsSmaller) {
  const Lens lens = testing::testLens(LensModel::BrownConrady, 1920, 1080);
  const WaterLens near = underWater(lens, Water::Fresh, {80, 500}), far = underWater(lens, Water::Fresh);
  EXPECT_LT(near.lens.fx, far.lens.fx);
  EXPECT_THROW(underWater(lens, Water::Fresh, {-1, 500}), Error);
}

TEST(Water, ThereAndBack) {
  for (const double angle : {0.1, 0.4, 0.7})
    EXPECT_NEAR(std::sin(angleInAir(angle, {}, 1.333)), 1.333 * std::sin(angle), 1e-6);
}

// A smooth picture, so that what is left is the maps' own error and not that of two kernels.
cv::Mat smoothPicture(int width, int height) {
  cv::Mat picture(height, width, CV_32F);
  for (int y = 0; y < height; ++y)
    for (int x = 0; x < width; ++x)
      picture.at<float>(y, x) =
          static_cast<float>(128 + 60 * std::sin(x / 17.0) * std::cos(y / 13.0) + 0.1 * x);
  return picture;
}

StMap readBack(const std::filesystem::path& file) {
  Imf::InputFile in(file.c_str());
  const Imath::Box2i box = in.header().dataWindow();
  StMap map{box.max.x + 1, box.max.y + 1, {}, {}};
  map.s.resize(static_cast<size_t>(map.width) * static_cast<size_t>(map.height));
  map.t = map.s;
  Imf::FrameBuffer buffer;
  const size_t row = sizeof(float) * static_cast<size_t>(map.width);
  buffer.insert("R", Imf::Slice(Imf::FLOAT, reinterpret_cast<char*>(map.s.data()), sizeof(float), row));
  buffer.insert("G", Imf::Slice(Imf::FLOAT, reinterpret_cast<char*>(map.t.data()), sizeof(float), row));
  in.setFrameBuffer(buffer);
  in.readPixels(0, map.height - 1);
  EXPECT_NE(in.header().channels().findChannel("A"), nullptr);
  return map;
}

// As any other program would: positions from the map, the picture from OpenCV.
cv::Mat applied(const StMap& map, const cv::Mat& picture) {
  cv::Mat x(map.height, map.width, CV_32F), y(map.height, map.width, CV_32F), out;
  for (int row = 0; row < map.height; ++row)
    for (int column = 0; column < map.width; ++column) {
      const size_t i = static_cast<size_t>(row * map.width + column);
      x.at<float>(row, column) = map.s[i] * static_cast<float>(picture.cols) - 0.5F;
      y.at<float>(row, column) = (1 - map.t[i]) * static_cast<float>(picture.rows) - 0.5F;
    }
  cv::remap(picture, out, x, y, cv::INTER_CUBIC, cv::BORDER_CONSTANT, cv::Scalar(-1));
  return out;
}

TEST(StMaps, AppliedByOpenCvTheyGiveOurOwnPictureBothWays) {
  const testing::ScratchFolder folder;
  const Lens lens = testing::testLens(LensModel::BrownConrady, 320, 180);
  const double room = 0.25;
  const PictureSize roomy = roomySize({lens.width, lens.height}, room);
  EXPECT_EQ(roomy.width, 480);
  writeStMap(mapOf(HandOver(lens), MapDirection::Undistort, room, 0), folder / "u.exr");
  writeStMap(mapOf(HandOver(lens), MapDirection::Distort, room, 0), folder / "d.exr");
  const cv::Mat filmed = smoothPicture(320, 180);
  const cv::Mat straight = applied(readBack(folder / "u.exr"), filmed);
  ASSERT_EQ(straight.cols, roomy.width);
  // Ours: the picture's closed form at the place that the lens says.
  const LensMap map(lens);
  double worst = 0;
  for (int y = 45; y < 225; ++y)
    for (int x = 80; x < 400; ++x) {
      const auto at = map.distort({x - 80.0, y - 45.0});
      if (!at || at->x < 3 || at->y < 3 || at->x > 316 || at->y > 176) continue;
      const double truth = 128 + 60 * std::sin(at->x / 17.0) * std::cos(at->y / 13.0) + 0.1 * at->x;
      worst = std::max(worst, std::abs(truth - static_cast<double>(straight.at<float>(y, x))));
    }
  EXPECT_LT(worst, 1);
  // And back again onto what was filmed.
  const cv::Mat back = applied(readBack(folder / "d.exr"), straight);
  ASSERT_EQ(back.cols, 320);
  worst = 0;
  for (int y = 4; y < 176; ++y)
    for (int x = 4; x < 316; ++x)
      worst = std::max(worst, std::abs(static_cast<double>(back.at<float>(y, x) - filmed.at<float>(y, x))));
  EXPECT_LT(worst, 1);
}

TEST(StMaps, WhatCannotBeWrittenLeavesNothing) {
  const testing::ScratchFolder folder;
  EXPECT_THROW(
      writeStMap(mapOf(HandOver(testing::testLens(LensModel::Division, 64, 36)), MapDirection::Distort, 0, 0),
                 folder / "none" / "m.exr"),
      Error);
  EXPECT_THROW(mapOf(HandOver(testing::testLens(LensModel::Division, 64, 36)), MapDirection::Distort, -1, 0),
               Error);
  EXPECT_TRUE(std::filesystem::is_empty(folder.path()));
}

}  // namespace
}  // namespace glenhaze
