// Edge response, crispness and calming against closed forms: an edge softened by a Gaussian, and one that was
// sharpened by a known amount.
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

#include "core/finish/edge_response.h"
#include "core/finish/edges_finding.h"
#include "core/finish/finisher.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {

constexpr double kLow = 60, kHigh = 180;

double softStep(double x, double sigma) { return 0.5 * std::erfc(-x / (sigma * std::numbers::sqrt2)); }

// A straight edge, softened by a Gaussian that stands for lens and pixel, sharpened, with noise.
struct EdgeScene {
  double slant_deg = 5, soft = 0.8;
  Sharpening sharpening;
  double noise = 0;
  bool upright = true;
  double at(double x, double y) const {
    if (!upright) std::swap(x, y);
    const double a = slant_deg * std::numbers::pi / 180, d = (x - 64) * std::cos(a) + (y - 64) * std::sin(a);
    const double plain = softStep(d, soft);
    const double blurred =
        sharpening.amount > 0 ? softStep(d, std::hypot(soft, sharpening.radius_px)) : plain;
    return kLow + (kHigh - kLow) * (plain + sharpening.amount * (plain - blurred));
  }
  Frame frame(int bits = 8, unsigned seed = 1) const {
    std::mt19937 random(seed);
    std::normal_distribution<double> gauss(0, noise > 0 ? noise : 1);
    return testing::paint(128, 128, {Chroma::C420, bits}, [&](int x, int y) {
      const double v = at(x, y) + (noise > 0 ? gauss(random) : 0);
      return static_cast<int>(std::lround(v * (1 << (bits - 8))));
    });
  }
};

// Of a Gaussian: exp(−2π²σ²f²) (its Fourier transform).
double gaussianMtf50(double sigma) { return std::sqrt(std::log(2.0) / 2) / (std::numbers::pi * sigma); }

// Where a softened, sharpened edge's contrast is halved.
double trueMtf50(const EdgeScene& scene) {
  const auto gauss = [](double s, double f) { return std::exp(-2 * std::pow(std::numbers::pi * s * f, 2)); };
  for (double f = 0; f < 1; f += 1e-5)
    if (f > 0.05 &&
        gauss(scene.soft, f) * (1 + scene.sharpening.amount * (1 - gauss(scene.sharpening.radius_px, f))) <
            0.5)
      return f;
  return 1;
}

double trueOvershoot(const EdgeScene& scene) {
  double high = 0;
  for (double x = 0; x < 12; x += 0.01) {
    const double plain = softStep(x, scene.soft),
                 blurred = softStep(x, std::hypot(scene.soft, scene.sharpening.radius_px));
    high = std::max(high, plain + scene.sharpening.amount * (plain - blurred) - 1);
  }
  return high;
}

constexpr EdgeArea kWhole{32, 32, 64, 64};

TEST(SlantedEdge, AGaussianEdgeHasAGaussiansCurve) {
  for (const double soft : {0.6, 0.9, 1.4})
    for (const bool upright : {true, false}) {
      EdgeScene scene;
      scene.soft = soft;
      scene.upright = upright;
      const Frame frame = scene.frame(10);
      const EdgeResponse r = measureEdge({&frame, 1}, kWhole);
      ASSERT_TRUE(r.usable()) << r.why_not;
      EXPECT_EQ(r.across, upright);
      EXPECT_NEAR(r.slant_deg, 5, 0.1);
      EXPECT_NEAR(r.mtf50 / gaussianMtf50(soft), 1, 0.02) << soft;
      for (double f = 0.05; f < 0.45; f += 0.05)
        EXPECT_NEAR(r.mtf[static_cast<size_t>(std::lround(f / EdgeResponse::kMtfStep))],
                    std::exp(-2 * std::pow(std::numbers::pi * soft * f, 2)), 0.02)
            << f << " at " << soft;
      EXPECT_EQ(r.sharpening.amount, 0) << soft;
      // From 10 to 90 % of a Gaussian edge: 2 · 1.2816 σ.
      EXPECT_NEAR(r.rise_px, 2 * 1.2816 * soft, 0.06);
    }
}

TEST(SlantedEdge, SharpeningIsToldByItsOvershoot) {
  for (const double amount : {0.4, 1.0, 2.0})
    for (const double radius : {0.9, 1.6}) {
      EdgeScene scene;
      scene.sharpening = {amount, radius};
      scene.noise = 1.5;
      const Frame frame = scene.frame(10);
      const EdgeResponse r = measureEdge({&frame, 1}, kWhole);
      ASSERT_TRUE(r.usable()) << r.why_not;
      EXPECT_NEAR(r.mtf50 / trueMtf50(scene), 1, 0.05) << amount << " " << radius;
      EXPECT_NEAR(r.overshoot, trueOvershoot(scene), 0.01) << amount << " " << radius;
      EXPECT_GT(r.sharpening.amount, 0);
    }
}

TEST(SlantedEdge, UncertaintyIsBelieved) {
  double squares = 0;
  int within = 0, count = 0;
  for (unsigned seed = 1; seed <= 40; ++seed) {
    EdgeScene scene;
    scene.soft = 0.6 + 0.02 * seed;
    scene.slant_deg = 3 + seed % 9;
    scene.sharpening = {0.1 * (seed % 12), 1.2};
    scene.noise = 1 + seed % 4;
    const Frame frame = scene.frame(8, seed);
    const EdgeResponse r = measureEdge({&frame, 1}, kWhole);
    ASSERT_TRUE(r.usable()) << r.why_not;
    const double off = (r.overshoot - trueOvershoot(scene)) / r.overshoot_sd;
    squares += off * off;
    within += std::abs(off) <= 1 ? 1 : 0;
    EXPECT_LT(std::abs(off), 4) << seed;
    ++count;
  }
  std::printf("  overshoot: %d of %d within one stated, root mean square %.2f\n", within, count,
              std::sqrt(squares / count));
  EXPECT_GE(within, count * 55 / 100);
  EXPECT_LE(within, count * 90 / 100);
}

TEST(SlantedEdge, WhatIsNoEdgeIsRefused) {
  const Frame flat = testing::paint(128, 128, {Chroma::C420, 8}, [](int, int) { return 90; });
  EXPECT_FALSE(measureEdge({&flat, 1}, kWhole).usable());
  const Frame straight =
      testing::paint(128, 128, {Chroma::C420, 8}, [](int x, int) { return x < 64 ? 60 : 180; });
  EXPECT_NE(measureEdge({&straight, 1}, kWhole).why_not.find("tilt"), std::string::npos);
  const Frame stripes = testing::paint(128, 128, {Chroma::C420, 8},
                                       [](int x, int y) { return (x + y / 8) % 16 < 8 ? 60 : 180; });
  EXPECT_FALSE(measureEdge({&stripes, 1}, kWhole).usable());
  EXPECT_FALSE(measureEdge({&flat, 1}, {100, 100, 64, 64}).usable());
}

// The simulated camera sharpens as small cameras do: seen where it does, not seen where it does not, and
// taken back.
TEST(SlantedEdge, ACamerasOwnSharpeningIsSeenAndTakenBack) {
  const auto filmed = [](double sharpening) {
    sim::CameraSetup setup = testing::smallCamera(LensModel::BrownConrady, 640, 360);
    setup.lens.k = {};
    setup.samples = 16;
    setup.sharpening = sharpening;
    return sim::SimCamera(setup, sim::chartScene(),
                          [](double) {
                            sim::Pose pose;
                            pose.position = {0.02F, 0.01F, -0.5F};
                            pose.rz = 0.12;
                            return pose;
                          })
        .frame(0);
  };
  const auto overshootIn = [](const Frame& frame) {
    std::vector<EdgeResponse> edges;
    for (const EdgeArea& area : findSlantedEdges(frame)) edges.push_back(measureEdge({&frame, 1}, area));
    return summaryOf(edges);
  };
  const EdgeSummary plain = overshootIn(filmed(0)), sharpened = overshootIn(filmed(0.7));
  ASSERT_GT(plain.used, 3);
  EXPECT_LT(plain.overshoot, 0.012);
  EXPECT_GT(sharpened.overshoot, 0.05);
  ASSERT_GT(sharpened.sharpening.amount, 0);
  Frame calm = Finisher({sharpened.sharpening, 0, 6}, {}).finish(filmed(0.7), {Chroma::C420, 8});
  EXPECT_LT(overshootIn(calm).overshoot, 0.35 * sharpened.overshoot);
}

TEST(SlantedEdge, WhatIsSoftInTheSceneIsNotTheCameras) {
  const testing::ScratchFolder folder;
  // A soft edge on the left, a sharp one on the right.
  const std::string two =
      "geq=lum='if(lt(X\\,160)\\,60+120/(1+exp(-(0.996*(X-80)+0.087*(Y-90))/2))\\,180-120/"
      "(1+exp(-(0.996*(X-240)+0.087*(Y-90))/"
      "0.5)))':cb=128:cr=128";
  const ClipInfo clip = probe(testing::makeWithFfmpeg(
      folder / "two.mkv",
      "-f lavfi -i color=c=gray:s=320x180:r=5:d=0.4 -vf \"format=yuv420p," + two + "\" -c:v ffv1"));
  const std::vector<EdgesSource> sources{{clip, {}}};
  const EdgesFinding found = measureEdges(sources);
  int soft = 0, sharp = 0;
  for (const SeenEdge& e : found.edges) {
    const bool left = e.response.area.x < 140;
    soft += left && !e.response.usable() ? 1 : 0;
    sharp += !left && e.response.usable() ? 1 : 0;
  }
  EXPECT_GT(soft, 0);
  EXPECT_GT(sharp, 0);
  EXPECT_NEAR(found.all.mtf50, 2.1773 / (2 * 9.8696 * 0.5), 0.015);
}

TEST(SlantedEdge, IsFoundInAPicture) {
  EdgeScene scene;
  scene.noise = 1;
  const Frame frame = scene.frame();
  const auto areas = findSlantedEdges(frame);
  ASSERT_FALSE(areas.empty());
  EXPECT_TRUE(measureEdge({&frame, 1}, areas.front()).usable());
}

Frame finished(const Frame& frame, const Crispness& edges, const FinishSettings& colour = {}) {
  return Finisher(edges, colour).finish(frame, frame.format);
}

// What the camera added is taken back: the measure is a tenth of what it was off the true edge.
TEST(Calm, AKnownSharpeningIsUndone) {
  for (const double amount : {0.5, 1.0, 2.0}) {
    EdgeScene plain, sharpened;
    sharpened.sharpening = {amount, 1.2};
    const Frame truth = plain.frame(12), filmed = sharpened.frame(12);
    const Frame calm = finished(filmed, {sharpened.sharpening, 0, 6});
    double before = 0, after = 0;
    for (int y = 24; y < 104; ++y)
      for (int x = 24; x < 104; ++x) {
        const double t = truth.planes[0].at(x, y, 2);
        before = std::max(before, std::abs(filmed.planes[0].at(x, y, 2) - t));
        after = std::max(after, std::abs(calm.planes[0].at(x, y, 2) - t));
      }
    EXPECT_LT(after, 0.1 * before) << amount;
  }
}

double deviation(const Frame& frame, int first, int last) {
  double sum = 0, squares = 0, n = 0;
  for (int y = 20; y < 108; ++y)
    for (int x = first; x < last; ++x) {
      const double v = frame.planes[0].at(x, y, frame.format.bytesPerSample());
      sum += v;
      squares += v * v;
      ++n;
    }
  return std::sqrt(squares / n - sum * sum / (n * n));
}

TEST(Crisp, EdgesGainAndNoiseDoesNot) {
  EdgeScene scene;
  scene.soft = 1.1;
  scene.noise = 2;
  const Frame frame = scene.frame(10);
  const Frame crisp = finished(frame, {{}, 1.0, 6});
  const EdgeResponse before = measureEdge({&frame, 1}, kWhole), after = measureEdge({&crisp, 1}, kWhole);
  EXPECT_GT(after.mtf50, 1.1 * before.mtf50);
  // Left of the edge nothing but noise.
  EXPECT_LT(deviation(crisp, 2, 40), 1.03 * deviation(frame, 2, 40));
}

TEST(Crisp, HalosStayWithinTheirLimit) {
  EdgeScene scene;
  const Frame frame = scene.frame(10);
  for (const double halo : {0.0, 3.0}) {
    const Frame crisp = finished(frame, {{}, 3.0, halo});
    int low = 4096, high = 0;
    for (int y = 0; y < 128; ++y)
      for (int x = 0; x < 128; ++x) {
        low = std::min(low, crisp.planes[0].at(x, y, 2));
        high = std::max(high, crisp.planes[0].at(x, y, 2));
      }
    EXPECT_GE(low, 4 * (kLow - halo) - 1) << halo;
    EXPECT_LE(high, 4 * (kHigh + halo) + 1) << halo;
  }
}

TEST(Finish, SameBitsForAnyBand) {
  EdgeScene scene;
  scene.noise = 2;
  scene.sharpening = {0.5, 1.2};
  FinishSettings colour;
  colour.exposure = 0.3;
  const Frame frame = scene.frame(8);
  const Frame a = finished(frame, {{0.5, 1.2}, 0.5, 6}, colour),
              b = finished(frame, {{0.5, 1.2}, 0.5, 6}, colour);
  EXPECT_TRUE(sameSamples(a, b));
  // Rows at the borders of bands are no different: a picture that is the same all the way down.
  const Frame stripes =
      testing::paint(128, 128, {Chroma::C420, 10}, [](int x, int) { return x % 16 < 8 ? 240 : 640; });
  const Frame done = finished(stripes, {{1, 1.2}, 0.7, 6});
  for (int y = 1; y < 128; ++y)
    for (int x = 0; x < 128; ++x)
      ASSERT_EQ(done.planes[0].at(x, y, 2), done.planes[0].at(x, 0, 2)) << x << " " << y;
}

}  // namespace
}  // namespace glenhaze
