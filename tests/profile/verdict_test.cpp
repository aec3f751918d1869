// How good a measurement is, in words.
#include "core/profile/verdict.h"

#include <gtest/gtest.h>

namespace glenhaze {
namespace {

ChartFinding chart(double uncertainty_px, int width = 1920) {
  ChartFinding f;
  f.lens.width = width;
  f.lens.height = width * 9 / 16;
  f.bend.uncertainty_px = uncertainty_px;
  f.covered.assign(static_cast<size_t>(kCoverageColumns * kCoverageRows), true);
  return f;
}

bool begins(const std::string& text, const char* with) { return text.rfind(with, 0) == 0; }

TEST(Verdict, OfALensSaysHowSureItsCornerIs) {
  EXPECT_EQ(verdictOf(chart(0.3)), "Good: sure to 0.3 px at the corner.");
  EXPECT_TRUE(begins(verdictOf(chart(2.5)), "Fair: may be off by 2.5 px")) << verdictOf(chart(2.5));
  EXPECT_TRUE(begins(verdictOf(chart(12)), "Weak: may be off by 12 px"));
  EXPECT_TRUE(begins(verdictOf(chart(-1)), "How sure it is cannot be told"));
  // The same share of a larger picture is as good.
  EXPECT_TRUE(begins(verdictOf(chart(1.8, 3840)), "Good"));
  EXPECT_TRUE(begins(verdictOf(chart(1.8, 1920)), "Fair"));
}

TEST(Verdict, OfALensSaysWhatWouldMakeItBetter) {
  ChartFinding f = chart(0.3);
  for (int y = 0; y < kCoverageRows / 2; ++y)
    for (int x = 0; x < kCoverageColumns / 2; ++x)
      f.covered[static_cast<size_t>(y * kCoverageColumns + x)] = false;
  EXPECT_EQ(
      verdictOf(f),
      "Good: sure to 0.3 px at the corner. A view of the chart in the upper left corner would settle it.");
  EdgeFinding edges;
  edges.lens = f.lens;
  edges.bend = f.bend;
  edges.covered = f.covered;
  EXPECT_NE(verdictOf(edges).find("An edge in the upper left corner"), std::string::npos);
  edges.covered.assign(edges.covered.size(), false);
  EXPECT_NE(verdictOf(edges).find("An edge in the corners"), std::string::npos);
}

TEST(Verdict, OfAShutter) {
  ShutterFinding f;
  f.shutter.readout_s = 0.015;
  f.uncertainty_s = 0.0002;
  f.kind = ShutterPlot::Lean;
  EXPECT_EQ(verdictOf(f), "Good: sure to 1.3 %.");
  f.uncertainty_s = 0.0006;
  EXPECT_EQ(verdictOf(f), "Fair: may be off by 4.0 %. A faster pan past more uprights would make it surer.");
  f.uncertainty_s = 0.003;
  f.kind = ShutterPlot::Bands;
  EXPECT_TRUE(begins(verdictOf(f), "Weak"));
  EXPECT_NE(verdictOf(f).find("lamp"), std::string::npos);
  f.global = true;
  EXPECT_TRUE(begins(verdictOf(f), "Good: all rows"));
}

TEST(Verdict, OfANoiseCurve) {
  NoiseFinding f;
  for (const double level : {40.0, 90.0, 140.0, 200.0}) {
    NoisePoint p;
    p.level = level;
    p.weight = {1000, 500, 500};
    f.points.push_back(p);
  }
  f.curve.level = {0, 64, 128, 192, 255};
  f.curve.sigma[0] = {2, 2, 2, 2, 2};
  f.curve.spread[0] = {1, 0.06, 0.06, 0.06, 1};
  EXPECT_EQ(verdictOf(f), "Good: sure to 3.0 % between the levels 40 and 200.");
  f.points.erase(f.points.begin());
  EXPECT_NE(verdictOf(f).find("Darker places"), std::string::npos);
  f.points.resize(1);
  EXPECT_TRUE(begins(verdictOf(f), "Weak: seen at one brightness"));
}

TEST(Verdict, OfFootage) {
  FootageLens f;
  f.focal_uncertainty = 0.005;
  f.bend_told = true;
  f.seen_to = 1;
  EXPECT_EQ(verdictOf(f), "Good: the focal length is sure to 0.5 %.");
  f.focal_uncertainty = 0.02;
  f.turned_deg = 17;
  f.bend_told = false;
  EXPECT_EQ(verdictOf(f),
            "Fair: the focal length may be off by 2.0 %. A clip that turns further than 17° would make it "
            "surer. The "
            "bend does not show: edges or a chart would tell it.");
}

}  // namespace
}  // namespace glenhaze
