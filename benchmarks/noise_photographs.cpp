// Noise removal on photographs that the simulated camera films through its pixels' aperture, panning and
// shaken: gain in PSNR for each plane, and where texture is strongest, for several settings side by side.
//   noise_photographs FOLDER [how many films] [frames] [key=value…]…     one column for each
//   `key=value,key=value`
// Films are rendered once and kept in FOLDER.
#include <cstdio>
#include <cstdlib>
#include <string>

#include "benchmarks/noise_films.h"
#include "core/base/error.h"
#include "core/noise/denoise.h"

namespace {

using namespace glenhaze;
namespace fs = std::filesystem;

constexpr int kWidth = 960, kHeight = 540;

// A pixel of the photograph fills one of the film, or two by two in every other film. Finer ones would alias,
// and what aliases no neighbour has.
sim::SimCamera camera(const fs::path& photograph, int number, double iso) {
  const sim::Scene scene = sim::photographScene(photograph);
  const sim::Quad& hung = scene.quads.front();
  sim::CameraSetup setup;
  setup.lens.width = kWidth;
  setup.lens.height = kHeight;
  setup.lens.fx = setup.lens.fy =
      static_cast<double>(hung.photograph_px_per_m * hung.corner.z) * (number % 2 == 0 ? 1 : 2);
  setup.lens.cx = (kWidth - 1) / 2.0;
  setup.lens.cy = (kHeight - 1) / 2.0;
  setup.samples = 9;
  if (iso > 0) setup.noise = sim::sensorNoiseAt(iso);
  // Pixels as angles: shaken by two or three of them, panned by more or less a frame.
  const double pixel = 1 / setup.lens.fx;
  const double pan = (number / 2 % 2 == 0 ? 4.3 : 1.2) * setup.fps * pixel;
  const sim::Shake shake{2 * pixel, 2 * pixel, 0.004, 0.5, 6, static_cast<unsigned>(number + 1)};
  return {setup, scene, [pan, shake](double t) {
            sim::Pose pose;
            pose.ry = -0.1 + pan * t;
            return sim::shaken(pose, shake, t);
          }};
}

DenoiseSettings settingsOf(std::string text) {
  DenoiseSettings settings;
  while (!text.empty()) {
    const auto comma = text.find(',');
    const std::string part = text.substr(0, comma);
    text = comma == std::string::npos ? "" : text.substr(comma + 1);
    const auto at = part.find('=');
    for (const DenoiseKey& key : denoiseKeys())
      if (part.substr(0, at) == key.name) key.set(settings, std::atof(part.c_str() + at + 1));
  }
  return settings;
}

struct Score {
  double luma = 0, cb = 0, cr = 0, texture = 0;
};

// Gains over what was filmed, dB.
Score scoreOf(const std::vector<Frame>& clean, const std::vector<Frame>& noisy, const NoiseCurve& curve,
              const DenoiseSettings& settings) {
  Denoiser denoiser(curve, settings);
  std::vector<Frame> out;
  for (const Frame& frame : noisy)
    if (auto done = denoiser.push(frame)) out.push_back(*done);
  while (auto done = denoiser.drain()) out.push_back(*done);
  Score score;
  // Frames with neighbours on both sides, as nearly all of a clip has them.
  double count = 0;
  for (size_t f = 8; f + 4 < out.size(); ++f, ++count) {
    const auto gain = [&](size_t p) {
      return bench::psnr(clean[f].planes[p], out[f].planes[p]) -
             bench::psnr(clean[f].planes[p], noisy[f].planes[p]);
    };
    score.luma += gain(0), score.cb += gain(1), score.cr += gain(2);
    score.texture += bench::psnrInTexture(clean[f].planes[0], out[f].planes[0]) -
                     bench::psnrInTexture(clean[f].planes[0], noisy[f].planes[0]);
  }
  return {score.luma / count, score.cb / count, score.cr / count, score.texture / count};
}

}  // namespace

int main(int argc, char** argv) {
  if (argc < 2 || argv[1][0] == '-')
    return std::fprintf(stderr, "noise_photographs FOLDER [films] [frames] [key=value,…]…\n"), 2;
  const fs::path folder = argv[1];
  const int films = argc > 2 ? std::atoi(argv[2]) : 8, frames = argc > 3 ? std::atoi(argv[3]) : 20;
  std::vector<std::string> columns(argv + std::min(argc, 4), argv + argc);
  if (columns.empty()) columns = {"", "smoothing=0", "frames_each_side=4"};
  fs::create_directories(folder);
  std::vector<fs::path> photographs;
  for (const auto& entry : fs::directory_iterator("/usr/share/backgrounds"))
    if (entry.path().extension() == ".jpg") photographs.push_back(entry.path());
  std::sort(photographs.begin(), photographs.end());
  if (photographs.empty()) return std::fprintf(stderr, "lomiri-wallpapers-16.04 is not installed\n"), 3;
  std::vector<Score> mean(columns.size());
  for (int i = 0; i < films; ++i) try {
      const fs::path& photograph = photographs[static_cast<size_t>(i) % photographs.size()];
      const double iso = 5000;
      const auto named = [&](const char* kind) {
        return folder / (std::to_string(i) + "-" + std::to_string(frames) + "-" + kind + ".mkv");
      };
      const auto clean = bench::film(
                     named("clean"), [&] { return camera(photograph, i, 0); }, frames),
                 noisy = bench::film(
                     named("noisy"), [&] { return camera(photograph, i, iso); }, frames);
      const NoiseCurve curve = bench::trueCurve(clean, noisy);
      std::printf("%-18.18s %5.2f dB |", photograph.stem().string().c_str(),
                  bench::psnr(clean[2].planes[0], noisy[2].planes[0]));
      for (size_t c = 0; c < columns.size(); ++c) {
        const Score s = scoreOf(clean, noisy, curve, settingsOf(columns[c]));
        std::printf(" %5.2f %5.2f %5.2f, texture %5.2f |", s.luma, s.cb, s.cr, s.texture);
        Score& m = mean[c];
        m = {m.luma + s.luma / films, m.cb + s.cb / films, m.cr + s.cr / films,
             m.texture + s.texture / films};
      }
      std::printf("\n");
      std::fflush(stdout);
    } catch (const Error& error) {
      return std::fprintf(stderr, "%s\n", error.what()), 1;
    }
  std::printf("%-27s |", "mean gain, Y Cb Cr");
  for (const Score& m : mean)
    std::printf(" %5.2f %5.2f %5.2f, texture %5.2f |", m.luma, m.cb, m.cr, m.texture);
  std::printf("\n");
  return 0;
}
