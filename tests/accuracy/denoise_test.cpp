// Noise removal on photographs, filmed apart from our own simulated camera by a hand that pans: luma PSNR
// near 32 dB before, nothing aliased. What larger films gain stands beside benchmarks/noise_photographs.
#include "core/noise/denoise.h"

#include <gtest/gtest.h>

#include "tests/support/filmed.h"
#include "tests/support/photographs.h"

namespace glenhaze {
namespace {

constexpr int kWidth = 480, kHeight = 272, kFrames = 10, kEdge = 8, kBlock = 16;
constexpr double kNoise = 6.4;

// The filmed noise, which grows with the root of the level.
NoiseCurve trueCurve() {
  NoiseCurve curve;
  curve.iso = 1600;
  for (double level = 0; level <= 256; level += 8) {
    curve.level.push_back(level);
    curve.sigma[0].push_back(kNoise * std::sqrt(std::max(level, 1.0) / 110));
    for (const size_t c : {1U, 2U}) curve.sigma[c].push_back(0.5);
  }
  return curve;
}

double squares(const Plane& a, const Plane& b, int x0, int y0, int width, int height) {
  double sum = 0;
  for (int y = y0; y < y0 + height; ++y)
    for (int x = x0; x < x0 + width; ++x) sum += std::pow(a.row<uint8_t>(y)[x] - b.row<uint8_t>(y)[x], 2);
  return sum;
}

double textureOf(const Plane& plane, int x0, int y0) {
  Plane beside = plane;
  beside.data += 1;
  return squares(plane, beside, x0, y0, kBlock, kBlock);
}

struct Errors {
  double all = 0, texture = 0;  ///< mean squares, code values; over the tenth with the strongest texture
};

Errors errorsOf(const Frame& clean, const Frame& other) {
  const Plane &a = clean.planes[0], &b = other.planes[0];
  std::vector<std::pair<double, double>> blocks;
  double all = 0;
  for (int y = kEdge; y + kBlock + kEdge <= kHeight; y += kBlock)
    for (int x = kEdge; x + kBlock + kEdge <= kWidth; x += kBlock) {
      blocks.emplace_back(textureOf(a, x, y), squares(a, b, x, y, kBlock, kBlock));
      all += blocks.back().second;
    }
  const auto count = static_cast<double>(blocks.size());
  std::sort(blocks.rbegin(), blocks.rend());
  double texture = 0;
  for (size_t i = 0; i < blocks.size() / 10; ++i) texture += blocks[i].second;
  constexpr double kArea = kBlock * kBlock;
  return {all / count / kArea, texture / static_cast<double>(blocks.size() / 10) / kArea};
}

double decibels(double before, double after) { return 10 * std::log10(before / after); }

TEST(Photographs, GainAtStandardAndKeepTheirTexture) {
  const auto photographs = testing::photographs();
  if (photographs.empty()) GTEST_SKIP() << "lomiri-wallpapers-16.04 is not installed";
  Lens straight = straightLens(kWidth, kHeight, 420);
  const auto lens = std::make_shared<const testing::FilmingLens>(straight);
  double mean = 0, mean_texture = 0;
  constexpr size_t kCount = 6;
  for (size_t i = 0; i < kCount; ++i) {
    const testing::FilmedPhotograph clean(testing::inHand(photographs[i], lens, 0, 0.2, 0.3)),
        noisy(testing::inHand(photographs[i], lens, kNoise, 0.2, 0.3));
    std::vector<Frame> frames;
    for (int f = 0; f < kFrames; ++f) frames.push_back(noisy.frame(f));
    const Frame wanted = clean.frame(7);
    DenoiseSettings standard, merged_only;
    merged_only.smoothing = 0;
    const Errors before = errorsOf(wanted, frames[7]),
                 after = errorsOf(wanted, denoiseOne(frames, 7, trueCurve(), standard)),
                 merged = errorsOf(wanted, denoiseOne(frames, 7, trueCurve(), merged_only));
    const double gain = decibels(before.all, after.all), texture = decibels(before.texture, after.texture),
                 of_merging = decibels(before.texture, merged.texture);
    std::printf("  %-14.14s %5.2f dB, in texture %5.2f, by merging alone %5.2f\n",
                photographs[i].stem().string().c_str(), gain, texture, of_merging);
    EXPECT_GT(gain, 9.5) << photographs[i];
    EXPECT_GT(texture, of_merging - 0.05) << photographs[i];
    mean += gain / kCount;
    mean_texture += texture / kCount;
  }
  std::printf("  mean           %5.2f dB, in texture %5.2f\n", mean, mean_texture);
  // With the frames right before and after it alone, without memory, they gain 10.6 and 7.8.
  EXPECT_GT(mean, 11.6);
  EXPECT_GT(mean_texture, 8.5);
}

}  // namespace
}  // namespace glenhaze
