#include "core/lens/model.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "core/base/error.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {

constexpr double kRoundTrip_px = 0.01;  // how right an inverse must be over the whole picture

class EveryModel : public ::testing::TestWithParam<LensModel> {};
INSTANTIATE_TEST_SUITE_P(Lens, EveryModel,
                         ::testing::Values(LensModel::BrownConrady, LensModel::KannalaBrandt,
                                           LensModel::Division),
                         [](const auto& info) {
                           std::string n = lensModelName(info.param);
                           n.erase(std::remove(n.begin(), n.end(), '-'), n.end());
                           return n;
                         });

TEST_P(EveryModel, InverseOfForwardOverThePicture) {
  const LensMap map(testing::testLens(GetParam(), 1920, 1080));
  ASSERT_TRUE(map.coversPicture());
  double worst = 0;
  for (int y = 0; y < 1080; y += 9)
    for (int x = 0; x < 1920; x += 9) {
      const auto ray = map.pixelToRay({x * 1.0, y * 1.0});
      ASSERT_TRUE(ray) << x << "," << y;
      EXPECT_NEAR(ray->x * ray->x + ray->y * ray->y + ray->z * ray->z, 1, 1e-12);
      const auto back = map.rayToPixel(*ray);
      ASSERT_TRUE(back);
      worst = std::max(worst, length(*back - Point{x * 1.0, y * 1.0}));
    }
  EXPECT_LT(worst, kRoundTrip_px / 100);
}

TEST_P(EveryModel, ForwardOfInverseForRandomLenses) {
  std::mt19937 random(7);
  std::uniform_real_distribution<double> unit(-1, 1);
  double worst = 0;
  int inside = 0;
  for (int n = 0; n < 300; ++n) {
    Lens lens = testing::testLens(GetParam(), 1280, 720);
    const double spread = GetParam() == LensModel::KannalaBrandt ? 0.05 : 0.15;
    lens.k[0] += spread * unit(random);
    if (GetParam() != LensModel::Division) lens.k[1] += 0.3 * spread * unit(random);
    const LensMap map(lens);
    for (int i = 0; i < 50; ++i) {
      // Up to the very edge of the field.
      const double share = 1 - std::pow(10, -3 * std::abs(unit(random)));
      const double a = M_PI * unit(random);
      const double r = share * map.field().max_ray;
      Ray ray;
      if (GetParam() == LensModel::KannalaBrandt)
        ray = {std::sin(r) * std::cos(a), std::sin(r) * std::sin(a), std::cos(r)};
      else
        ray = {std::min(r, 8.0) * std::cos(a), std::min(r, 8.0) * std::sin(a), 1};
      const auto pixel = map.rayToPixel(ray);
      if (!pixel) continue;
      // Tangential terms may fold a little earlier than the radial field says; far outside any picture.
      if (std::abs(pixel->x - 640) > 2000 || std::abs(pixel->y - 360) > 2000) continue;
      const auto back = map.pixelToRay(*pixel);
      if (!back) continue;
      const auto again = map.rayToPixel(*back);
      ASSERT_TRUE(again);
      worst = std::max(worst, length(*again - *pixel));
      ++inside;
    }
  }
  EXPECT_GT(inside, 3000);
  EXPECT_LT(worst, kRoundTrip_px);
}

TEST_P(EveryModel, UndistortAndDistortUndoEachOther) {
  const LensMap map(testing::testLens(GetParam(), 1920, 1080));
  for (const Point p :
       {Point{0, 0}, Point{1919, 0}, Point{0, 1079}, Point{1919, 1079}, Point{960, 540}, Point{31, 900}}) {
    const auto straight = map.undistort(p);
    ASSERT_TRUE(straight) << p.x << "," << p.y;
    const auto back = map.distort(*straight);
    ASSERT_TRUE(back);
    EXPECT_LT(length(*back - p), kRoundTrip_px);
  }
}

TEST_P(EveryModel, ScalingKeepsRays) {
  const Lens lens = testing::testLens(GetParam(), 1920, 1080);
  const LensMap large(lens), small(scaledLens(lens, 1280, 720));
  // The picture's corner is half a pixel outside its first pixel's centre, at any size.
  const auto a = large.pixelToRay({(100 + 0.5) * 1.5 - 0.5, (700 + 0.5) * 1.5 - 0.5});
  const auto b = small.pixelToRay({100, 700});
  ASSERT_TRUE(a && b);
  EXPECT_NEAR(a->x, b->x, 1e-9);
  EXPECT_NEAR(a->y, b->y, 1e-9);
}

TEST(Division, ClosedForm) {
  // r = rd / (1 + λ rd²): with λ = −0.2 a distorted radius of 0.5 stands for 0.5 / 0.95.
  Lens lens = straightLens(1000, 1000, 1000);
  lens.model = LensModel::Division;
  lens.k[0] = -0.2;
  const auto ray = LensMap(lens).pixelToRay({lens.cx + 500, lens.cy});
  ASSERT_TRUE(ray);
  EXPECT_NEAR(ray->x / ray->z, 0.5 / 0.95, 1e-12);
}

TEST(KannalaBrandt, WithoutCoefficientsIsEquidistant) {
  Lens lens = straightLens(1000, 1000, 300);
  lens.model = LensModel::KannalaBrandt;
  const auto pixel = LensMap(lens).rayToPixel({std::sin(1.2), 0, std::cos(1.2)});
  ASSERT_TRUE(pixel);
  EXPECT_NEAR(pixel->x - lens.cx, 300 * 1.2, 1e-9);
  // Behind the camera's side plane too: 100° from the axis.
  EXPECT_TRUE(LensMap(lens).rayToPixel({std::sin(1.75), 0, std::cos(1.75)}));
}

TEST(BrownConrady, SaysWhereItFoldsOver) {
  Lens lens = straightLens(1920, 1080, 900);
  lens.k[0] = -0.45;  // r(1 − 0.45 r²) turns back at r = 1/√1.35
  const LensMap map(lens);
  EXPECT_NEAR(map.field().max_ray, 1 / std::sqrt(3 * 0.45), 1e-6);
  EXPECT_FALSE(map.coversPicture());
  EXPECT_FALSE(map.rayToPixel({1.0, 0, 1}));
  EXPECT_FALSE(map.rayToPixel({0, 0, -1}));
}

TEST(Lens, ValidateNamesFieldAndValue) {
  Lens lens = straightLens(1920, 1080, 1000);
  lens.fy = -3;
  try {
    lens.validate();
    FAIL() << "a negative focal length passed";
  } catch (const Error& error) {
    EXPECT_NE(std::string(error.what()).find("focal y"), std::string::npos);
    EXPECT_NE(std::string(error.what()).find("-3"), std::string::npos);
  }
  lens.fy = std::nan("");
  EXPECT_THROW(lens.validate(), Error);
}

}  // namespace
}  // namespace glenhaze
