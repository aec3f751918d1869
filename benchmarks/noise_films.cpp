#include "benchmarks/noise_films.h"

#include <algorithm>
#include <cmath>

#include "core/media/reader.h"
#include "core/noise/detail/block_kernel.h"
#include "simulator/film.h"

namespace glenhaze::bench {

namespace {

constexpr int kEdge = 8, kBlock = 16;

double decibels(double squares, double count) {
  return 10 * std::log10(255.0 * 255 * count / std::max(1e-9, squares));
}

// How the noise of one frame is spread over octaves of detail.
std::array<std::array<double, kNoiseOctaves>, 3> trueOctaves(const Frame& clean, const Frame& noisy) {
  std::array<std::array<double, kNoiseOctaves>, 3> out{};
  for (size_t p = 0; p < 3; ++p) {
    std::array<double, kNoiseOctaves> power{}, count{};
    double all = 0, n = 0;
    const Plane &c = clean.planes[p], &d = noisy.planes[p];
    for (int by = 0; by + 16 <= c.height; by += 16)
      for (int bx = 0; bx + 16 <= c.width; bx += 16) {
        float block[256], coefficients[256];
        for (int y = 0; y < 16; ++y)
          for (int x = 0; x < 16; ++x)
            block[y * 16 + x] =
                static_cast<float>(d.row<uint8_t>(by + y)[bx + x] - c.row<uint8_t>(by + y)[bx + x]);
        detail::blockCosines(block, 16, coefficients);
        for (int i = 1; i < 256; ++i) {
          const size_t o = detail::octaveOf(i % 16, i / 16);
          const double e = static_cast<double>(coefficients[i]) * static_cast<double>(coefficients[i]);
          power[o] += e, ++count[o], all += e, ++n;
        }
      }
    for (size_t o = 0; o < kNoiseOctaves; ++o) out[p][o] = power[o] / count[o] / (all / n);
  }
  return out;
}

double squaredDifference(const Plane& a, const Plane& b, int x0, int y0, int width, int height) {
  double sum = 0;
  for (int y = y0; y < y0 + height; ++y)
    for (int x = x0; x < x0 + width; ++x) sum += std::pow(a.row<uint8_t>(y)[x] - b.row<uint8_t>(y)[x], 2);
  return sum;
}

// Energy of what changes from sample to sample.
double textureOf(const Plane& plane, int x0, int y0) {
  double sum = 0;
  for (int y = y0; y < y0 + kBlock; ++y)
    for (int x = x0; x < x0 + kBlock; ++x)
      sum += std::pow(plane.row<uint8_t>(y)[x + 1] - plane.row<uint8_t>(y)[x], 2) +
             std::pow(plane.row<uint8_t>(y + 1)[x] - plane.row<uint8_t>(y)[x], 2);
  return sum;
}

}  // namespace

std::vector<Frame> film(const std::filesystem::path& path, const std::function<sim::SimCamera()>& camera,
                        int frames) {
  if (!std::filesystem::exists(path)) {
    sim::FilmSettings settings;
    settings.frames = frames;
    settings.codec = sim::FilmCodec::Ffv1;
    settings.sound = false;
    sim::writeFilm(path, camera(), settings);
  }
  std::vector<Frame> all;
  ClipReader reader(probe(path));
  while (auto frame = reader.next()) all.push_back(*frame);
  return all;
}

double psnr(const Plane& a, const Plane& b) {
  const int width = a.width - 2 * kEdge, height = a.height - 2 * kEdge;
  return decibels(squaredDifference(a, b, kEdge, kEdge, width, height), static_cast<double>(width) * height);
}

double psnrInTexture(const Plane& clean, const Plane& other) {
  std::vector<std::pair<double, double>> blocks;  // texture, squared difference
  for (int y = kEdge; y + kBlock + kEdge < clean.height; y += kBlock)
    for (int x = kEdge; x + kBlock + kEdge < clean.width; x += kBlock)
      blocks.emplace_back(textureOf(clean, x, y), squaredDifference(clean, other, x, y, kBlock, kBlock));
  std::sort(blocks.rbegin(), blocks.rend());
  blocks.resize(blocks.size() / 10);
  double sum = 0;
  for (const auto& [texture, difference] : blocks) sum += difference;
  return decibels(sum, static_cast<double>(blocks.size()) * kBlock * kBlock);
}

NoiseCurve trueCurve(const std::vector<Frame>& clean, const std::vector<Frame>& noisy) {
  NoiseCurve curve;
  std::array<std::array<double, 32>, 3> sum{}, count{};
  for (size_t f = 0; f < clean.size(); f += 3)
    for (size_t p = 0; p < 3; ++p) {
      const int shift = p == 0 ? 0 : 1;
      const Plane &c = clean[f].planes[p], &n = noisy[f].planes[p];
      for (int y = 0; y < c.height; ++y)
        for (int x = 0; x < c.width; ++x) {
          const auto bin = static_cast<size_t>(clean[f].planes[0].row<uint8_t>(y << shift)[x << shift] / 8);
          sum[p][bin] += std::pow(c.row<uint8_t>(y)[x] - n.row<uint8_t>(y)[x], 2);
          ++count[p][bin];
        }
    }
  curve.octaves = trueOctaves(clean[0], noisy[0]);
  for (size_t bin = 0; bin < 32; ++bin) {
    if (count[0][bin] < 500 || count[1][bin] < 200) continue;
    curve.level.push_back(static_cast<double>(bin) * 8 + 3.5);
    for (size_t p = 0; p < 3; ++p) curve.sigma[p].push_back(std::sqrt(sum[p][bin] / count[p][bin]));
  }
  return curve;
}

}  // namespace glenhaze::bench
