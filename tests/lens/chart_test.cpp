#include "core/lens/chart.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "core/base/error.h"
#include "core/lens/coverage.h"
#include "tests/support/believed.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {

// Corners of a chart seen from `count` sides, projected by our own model, with noise.
std::vector<ChartView> syntheticViews(const Lens& lens, const ChartSpec& spec, int count, double noise_px,
                                      unsigned seed) {
  const LensMap map(lens);
  std::mt19937 random(seed);
  std::normal_distribution<double> noise(0, noise_px);
  std::uniform_real_distribution<double> unit(-1, 1);
  std::vector<ChartView> views;
  while (static_cast<int>(views.size()) < count) {
    const sim::Rotation r = sim::rotationFrom(0.45 * unit(random), 0.45 * unit(random), 0.4 * unit(random));
    const double z = 320 + 120 * unit(random), x0 = 190 * unit(random), y0 = 100 * unit(random);
    ChartView view;
    view.source = "synthetic";
    view.frame = static_cast<int64_t>(views.size());
    view.sharpness = 1;
    for (int row = 0; row < spec.rows; ++row)
      for (int column = 0; column < spec.columns; ++column) {
        const sim::V3 p =
            r * sim::V3{static_cast<float>((column - (spec.columns - 1) / 2.0) * spec.square_mm),
                        static_cast<float>((row - (spec.rows - 1) / 2.0) * spec.square_mm), 0};
        const auto pixel = map.rayToPixel(
            {static_cast<double>(p.x) + x0, static_cast<double>(p.y) + y0, static_cast<double>(p.z) + z});
        if (!pixel || pixel->x < 0 || pixel->y < 0 || pixel->x > lens.width - 1 || pixel->y > lens.height - 1)
          continue;
        view.corners.push_back({pixel->x + noise(random), pixel->y + noise(random)});
      }
    if (view.corners.size() == static_cast<size_t>(spec.columns * spec.rows))
      views.push_back(std::move(view));
  }
  return views;
}

// The largest distance between two lenses' rays over the covered middle of the picture, as px.
double rayDifference(const Lens& a, const Lens& b) {
  const LensMap first(a), second(b);
  double worst = 0;
  for (int y = a.height / 8; y < a.height * 7 / 8; y += a.height / 12)
    for (int x = a.width / 8; x < a.width * 7 / 8; x += a.width / 12) {
      const auto ray = first.pixelToRay({x * 1.0, y * 1.0});
      const auto pixel = ray ? second.rayToPixel(*ray) : std::nullopt;
      if (pixel) worst = std::max(worst, length(*pixel - Point{x * 1.0, y * 1.0}));
    }
  return worst;
}

class ChartModels : public ::testing::TestWithParam<LensModel> {};
INSTANTIATE_TEST_SUITE_P(Lens, ChartModels,
                         ::testing::Values(LensModel::BrownConrady, LensModel::KannalaBrandt));

TEST_P(ChartModels, ExactCornersGiveTheLensBack) {
  const Lens truth = testing::testLens(GetParam(), 1280, 720);
  const ChartFinding finding = solveChart(syntheticViews(truth, {}, 10, 0, 3), 1280, 720, {}, GetParam());
  // Corners pass through single-precision rotations on their way here: about 1e-4 px.
  EXPECT_LT(finding.rms_px, 0.002);
  EXPECT_LT(rayDifference(truth, finding.lens), 0.3);
  EXPECT_EQ(finding.views_used, 10);
}

TEST_P(ChartModels, DeviationsMatchTheSpreadOfRepeatedMeasurements) {
  const Lens truth = testing::testLens(GetParam(), 1280, 720);
  constexpr int kRuns = 10;
  double sum = 0, square = 0, said = 0;
  for (unsigned n = 0; n < kRuns; ++n) {
    const ChartFinding f = solveChart(syntheticViews(truth, {}, 8, 0.2, 20 + n), 1280, 720, {}, GetParam());
    sum += f.lens.fx;
    square += f.lens.fx * f.lens.fx;
    said += f.stddev.at(0) / kRuns;
    EXPECT_NEAR(f.rms_px, 0.2 * std::sqrt(2.0), 0.06);
  }
  const double spread = std::sqrt(square / kRuns - sum / kRuns * sum / kRuns);
  EXPECT_GT(said, spread / 3);
  EXPECT_LT(said, spread * 3);
}

TEST(Chart, TheRightFamilyIsChosen) {
  for (const LensModel model : {LensModel::BrownConrady, LensModel::KannalaBrandt}) {
    Lens truth = testing::testLens(model, 1280, 720);
    const ChartFinding finding =
        solveChart(syntheticViews(truth, {}, 14, 0.1, 5), 1280, 720, {}, std::nullopt);
    EXPECT_EQ(finding.lens.model, model) << finding.model_reason;
    EXPECT_GE(finding.fits.size(), 2U);
  }
}

// Stated: the bend's uncertainty at the corner. Few and many views, both families, charts that reach the
// corners and charts that stay in the middle.
TEST(Chart, TheBendsUncertaintyCanBeBelieved) {
  testing::Believed table("Bend at the corner from a chart, px");
  std::mt19937 random(4);
  for (int i = 0; i < 48; ++i) {
    const bool wide = i % 3 == 2;
    Lens truth = testing::testLens(wide ? LensModel::KannalaBrandt : LensModel::BrownConrady, 1280, 720);
    truth.k[0] *= 0.4 + 0.8 * (random() % 100) / 100.0;
    const int count = std::array{5, 8, 12, 20}[static_cast<size_t>(i) % 4];
    const double noise = std::array{0.05, 0.15, 0.4}[static_cast<size_t>(i / 4) % 3];
    if (!testing::caseRuns(static_cast<size_t>(i))) continue;
    const ChartSpec spec;
    auto views = syntheticViews(truth, spec, count, noise, static_cast<unsigned>(700 + i));
    // The middle alone: what is seen of the corners is taken away.
    if (i % 2 == 1)
      std::erase_if(views, [&](const ChartView& v) {
        return std::any_of(v.corners.begin(), v.corners.end(), [&](Point p) {
          return length(p - Point{639.5, 359.5}) > 560;
        });
      });
    if (views.size() < 3) continue;
    const ChartFinding found = solveChart(views, 1280, 720, spec, std::nullopt);
    table.add((wide ? "fisheye, " : "rectilinear, ") + std::to_string(views.size()) + " views, noise " +
                  std::to_string(noise).substr(0, 4) + (i % 2 == 1 ? ", middle" : ""),
              found.bend.value_px, bendAt(truth, found.bend.at), found.bend.uncertainty_px);
  }
  table.expectBelieved(40);
}

TEST(Chart, ABadViewIsLeftOutAndSaid) {
  const Lens truth = testing::testLens(LensModel::BrownConrady, 1280, 720);
  auto views = syntheticViews(truth, {}, 9, 0.1, 8);
  for (size_t i = 0; i < views[4].corners.size(); ++i)
    views[4].corners[i].x += 6 * std::sin(0.8 * static_cast<double>(i));
  const ChartFinding finding = solveChart(views, 1280, 720, {}, LensModel::BrownConrady);
  EXPECT_FALSE(finding.views[4].left_out.empty());
  EXPECT_EQ(finding.views_used, 8);
  EXPECT_LT(finding.rms_px, 0.2);
}

TEST(Chart, TooFewViewsIsEvidenceThatIsMissing) {
  const Lens truth = testing::testLens(LensModel::BrownConrady, 1280, 720);
  try {
    solveChart(syntheticViews(truth, {}, 2, 0, 1), 1280, 720, {}, std::nullopt);
    FAIL();
  } catch (const Error& error) {
    EXPECT_EQ(error.kind(), ErrorKind::Evidence);
  }
}

TEST(Chart, PickingKeepsDifferentViewsOnly) {
  const Lens truth = testing::testLens(LensModel::BrownConrady, 1280, 720);
  auto views = syntheticViews(truth, {}, 6, 0, 2);
  for (int i = 0; i < 5; ++i) views.push_back(views[0]);
  pickViews(views, 1280, 720);
  int used = 0;
  for (const ChartView& v : views) used += v.left_out.empty() ? 1 : 0;
  EXPECT_EQ(used, 6);
}

TEST(Chart, FoundInARenderedFrame) {
  sim::CameraSetup setup = testing::smallCamera(LensModel::BrownConrady, 640, 360);
  const sim::SimCamera camera(setup, sim::chartScene(), [](double) {
    sim::Pose pose;
    pose.position = {0.05F, 0.02F, -0.75F};
    return pose;
  });
  const auto view = findChart(camera.frame(0), {});
  ASSERT_TRUE(view);
  // Corner (c, r) of the board is at ((c − 4)·0.06, (r − 2.5)·0.06) in the plane z = 0.
  double worst = 0;
  for (int r = 0; r < 6; ++r)
    for (int c = 0; c < 9; ++c) {
      const auto truth =
          camera.project({static_cast<float>(c - 4) * 0.06F, (static_cast<float>(r) - 2.5F) * 0.06F, 0}, 0);
      ASSERT_TRUE(truth);
      double nearest = 1e9;
      for (const Point& p : view->corners) nearest = std::min(nearest, length(p - *truth));
      worst = std::max(worst, nearest);
    }
  EXPECT_LT(worst, 0.25);
  EXPECT_FALSE(findChart(testing::millCamera(setup).frame(0), {}).has_value());
}

TEST(Chart, PaperIsAPdfWithEverySquare) {
  const std::string pdf = chartPdf({});
  EXPECT_EQ(pdf.rfind("%PDF-1.4", 0), 0U);
  size_t squares = 0;
  for (size_t at = pdf.find(" re\n"); at != std::string::npos; at = pdf.find(" re\n", at + 1)) ++squares;
  EXPECT_EQ(squares, 35U);  // half of 10 × 7
  EXPECT_THROW(chartPdf({2, 6, 25}), Error);
}

TEST(Coverage, NamesBareCorners) {
  const std::vector<std::vector<Point>> sets = {{{0, 0}, {600, 0}, {0, 350}}};
  const auto cells = coveredByHulls(sets, 640, 360);
  EXPECT_NEAR(coveredShare(cells), 0.45, 0.06);
  EXPECT_EQ(uncoveredCorners(cells), "the lower right corner");
}

}  // namespace
}  // namespace glenhaze
