// What crispness gives back on photographs that the simulated camera films: PSNR of luma against the truth
// for several amounts side by side, after noise removal and after an enlargement by the one resampling, and
// what it costs.
//   finish_photographs FOLDER_OF_PHOTOGRAPHS [how many] [amounts…]
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <string>
#include <vector>

#include "benchmarks/noise_films.h"
#include "core/finish/finisher.h"
#include "core/noise/denoise.h"
#include "core/noise/measure.h"
#include "core/pipeline/warp.h"

namespace {

using namespace glenhaze;
namespace fs = std::filesystem;

constexpr int kWidth = 960, kHeight = 540;
constexpr double kEnlarged = 1.15;

sim::SimCamera camera(const fs::path& photograph, double iso, double zoom) {
  const sim::Scene scene = sim::photographScene(photograph);
  const sim::Quad& hung = scene.quads.front();
  sim::CameraSetup setup;
  setup.lens.width = kWidth;
  setup.lens.height = kHeight;
  // Two by two of the photograph's pixels to one of the film's: finer ones would alias.
  setup.lens.fx = setup.lens.fy = zoom * static_cast<double>(hung.photograph_px_per_m * hung.corner.z) / 2;
  setup.lens.cx = (kWidth - 1) / 2.0;
  setup.lens.cy = (kHeight - 1) / 2.0;
  setup.samples = 9;
  if (iso > 0) setup.noise = sim::sensorNoiseAt(iso);
  return {setup, scene, [=](double t) {
            sim::Pose pose;
            pose.ry = 0.002 * t;
            return pose;
          }};
}

Frame crisp(const Frame& frame, double amount) {
  return Finisher({{}, amount, 6}, {}).finish(frame, {frame.format.chroma, 8});
}

Frame enlarged(const Frame& frame) {
  const WarpGrid grid({kWidth, kHeight}, {kWidth, kHeight}, [](Point p) -> std::optional<Point> {
    const double cx = (kWidth - 1) / 2.0, cy = (kHeight - 1) / 2.0;
    return Point{cx + (p.x - cx) / kEnlarged, cy + (p.y - cy) / kEnlarged};
  });
  return warpFrame(frame, grid, {frame.format.chroma, 12});
}

void row(const char* what, const std::string& name, const Frame& truth, const Frame& before,
         const std::vector<double>& amounts) {
  std::printf("%-10s %-16s", what, name.substr(0, 16).c_str());
  const double plain = bench::psnr(truth.planes[0], crisp(before, 1e-9).planes[0]);
  std::printf(" %6.2f dB", plain);
  for (const double amount : amounts)
    std::printf(" %+6.2f", bench::psnr(truth.planes[0], crisp(before, amount).planes[0]) - plain);
  std::printf("\n");
}

}  // namespace

int main(int argc, char** argv) {
  if (argc < 2) return 2;
  const int most = argc > 2 ? std::atoi(argv[2]) : 6;
  std::vector<double> amounts;
  for (int i = 3; i < argc; ++i) amounts.push_back(std::atof(argv[i]));
  if (amounts.empty()) amounts = {0.06, 0.12, 0.24, 0.4};
  int done = 0;
  for (const auto& entry : fs::directory_iterator(argv[1])) {
    if (entry.path().extension() != ".jpg" || done++ >= most) continue;
    const std::string name = entry.path().stem().string();
    const Frame clean = camera(entry.path(), 0, 1).frame(6),
                large = camera(entry.path(), 0, kEnlarged).frame(6);
    row("enlarged", name, large, enlarged(clean), amounts);
    const sim::SimCamera noisy = camera(entry.path(), 1600, 1);
    std::vector<Frame> film;
    for (int i = 0; i < 9; ++i) film.push_back(noisy.frame(i));
    std::vector<FramePair> pairs{{film[0], film[1]}, {film[4], film[5]}};
    try {
      const NoiseCurve curve = measurePatchesOf(pairs, 1600).curve;
      const Frame denoised = denoiseOne(film, 6, curve, {});
      row("denoised", name, clean, denoised, amounts);
      row("both", name, large, enlarged(denoised), amounts);
    } catch (const std::exception& error) {
      std::printf("%-10s %-16s %s\n", "denoised", name.substr(0, 16).c_str(), error.what());
    }
  }
  // What it costs, at 1080p.
  const Frame frame = [] {
    Frame f = makeFrame(1920, 1080, {Chroma::C420, 12});
    for (Plane& plane : f.planes)
      for (int y = 0; y < plane.height; ++y)
        for (int x = 0; x < plane.width; ++x)
          plane.row<uint16_t>(y)[x] =
              static_cast<uint16_t>(1000 + (x * 37 + y * 61) % 900 + (x / 40 % 2) * 900);
    return f;
  }();
  FinishSettings colour;
  colour.exposure = 0.3;
  for (const auto& [what, finisher] : {std::pair{"crisp", Finisher({{}, 0.24, 6}, {})},
                                       std::pair{"calm and crisp", Finisher({{0.8, 1.2}, 0.24, 6}, {})},
                                       std::pair{"crisp and colour", Finisher({{}, 0.24, 6}, colour)}}) {
    constexpr int kTimes = 8;
    const auto started = std::chrono::steady_clock::now();
    for (int i = 0; i < kTimes; ++i) finisher.finish(frame, {Chroma::C420, 8});
    const std::chrono::duration<double, std::milli> took = std::chrono::steady_clock::now() - started;
    std::printf("%-18s %6.1f ms a frame of 1920 × 1080\n", what, took.count() / kTimes);
  }
}
