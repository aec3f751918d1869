// Noise removal on rendered footage whose clean original is known: gain in PSNR per plane, SSIM of luma, and
// speed. Films are rendered once and kept.
//   noise_bench FOLDER [frames] [iso] [pan px per frame] [key=value…]
#include <chrono>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <ctime>
#include <filesystem>
#include <string>

#include "core/media/reader.h"
#include "core/noise/denoise.h"
#include "core/noise/detail/block_kernel.h"
#include "simulator/film.h"

namespace {

using namespace glenhaze;
namespace fs = std::filesystem;

sim::SimCamera camera(double iso, double pan) {
  sim::CameraSetup setup;
  setup.lens.width = 1920;
  setup.lens.height = 1080;
  setup.lens.fx = setup.lens.fy = 1150;
  setup.lens.cx = 959.5;
  setup.lens.cy = 539.5;
  setup.lens.k = {-0.2, 0.05, 0, 0, 0};
  setup.exposure = 1.1;
  if (iso > 0) setup.noise = sim::sensorNoiseAt(iso);
  return {setup, sim::millScene(), [pan](double t) {
            sim::Pose pose;
            pose.position = {-0.5F, -0.5F, 3.0F};
            pose.ry = -0.1 + pan / 1150 * 30 * t;
            return sim::shaken(pose, {0.002, 0.002, 0.002, 0.5, 5, 7}, t);
          }};
}

std::vector<Frame> film(const fs::path& path, int frames, double iso, double pan) {
  if (!fs::exists(path)) {
    sim::FilmSettings settings;
    settings.frames = frames;
    settings.codec = sim::FilmCodec::Ffv1;
    settings.sound = false;
    sim::writeFilm(path, camera(iso, pan), settings);
  }
  std::vector<Frame> all;
  ClipReader reader(probe(path));
  while (auto frame = reader.next()) all.push_back(*frame);
  return all;
}

double psnr(const Plane& a, const Plane& b) {
  double sum = 0;
  constexpr int kEdge = 8;
  for (int y = kEdge; y < a.height - kEdge; ++y)
    for (int x = kEdge; x < a.width - kEdge; ++x)
      sum += std::pow(a.row<uint8_t>(y)[x] - b.row<uint8_t>(y)[x], 2);
  return 10 * std::log10(255.0 * 255 * (a.width - 2 * kEdge) * (a.height - 2 * kEdge) / std::max(1e-9, sum));
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

// The simulated camera's noise, from the difference between both films: the truth, not a measurement.
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

}  // namespace

int main(int argc, char** argv) {
  const fs::path folder = argc > 1 ? argv[1] : "/tmp";
  const int frames = argc > 2 ? std::atoi(argv[2]) : 9;
  const double iso = argc > 3 ? std::atof(argv[3]) : 1600;
  const double pan = argc > 4 ? std::atof(argv[4]) : 6.3;
  fs::create_directories(folder);
  const auto name = [&](double at) {
    return folder / ("pan" + std::to_string(static_cast<int>(pan * 10)) + "-" +
                     std::to_string(static_cast<int>(at)) + ".mkv");
  };
  const auto clean = film(name(0), frames, 0, pan), noisy = film(name(iso), frames, iso, pan);
  NoiseCurve curve = trueCurve(clean, noisy);
  DenoiseSettings settings;
  for (int i = 5; i < argc; ++i) {
    const std::string text = argv[i];
    const auto at = text.find('=');
    const std::string key = text.substr(0, at);
    const double value = std::atof(text.c_str() + at + 1);
    if (key == "frames") settings.frames_each_side = static_cast<int>(value);
    if (key == "smoothing") settings.smoothing = value;
    if (key == "luma") settings.luma = value;
    if (key == "chroma") settings.chroma = value;
    if (key == "tolerance") settings.tolerance = value;
  }
  Denoiser denoiser(curve, settings);
  std::vector<Frame> out;
  const auto started = std::chrono::steady_clock::now();
  const std::clock_t used = std::clock();
  for (const Frame& frame : noisy)
    if (auto done = denoiser.push(frame)) out.push_back(*done);
  while (auto done = denoiser.drain()) out.push_back(*done);
  const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - started).count();
  const double cpu = static_cast<double>(std::clock() - used) / CLOCKS_PER_SEC;
  double before[3] = {}, after[3] = {}, count = 0;
  // Frames with neighbours on both sides, as nearly all of a clip has them.
  for (size_t f = 2; f + 2 < out.size(); ++f, ++count)
    for (size_t p = 0; p < 3; ++p) {
      before[p] += psnr(clean[f].planes[p], noisy[f].planes[p]);
      after[p] += psnr(clean[f].planes[p], out[f].planes[p]);
    }
  for (size_t p = 0; p < 3; ++p)
    std::printf("%s  %.2f dB -> %.2f dB  (%+.2f)\n",
                p == 0   ? "Y "
                : p == 1 ? "Cb"
                         : "Cr",
                before[p] / count, after[p] / count, (after[p] - before[p]) / count);
  const auto count_out = static_cast<double>(out.size());
  std::printf("%.2f frames per second, %.0f ms of processors' time per frame\n", count_out / seconds,
              1000 * cpu / count_out);
  return 0;
}
