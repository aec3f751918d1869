// Noise curves against rendered truth: the simulated camera without and with its noise.
#include "core/noise/measure.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "core/base/error.h"
#include "core/noise/detail/clipped.h"
#include "core/noise/iso_table.h"
#include "tests/support/footage.h"
#include "tests/support/noise.h"

namespace glenhaze {
namespace {

sim::SimCamera stepsCamera(double iso, unsigned seed = 5, double exposure = 1) {
  sim::CameraSetup setup;
  setup.lens = testing::testLens(LensModel::BrownConrady, 480, 272);
  setup.lens.k = {};
  setup.samples = 1;
  setup.seed = seed;
  setup.exposure = exposure;
  if (iso > 0) setup.noise = sim::sensorNoiseAt(iso);
  return {setup, sim::stepsScene(), [](double) { return sim::Pose{0, 0, 0, {0, 0, -2}}; }};
}

ClipInfo stepsFilm(const testing::ScratchFolder& folder, double iso, unsigned seed = 5, double exposure = 1) {
  sim::FilmSettings settings = testing::smallFilm(20);
  settings.codec = sim::FilmCodec::Ffv1;
  settings.iso = static_cast<int>(iso);
  settings.sound = false;
  const auto path =
      folder / ("steps-" + std::to_string(static_cast<int>(iso)) + "-" + std::to_string(seed) + ".mkv");
  sim::writeFilm(path, stepsCamera(iso, seed, exposure), settings);
  return probe(path);
}

// The truth: how each pixel scatters about its own mean over many frames of another seed, by that mean.
struct Truth {
  std::array<std::array<double, 256>, 3> square{}, count{};
  explicit Truth(double iso, double exposure = 1) {
    constexpr int64_t kFrames = 24;
    const sim::SimCamera camera = stepsCamera(iso, 77, exposure);
    std::vector<Frame> frames;
    for (int64_t i = 100; i < 100 + kFrames; ++i) frames.push_back(camera.frame(i));
    const auto scatter = [&](size_t p, int x, int y) {
      double sum = 0, squares = 0;
      for (const Frame& f : frames) {
        const double v = f.planes[p].row<uint8_t>(y)[x];
        sum += v;
        squares += v * v;
      }
      return std::pair(sum / kFrames, (squares - sum * sum / kFrames) / (kFrames - 1));
    };
    for (size_t p = 0; p < 3; ++p)
      for (int y = 0; y < frames[0].planes[p].height; ++y)
        for (int x = 0; x < frames[0].planes[p].width; ++x) {
          const int s = p == 0 ? 0 : 1;
          const auto mean = [&](int lx) {
            return scatter(0, std::clamp(lx, 0, frames[0].width - 1), y << s).first;
          };
          const auto level = static_cast<size_t>(std::lround(mean(x << s)));
          // Not beside the border of a step: such a pixel has the noise of both.
          if (std::abs(mean((x << s) - 4) - mean((x << s) + 4)) > 4) continue;
          square[p][level] += scatter(p, x, y).second * kFrames;
          count[p][level] += kFrames;
        }
  }
  struct Seen {
    double level = 0, sigma = 0;
  };
  // Over a few levels, at the mean of those that are there; empty where the picture has too little of them.
  std::optional<Seen> at(size_t p, int level) const {
    double s = 0, n = 0, levels = 0;
    for (int l = level - 2; l <= level + 2; ++l) {
      s += square[p][static_cast<size_t>(l)];
      n += count[p][static_cast<size_t>(l)];
      levels += l * count[p][static_cast<size_t>(l)];
    }
    if (n < 24 * 800) return std::nullopt;  // of the picture, in 24 frames
    return Seen{levels / n, std::sqrt(s / n)};
  }
};

// Where the finding has points; beyond them it is a model.
void expectCurve(const NoiseFinding& finding, const Truth& truth, double tolerance) {
  const auto [first, last] =
      std::minmax_element(finding.points.begin(), finding.points.end(),
                          [](const NoisePoint& a, const NoisePoint& b) { return a.level < b.level; });
  int compared = 0;
  for (int level = 26; level <= 226; level += 4)
    for (size_t p = 0; p < 3; ++p)
      if (const auto seen = truth.at(p, level)) {
        if (seen->level < first->level - 2 || seen->level > last->level + 2) continue;
        const double said = finding.curve.sigmaAt(static_cast<int>(p), seen->level);
        EXPECT_NEAR(said / seen->sigma, 1, tolerance)
            << said << " against " << seen->sigma << ", plane " << p << " level " << seen->level;
        ++compared;
      }
  EXPECT_GE(compared, 21);
}

// At the levels that the truth has from `first` to `last`, whether the finding has points there or not.
void expectCurveFrom(int first, int last, const NoiseFinding& finding, const Truth& truth, double tolerance) {
  int compared = 0;
  for (int level = first; level <= last; level += 3)
    for (size_t p = 0; p < 3; ++p)
      if (const auto seen = truth.at(p, level)) {
        const double said = finding.curve.sigmaAt(static_cast<int>(p), seen->level);
        EXPECT_NEAR(said / seen->sigma, 1, tolerance)
            << said << " against " << seen->sigma << ", plane " << p << " level " << seen->level;
        ++compared;
      }
  EXPECT_GE(compared, 3);
}

// Where part of the noise would lie beyond black or white it is cut off, and less is left.
TEST(Noise, NearBlackAndWhiteItIsWhatIsLeftOfIt) {
  const testing::ScratchFolder folder;
  const std::vector<ClipInfo> shots{stepsFilm(folder, 3200), stepsFilm(folder, 3200, 6, 0.12),
                                    stepsFilm(folder, 3200, 7, 2.5)};
  const NoiseFinding finding = measureStatic(shots, 3200);
  expectCurveFrom(18, 40, finding, Truth(3200, 0.12), 0.15);
  expectCurveFrom(215, 232, finding, Truth(3200, 2.5), 0.15);
}

TEST(Noise, LockedOffShotGivesTheCurveWithinFivePercent) {
  const testing::ScratchFolder folder;
  const std::vector<ClipInfo> shots{stepsFilm(folder, 1600)};
  const NoiseFinding finding = measureStatic(shots, 1600);
  expectCurve(finding, Truth(1600), 0.05);
  EXPECT_TRUE(finding.warnings.empty()) << finding.warnings.front();
  // In-camera smearing leaves less in the finest octave than in the coarser ones.
  EXPECT_LT(finding.curve.octaves[0][0], finding.curve.octaves[0][1]);
}

TEST(Noise, PatchesGiveTheCurveWithinEightPercent) {
  const testing::ScratchFolder folder;
  const std::vector<NoiseShot> shots{{stepsFilm(folder, 1600), {}}};
  const NoiseFinding finding = measurePatches(shots, 1600);
  expectCurve(finding, Truth(1600), 0.08);
}

TEST(Noise, IsoIsToldWithinHalfAStop) {
  const testing::ScratchFolder folder;
  std::vector<NoiseCurve> curves;
  for (const double iso : {200.0, 800.0, 3200.0}) {
    // Two exposures: the levels of one lie between those of the other.
    const std::vector<ClipInfo> shots{stepsFilm(folder, iso), stepsFilm(folder, iso, 6, 0.78)};
    curves.push_back(measureStatic(shots, iso).curve);
  }
  for (const double iso : {400.0, 1600.0, 3200.0}) {
    // Ordinary footage, not the steps: the mill with a moving camera.
    sim::CameraSetup setup = testing::smallCamera(LensModel::BrownConrady, 640, 360);
    setup.noise = sim::sensorNoiseAt(iso);
    auto settings = testing::smallFilm(6);
    settings.codec = sim::FilmCodec::Ffv1;
    const ClipInfo clip = probe(testing::makeFilm(
        folder / ("mill" + std::to_string(static_cast<int>(iso)) + ".mkv"), settings, setup));
    const IsoEstimate e = estimateIso(clip, curves);
    EXPECT_NEAR(std::log2(e.iso / iso), 0, 0.5)
        << iso << " told as " << e.iso << " (" << e.low << " to " << e.high << ") by " << e.patches;
    EXPECT_LE(e.low, e.iso);
    EXPECT_GE(e.high, e.iso);
  }
}

NoiseCurve flatCurve(double iso, double sigma) {
  NoiseCurve c;
  c.iso = iso;
  c.level = {16, 235};
  for (auto& s : c.sigma) s = {sigma, sigma};
  for (auto& s : c.spread) s = {0.1, 0.1};
  return c;
}

// Closed forms: half-way between in log ISO is the geometric mean; photon noise doubles with ISO in variance.
TEST(IsoTable, InterpolationAndExtensionFollowTheirLaws) {
  const std::vector<NoiseCurve> curves{flatCurve(400, 2), flatCurve(1600, 4)};
  EXPECT_EQ(curveForIso(curves, 400).kind, IsoKind::Measured);
  const IsoCurve middle = curveForIso(curves, 800);
  EXPECT_EQ(middle.kind, IsoKind::Between);
  EXPECT_NEAR(middle.curve.sigma[0][0], std::sqrt(2.0 * 4.0), 1e-9);
  EXPECT_NEAR(middle.gap_stops, 2, 1e-9);
  const IsoCurve beyond = curveForIso(curves, 3200);
  EXPECT_EQ(beyond.kind, IsoKind::Extended);
  EXPECT_NEAR(beyond.curve.sigma[0][0], 4 * std::sqrt(2.0), 1e-9);
  EXPECT_EQ(curveForIso({}, 800).kind, IsoKind::Missing);
  EXPECT_EQ(curveForIso(curves, 0).kind, IsoKind::Missing);
}

// Some places have structure of their own: what most agree on holds, and where none agree nothing does.
TEST(IsoTable, ACurveIsHeldAgainstWhatMostPlacesSay) {
  const NoiseCurve curve = flatCurve(400, 2);
  std::vector<NoisePoint> points;
  for (double level = 40; level < 200; level += 20)
    points.push_back({level, {std::pow(2 * 2.4, 2), 1, 1}, {100, 100, 100}, 0, 2});
  for (const double level : {60.0, 140.0}) points.push_back({level, {400, 1, 1}, {100, 100, 100}, 0, 2});
  const auto times = noiseAgainst(points, curve);
  ASSERT_TRUE(times);
  EXPECT_NEAR(*times, 2.4, 0.05);
  for (size_t i = 0; i < points.size(); ++i) points[i].variance[0] = std::exp2(static_cast<double>(i) * 1.5);
  EXPECT_FALSE(noiseAgainst(points, curve));
  EXPECT_FALSE(noiseAgainst(std::span(points).first(3), curve));
}

NoiseCurve litCurve(double iso, const std::string& light, double luma, double cb, double cr) {
  NoiseCurve c = flatCurve(iso, luma);
  c.light = light;
  c.sigma[1] = {cb, cb};
  c.sigma[2] = {cr, cr};
  return c;
}

// Lamp-lit footage has its blue lifted: Cb is noisier than by daylight at the same ISO.
TEST(IsoTable, LightIsPickedByWhatTheClipsOwnNoiseFits) {
  const std::vector<NoiseCurve> curves{
      litCurve(400, "daylight", 2, 1.4, 1.4), litCurve(400, "lamp-lit", 2.2, 3, 1.5),
      litCurve(1600, "daylight", 4, 2.8, 2.8), litCurve(1600, "lamp-lit", 4.4, 6, 3)};
  EXPECT_EQ(lightsOf(curves), (std::vector<std::string>{"daylight", "lamp-lit"}));
  // Halfway between both ISOs, so that interpolation within the variant is looked at as well.
  const auto points = [](double cb) {
    std::vector<NoisePoint> all;
    for (double level = 40; level < 200; level += 20)
      all.push_back({level, {8.4, cb, 4.2}, {100, 100, 100}, 0, 2});
    return all;
  };
  EXPECT_EQ(lightOfPoints(points(18), curves, 800).light, "lamp-lit");
  EXPECT_EQ(lightOfPoints(points(4), curves, 800).light, "daylight");
  EXPECT_NE(lightOfPoints(points(4), curves, 800).reason.find("daylight"), std::string::npos);
  // Variants are never mixed, also where none is asked for.
  EXPECT_NEAR(curveForIso(curves, 800).curve.sigma[1][0], std::sqrt(1.4 * 2.8), 1e-9);
  EXPECT_NEAR(curveForIso(curves, 800, "lamp-lit").curve.sigma[1][0], std::sqrt(3 * 6.0), 1e-9);
}

// Closed form: points made by the model come back as the model.
TEST(Curve, PointsOnTheModelGiveIt) {
  std::vector<NoisePoint> points;
  const auto truth = [](double level) {
    const double v = (level - 16) / 219;
    const double light = v < 0.081 ? v / 4.5 : std::pow((v + 0.099) / 1.099, 1 / 0.45);
    const double slope = light < 0.018 ? 4.5 : 1.099 * 0.45 * std::pow(light, -0.55);
    return (9 * light + 0.5) * slope * slope;
  };
  for (const double level : {40.0, 80.0, 120.0, 180.0})
    points.push_back({level, {truth(level), 2 * truth(level), truth(level)}, {1e4, 1e4, 1e4}});
  const NoiseCurve curve = curveThrough(points, 800);
  for (const double level : {28.0, 60.0, 100.0, 150.0, 200.0, 228.0}) {
    EXPECT_NEAR(curve.sigmaAt(0, level) / std::sqrt(truth(level)), 1, 0.02) << level;
    EXPECT_NEAR(curve.sigmaAt(1, level) / std::sqrt(2 * truth(level)), 1, 0.02) << level;
  }
}

// Points of one brightness only: the curve has their noise there and the model's course beyond, on both
// sides.
TEST(Noise, OnePlaceGivesAWholeCurve) {
  NoisePoint place;
  place.level = 100;
  place.variance = {4, 2, 2};
  place.weight = {5000, 2000, 2000};
  NoisePoint beside = place;
  beside.level = 106.5;  // far enough not to be taken together
  const std::vector<NoisePoint> one{place}, two{place, beside};
  const NoiseCurve curve = curveThrough(one, 800), like = curveThrough(two, 800);
  for (size_t c = 0; c < kNoiseChannels; ++c)
    for (size_t i = 1; i < curve.level.size(); ++i) {
      const double level = curve.level[i];
      if (level > 24)
        EXPECT_NEAR(curve.sigma[c][i], like.sigma[c][i], 0.05 * like.sigma[c][i]) << c << " at " << level;
      // The farther from what was seen, the less sure.
      const double now = curve.spread[c][i] / curve.sigma[c][i],
                   before = curve.spread[c][i - 1] / curve.sigma[c][i - 1];
      if (level > 24 && level <= 100) EXPECT_LE(now, before * 1.001) << c << " at " << level;
      if (level > 104) EXPECT_GT(now, before) << c << " at " << level;
    }
  // Right beside it what was seen still counts.
  const auto beside_it = static_cast<size_t>(std::ranges::find(curve.level, 104.0) - curve.level.begin());
  ASSERT_LT(beside_it, curve.level.size());
  EXPECT_LT(curve.spread[0][beside_it] / curve.sigma[0][beside_it], 0.08);
  EXPECT_NEAR(curve.sigmaAt(0, 100), 2, 0.05);
}

// Against drawn samples (A. Foi, 2009, gives the closed form that is tried here).
TEST(Clipped, MeanAndDeviationAreThoseOfSamplesThatWereCutOff) {
  std::mt19937 random(3);
  constexpr CodeEnds kEnds{16, 235};
  constexpr int kSamples = 400000;
  for (const double level : {4.0, 14.0, 16.0, 20.0, 30.0, 120.0, 230.0, 238.0})
    for (const double sigma : {0.8, 6.0, 90.0}) {
      std::normal_distribution<double> noise(level, sigma);
      double sum = 0, squares = 0;
      for (int i = 0; i < kSamples; ++i) {
        const double v = std::clamp(noise(random), kEnds.low, kEnds.high);
        sum += v;
        squares += v * v;
      }
      const double mean = sum / kSamples,
                   deviation = std::sqrt(std::max(0.0, squares / kSamples - mean * mean));
      const detail::ClippedNoise said = detail::clippedNoise(level, sigma, kEnds);
      EXPECT_NEAR(said.mean, mean, 5 * deviation / std::sqrt(kSamples) + 1e-6) << level << " ± " << sigma;
      EXPECT_NEAR(said.sigma, deviation, 0.03 * deviation + 1e-3) << level << " ± " << sigma;
    }
}

TEST(Clipped, ACurveIsLessNearTheEndsAndTheSameFarFromThem) {
  NoiseCurve curve = testing::evenCurve(5);
  curve.level = {0, 100, 120, 140, 255};
  for (auto& channel : curve.sigma) channel.assign(curve.level.size(), 5);
  const NoiseCurve seen = detail::asClipped(curve, {16, 235});
  // Half of the noise about black is cut off: seen about 16 + σ·φ(0), σ·√(½ − 1/2π) is left of it.
  EXPECT_NEAR(seen.sigmaAt(0, 16 + 5 * 0.39894), 5 * std::sqrt(0.5 - 0.15915), 0.25);
  EXPECT_NEAR(seen.sigmaAt(0, 120), 5, 1e-3);
  EXPECT_NEAR(seen.sigmaAt(1, 120), curve.sigmaAt(1, 120), 1e-3);
  EXPECT_LT(seen.sigmaAt(0, 233), 4);
  for (const double s : seen.sigma[0]) EXPECT_GT(s, 0);
  EXPECT_NEAR(detail::asClipped(curve, {-1e3, 1e3}).sigmaAt(0, 16), 5, 1e-3);
}

// Black that is written at 16, and footage that goes on below it.
TEST(Clipped, WhereCodesEndIsSeenByWhatPilesUp) {
  const auto ramp = [](double low, double high) {
    std::mt19937 random(9);
    std::normal_distribution<double> noise(0, 4);
    return detail::planesOf(testing::paint(960, 540, PixelFormat{},
                                           [&](int x, int) {
                                             return static_cast<int>(std::lround(
                                                 std::clamp(12 + 0.24 * x + noise(random), low, high)));
                                           }))
        .plane[0];
  };
  const auto endsOf = [](const detail::FloatPlane& luma) {
    detail::EndsSeen seen;
    seen.add(luma);
    return seen.ends({16, 235});
  };
  EXPECT_EQ(endsOf(ramp(16, 235)).low, 16);
  EXPECT_EQ(endsOf(ramp(16, 235)).high, 235);
  EXPECT_LT(endsOf(ramp(0, 255)).low, 0);
  EXPECT_GT(endsOf(ramp(0, 255)).high, 255);
  // Much that is black, whose noise goes on below it.
  std::mt19937 random(11);
  std::normal_distribution<double> noise(16, 0.6);
  EXPECT_LT(endsOf(detail::planesOf(
                       testing::paint(320, 180, PixelFormat{},
                                      [&](int, int) { return static_cast<int>(std::lround(noise(random))); }))
                       .plane[0])
                .low,
            0);
  // A picture without anything dark or bright says nothing: black ends where it is said to.
  detail::EndsSeen nothing;
  EXPECT_EQ(nothing.ends({16, 235}).low, 16);
  EXPECT_GT(nothing.ends({16, 235}).high, 255);
}

// One frame of noise on a grey ramp, with things in it that spoil a patch.
Frame spoiled(double sigma, unsigned seed) {
  std::mt19937 random(seed);
  std::normal_distribution<double> noise(0, sigma);
  return testing::paint(320, 180, PixelFormat{}, [&](int x, int y) {
    double v = 110;
    if (x >= 160 && y < 90) v = 110 + ((x / 3 + y / 3) % 2 != 0 ? 9 : -9);  // structure
    if (x < 160 && y >= 90) v = 60 + x * 0.8;                               // falling light
    if (x >= 160 && y >= 90) v = 234;                                       // burnt out
    return std::clamp(static_cast<int>(std::lround(v + noise(random))), 0, 235);
  });
}

TEST(Patch, SaysAtOnceWhatIsWrong) {
  const Frame a = spoiled(3, 1), b = spoiled(3, 2);
  const PatchVerdict good = judgePatch(a, &b, {20, 20, 64, 48});
  EXPECT_TRUE(good.flat) << good.why;
  EXPECT_NEAR(std::sqrt(good.variance[0]), 3, 0.25);
  const auto why = [&](PatchRect r) { return judgePatch(a, &b, r).why; };
  EXPECT_THAT(why({180, 20, 64, 48}), ::testing::HasSubstr("texture"));
  EXPECT_THAT(why({20, 110, 64, 48}), ::testing::HasSubstr("gradient"));
  EXPECT_THAT(why({200, 110, 64, 48}), ::testing::HasSubstr("clipped"));
  EXPECT_THAT(why({20, 20, 9, 9}), ::testing::HasSubstr("too small"));
  EXPECT_THAT(why({300, 20, 64, 48}), ::testing::HasSubstr("outside"));
  const Frame brighter = testing::paint(320, 180, PixelFormat{}, [&](int x, int y) {
    return std::min(255, a.planes[0].row<uint8_t>(y)[x] + 12);
  });
  EXPECT_THAT(judgePatch(a, &brighter, {20, 20, 64, 48}).why, ::testing::HasSubstr("moving"));
  // Found by itself: only in the even quarter.
  for (const PatchRect& r : findFlatPatches(a, &b)) EXPECT_LE(r.x + r.width, 176) << r.y;
}

}  // namespace
}  // namespace glenhaze
