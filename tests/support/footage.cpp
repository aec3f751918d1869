#include "tests/support/footage.h"

#include "core/media/quiet.h"

#include <unistd.h>

#include <atomic>
#include <cmath>
#include <cstdlib>
#include <stdexcept>

namespace glenhaze::testing {
namespace fs = std::filesystem;

ScratchFolder::ScratchFolder() {
  quietLibraries();
  static std::atomic<int> number = 0;
  path_ = fs::temp_directory_path() /
          ("glenhaze-test-" + std::to_string(::getpid()) + "-" + std::to_string(++number));
  fs::create_directories(path_);
}

ScratchFolder::~ScratchFolder() {
  std::error_code code;
  fs::permissions(path_, fs::perms::owner_all, code);
  fs::remove_all(path_, code);
}

Lens testLens(LensModel model, int width, int height) {
  Lens lens;
  lens.model = model;
  lens.width = width;
  lens.height = height;
  lens.cx = (width - 1) / 2.0 + width * 0.006;
  lens.cy = (height - 1) / 2.0 - height * 0.008;
  switch (model) {
    case LensModel::BrownConrady:
      lens.fx = 0.62 * width;
      lens.fy = 0.618 * width;
      lens.k = {-0.21, 0.05, 0.0006, -0.0004, -0.004};
      break;
    case LensModel::KannalaBrandt:
      lens.fx = lens.fy = 0.45 * width;
      lens.k = {-0.02, -0.004, 0.0008, -0.0002, 0};
      break;
    case LensModel::Division:
      lens.fx = lens.fy = 0.6 * width;
      lens.k = {-0.18, 0, 0, 0, 0};
      break;
  }
  return lens;
}

sim::CameraSetup smallCamera(LensModel model, int width, int height) {
  sim::CameraSetup setup;
  setup.lens = testLens(model, width, height);
  setup.exposure = 1.2;
  return setup;
}

sim::SimCamera millCamera(const sim::CameraSetup& setup) {
  return {setup, sim::millScene(), [](double t) {
            sim::Pose pose;
            pose.position = {-0.5F, -0.5F, 3.0F};
            pose.ry = 0.04 + 0.05 * t;
            return pose;
          }};
}

sim::FilmSettings smallFilm(int64_t frames) {
  sim::FilmSettings settings;
  settings.frames = frames;
  settings.bit_rate = 0;
  settings.make = "Limpet";
  settings.model = "A1";
  settings.iso = 400;
  return settings;
}

fs::path makeFilm(const fs::path& path, const sim::FilmSettings& settings, const sim::CameraSetup& setup) {
  sim::CameraSetup camera = setup;
  camera.samples = 1;
  camera.fps = settings.fps.value();
  sim::writeFilm(path, millCamera(camera), settings);
  return path;
}

fs::path makeWithFfmpeg(const fs::path& path, const std::string& arguments) {
  const std::string command =
      "ffmpeg -nostdin -v error -y " + arguments + " '" + path.string() + "' </dev/null";
  if (std::system(command.c_str()) != 0) throw std::runtime_error("failed: " + command);
  return path;
}

double lumaPsnr(const Frame& a, const Frame& b, int border) {
  double sum = 0, count = 0;
  for (int y = border; y < a.height - border; ++y)
    for (int x = border; x < a.width - border; ++x) {
      const double d =
          a.planes[0].at(x, y, a.format.bytesPerSample()) - b.planes[0].at(x, y, b.format.bytesPerSample());
      sum += d * d;
      ++count;
    }
  const double max = a.format.maxValue();
  return 10 * std::log10(max * max * count / std::max(sum, 1e-9));
}

}  // namespace glenhaze::testing
