#include "core/lens/window.h"

#include <gtest/gtest.h>

#include "core/base/error.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {

TEST(LensWindow, FilledFrameHasNoBlankAndWholeLosesNothing) {
  for (const LensModel model : {LensModel::BrownConrady, LensModel::KannalaBrandt, LensModel::Division}) {
    const Lens lens = testing::testLens(model, 1920, 1080);
    const LensWindow filled(lens, {0, 0, 1, 1}), whole(lens, {0, 0, 1, 0});
    EXPECT_EQ(windowCost(filled, lens).blank_share, 0) << lensModelName(model);
    EXPECT_GT(windowCost(whole, lens).blank_share, 0.01) << lensModelName(model);
    if (!whole.wholeIsLimited()) EXPECT_LT(windowCost(whole, lens).lost_share, 0.002) << lensModelName(model);
    EXPECT_LT(whole.zoom(), filled.zoom());
    // A little less zoom must show a blank corner: filled means just filled.
    bool blank = false;
    for (int i = 0; i <= 400 && !blank; ++i) {
      const double t = i / 400.0;
      for (const Point p :
           {Point{t * 1919, 0}, Point{t * 1919, 1079}, Point{0, t * 1079}, Point{1919, t * 1079}}) {
        const Point out{959.5 + (p.x - 959.5) * 1.01, 539.5 + (p.y - 539.5) * 1.01};
        const auto s = filled.toSource(out);
        blank = blank || !s || s->x < 0 || s->y < 0 || s->x > 1919 || s->y > 1079;
      }
    }
    EXPECT_TRUE(blank) << lensModelName(model);
  }
}

TEST(LensWindow, ToOutputUndoesToSource) {
  const Lens lens = testing::testLens(LensModel::KannalaBrandt, 1920, 1080);
  for (const double amount : {1.0, 0.6, 0.0}) {
    const LensWindow window(lens, {1280, 720, amount, 0.7});
    for (const Point p : {Point{3, 5}, Point{640, 360}, Point{1200, 700}, Point{80, 600}}) {
      const auto source = window.toSource(p);
      ASSERT_TRUE(source);
      const auto back = window.toOutput(*source);
      ASSERT_TRUE(back) << amount;
      EXPECT_LT(length(*back - p), 0.01) << amount;
    }
  }
}

TEST(LensWindow, NothingCorrectedIsTheIdentity) {
  const Lens lens = testing::testLens(LensModel::BrownConrady, 640, 360);
  const LensWindow window(lens, {0, 0, 0, 1});
  const auto p = window.toSource({17, 200});
  ASSERT_TRUE(p);
  EXPECT_NEAR(p->x, 17, 1e-6);
  EXPECT_NEAR(p->y, 200, 1e-6);
}

TEST(Enlargement, StraightLensIsOneEverywhere) {
  const LensWindow window(straightLens(640, 360, 500), {});
  for (const float v : enlargementMap(window, 6, 4).mean)
    EXPECT_NEAR(static_cast<double>(v), window.zoom(), 1e-4);
}

TEST(Enlargement, BarrelCornersAreStretchedMost) {
  const Lens lens = testing::testLens(LensModel::BrownConrady, 1920, 1080);
  const EnlargementMap map = enlargementMap(LensWindow(lens, {}), 8, 8);
  EXPECT_GT(map.corner, map.centre * 1.1);
  for (size_t i = 0; i < map.mean.size(); ++i) EXPECT_GE(map.longest[i], map.mean[i] * 0.999F);
}

TEST(LensWindow, RefusesSettingsOutOfRange) {
  const Lens lens = testing::testLens(LensModel::BrownConrady);
  EXPECT_THROW(LensWindow(lens, {0, 0, 1.2, 1}), Error);
  EXPECT_THROW(LensWindow(lens, {0, 0, 1, -0.1}), Error);
}

}  // namespace
}  // namespace glenhaze
