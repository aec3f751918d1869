#include "tests/support/footage.h"

#include "core/base/digest.h"
#include "core/media/quiet.h"

#include <unistd.h>

#include <atomic>
#include <cmath>
#include <cstdlib>
#include <stdexcept>
#include <type_traits>

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

namespace {

// Everything in the two structures; a field that is added must be added here.
std::string keyOf(const sim::FilmSettings& f, const sim::CameraSetup& c) {
  static_assert(sizeof(sim::FilmSettings) == 256 && sizeof(sim::CameraSetup) == 248);
  static_assert(std::is_trivially_copyable_v<sim::CameraSetup>);
  std::string key = f.fps.text();
  const auto add = [&key](const auto&... values) { ((key += "|" + std::to_string(values)), ...); };
  add(f.frames, static_cast<int>(f.codec), f.bit_rate, f.sound, f.rotation, f.interlaced, f.keep_share,
      f.iso.value_or(-1));
  for (const int64_t dropped : f.dropped) add(dropped);
  for (const std::string& text : {f.make, f.model, f.telemetry, f.creation_time, f.timecode})
    key += "|" + text;
  // What lies between fields may differ: then a film is made once more.
  return key + "|" + std::string(reinterpret_cast<const char*>(&c), sizeof c);
}

}  // namespace

fs::path rememberedFilm(const fs::path& path, const std::string& key,
                        const std::function<void(const fs::path&)>& make) {
  const char* folder_name = std::getenv("GLENHAZE_TEST_FILMS");
  if (folder_name == nullptr) {
    make(path);
    return path;
  }
  const fs::path folder = folder_name;
  const fs::path kept = folder / (digestOf(key).substr(0, 24) + path.extension().string());
  if (!fs::exists(kept)) {
    // Several tests may be at it at once: each makes its own, and the last one stays.
    const fs::path growing = folder / (std::to_string(::getpid()) + "-" + kept.filename().string());
    make(growing);
    fs::rename(growing, kept);
  }
  fs::copy_file(kept, path, fs::copy_options::overwrite_existing);
  return path;
}

fs::path makeFilm(const fs::path& path, const sim::FilmSettings& settings, const sim::CameraSetup& setup) {
  sim::CameraSetup camera = setup;
  camera.samples = 1;
  camera.fps = settings.fps.value();
  return rememberedFilm(path, "mill " + keyOf(settings, camera),
                        [&](const fs::path& to) { sim::writeFilm(to, millCamera(camera), settings); });
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
