// Noise of coloured places, on a card of colours whose noise is made here in red, green and blue.
#include "core/noise/coloured.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "core/base/files.h"
#include "core/frame/primaries.h"
#include "core/media/clip_info.h"
#include "core/noise/denoise.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {

constexpr int kWidth = 320, kHeight = 192, kPatch = 32, kFrames = 12;
// Deviation of each primary at code 110; it grows with the root of the code.
constexpr std::array<double, 3> kNoise{4.2, 3.0, 4.8};

// A card: three rows of greys, the others of saturated colours.
std::array<double, 3> cardAt(int x, int y) {
  const int column = x / kPatch, row = y / kPatch;
  const double grey = 30 + 9 * ((row % 3) * 10.0 + column) * 0.75;
  if (row < 3) return {grey, grey, grey};
  constexpr double kLow = 40, kMiddle = 90, kHigh = 190;
  const std::array<double, 3> levels{kLow, kMiddle, kHigh};
  const int i = (row - 3) * 10 + column;
  return {levels[static_cast<size_t>(i % 3)], levels[static_cast<size_t>(i / 3 % 3)],
          levels[static_cast<size_t>(i / 9 % 3)]};
}

double noiseOf(size_t primary, double code) { return kNoise[primary] * std::sqrt(code / 110); }

// ITU-R BT.709-6, items 3.2 to 3.4, limited range, 8 bit.
constexpr double kRed = 0.2126, kGreen = 0.7152, kBlue = 0.0722;
std::array<double, 3> codesOf(const std::array<double, 3>& rgb) {
  const double y = kRed * rgb[0] + kGreen * rgb[1] + kBlue * rgb[2];
  return {y, 128 + (rgb[2] - y) / (2 * (1 - kBlue)) * 224 / 219,
          128 + (rgb[0] - y) / (2 * (1 - kRed)) * 224 / 219};
}

Frame cardFrame(unsigned seed) {
  std::mt19937 random(seed);
  std::normal_distribution<double> gauss;
  Frame frame = makeFrame(kWidth, kHeight, {Chroma::C444, 8});
  frame.colour = {1, 1, 1, false, ChromaSiting::Left};
  for (int y = 0; y < kHeight; ++y)
    for (int x = 0; x < kWidth; ++x) {
      std::array<double, 3> rgb = cardAt(x, y);
      if (seed > 0)
        for (size_t p = 0; p < 3; ++p) rgb[p] += noiseOf(p, rgb[p]) * gauss(random);
      const auto codes = codesOf(rgb);
      for (size_t p = 0; p < 3; ++p)
        frame.planes[p].row<uint8_t>(y)[x] =
            static_cast<uint8_t>(std::lround(std::clamp(codes[p], 0.0, 255.0)));
    }
  return frame;
}

ClipInfo cardFilm(const testing::ScratchFolder& folder) {
  std::string raw;
  for (unsigned i = 1; i <= kFrames; ++i) {
    const Frame frame = cardFrame(i);
    for (const Plane& plane : frame.planes)
      for (int y = 0; y < plane.height; ++y)
        raw.append(reinterpret_cast<const char*>(plane.row<uint8_t>(y)), static_cast<size_t>(plane.width));
  }
  writeFileAtomically(folder / "card.yuv", raw);
  return probe(testing::makeWithFfmpeg(
      folder / "card.mkv",
      "-f rawvideo -pix_fmt yuv444p -s 320x192 -r 30 -i " + (folder / "card.yuv").string() +
          " -c:v ffv1 -color_range tv -colorspace bt709 -color_primaries bt709 -color_trc bt709"));
}

double trueSigma(size_t channel, const std::array<double, 3>& rgb) {
  constexpr double kRounding = 1.0 / 12;
  std::array<double, 3> mix{kRed, kGreen, kBlue};
  if (channel == 1) mix = {-kRed, -kGreen, 1 - kBlue};
  if (channel == 2) mix = {1 - kRed, -kGreen, -kBlue};
  const double scale = channel == 0 ? 1 : 224.0 / 219 / (2 * (1 - (channel == 1 ? kBlue : kRed)));
  double variance = kRounding;
  for (size_t p = 0; p < 3; ++p) variance += std::pow(scale * mix[p] * noiseOf(p, rgb[p]), 2);
  return std::sqrt(variance);
}

TEST(ColouredNoise, ALockedOffShotTellsWhatEachPrimaryAdds) {
  const testing::ScratchFolder folder;
  const std::vector<ClipInfo> shots{cardFilm(folder)};
  const NoiseCurve curve = measureStatic(shots, 800).curve;
  const PrimaryCodes codes(shots[0].colour, shots[0].height);
  double worst_by_luma = 0;
  for (int y = kPatch / 2; y < kHeight; y += kPatch)
    for (int x = kPatch / 2; x < kWidth; x += kPatch)
      for (size_t c = 0; c < 3; ++c) {
        const auto rgb = cardAt(x, y);
        const auto own = codesOf(rgb);
        const double by_luma = curve.sigmaAt(static_cast<int>(c), own[0]);
        const double ratio = curve.colourRatio(
            static_cast<int>(c), own[0],
            codes.of(static_cast<float>(own[0]), static_cast<float>(own[1]), static_cast<float>(own[2])));
        const double truth = trueSigma(c, rgb);
        EXPECT_NEAR(by_luma * std::sqrt(ratio) / truth, 1, 0.06)
            << "plane " << c << " at " << rgb[0] << " " << rgb[1] << " " << rgb[2];
        worst_by_luma = std::max(worst_by_luma, std::abs(by_luma / truth - 1));
      }
  EXPECT_GT(worst_by_luma, 0.15) << "the card has no colour that its luma does not tell: nothing was tested";
}

TEST(ColouredNoise, GreysAloneTellNoPrimaries) {
  std::vector<NoisePoint> points;
  for (int i = 0; i < 40; ++i) {
    const auto code = static_cast<float>(20 + 5 * i);
    points.push_back({code, {code / 20, code / 40, code / 40}, {4000, 1000, 1000}, 0, 0, {code, code, code}});
  }
  const NoiseCurve curve =
      curveOfGreys(points, [](std::span<const NoisePoint> p) { return curveThrough(p, 400); });
  for (int c = 0; c < 3; ++c) EXPECT_FALSE(curve.tellsColours(c));
  EXPECT_EQ(curve, curveThrough(points, 400));
}

double squaresOff(const Frame& a, const Frame& b, size_t plane) {
  double sum = 0;
  for (int y = kHeight / 2; y < kHeight; ++y)  // the colours
    for (int x = 0; x < kWidth; ++x)
      sum += std::pow(a.planes[plane].row<uint8_t>(y)[x] - b.planes[plane].row<uint8_t>(y)[x], 2);
  return sum;
}

TEST(ColouredNoise, ColouredPlacesAreCleanedByTheirOwnNoise) {
  const testing::ScratchFolder folder;
  const std::vector<ClipInfo> shots{cardFilm(folder)};
  const NoiseCurve told = measureStatic(shots, 800).curve;
  NoiseCurve by_luma = told;
  by_luma.primaries = {};
  const Frame clean = cardFrame(0), noisy = cardFrame(99);
  DenoiseSettings settings;
  settings.frames_each_side = 0;
  const Frame with = denoiseOne({noisy}, 0, told, settings),
              without = denoiseOne({noisy}, 0, by_luma, settings);
  for (size_t plane = 0; plane < 3; ++plane) {
    std::printf("  plane %zu: %.2f dB better by its own noise\n", plane,
                10 * std::log10(squaresOff(without, clean, plane) / squaresOff(with, clean, plane)));
    EXPECT_LT(squaresOff(with, clean, plane), squaresOff(without, clean, plane)) << plane;
  }
}

}  // namespace
}  // namespace glenhaze
