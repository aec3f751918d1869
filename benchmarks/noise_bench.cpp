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

#include "benchmarks/noise_films.h"
#include "core/noise/denoise.h"

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

}  // namespace

int main(int argc, char** argv) {
  if (argc < 2 || argv[1][0] == '-') {
    std::printf("noise_bench FOLDER [frames] [iso] [pan px per frame] [key=value...]\n");
    return 2;
  }
  const fs::path folder = argv[1];
  const int frames = argc > 2 ? std::atoi(argv[2]) : 9;
  const double iso = argc > 3 ? std::atof(argv[3]) : 1600;
  const double pan = argc > 4 ? std::atof(argv[4]) : 6.3;
  fs::create_directories(folder);
  const auto name = [&](double at) {
    return folder / ("pan" + std::to_string(static_cast<int>(pan * 10)) + "-" +
                     std::to_string(static_cast<int>(at)) + ".mkv");
  };
  const auto clean = bench::film(
                 name(0), [&] { return camera(0, pan); }, frames),
             noisy = bench::film(
                 name(iso), [&] { return camera(iso, pan); }, frames);
  NoiseCurve curve = bench::trueCurve(clean, noisy);
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
      before[p] += bench::psnr(clean[f].planes[p], noisy[f].planes[p]);
      after[p] += bench::psnr(clean[f].planes[p], out[f].planes[p]);
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
