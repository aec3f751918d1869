#include "simulator/recipe.h"

#include <algorithm>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/json_text.h"

namespace glenhaze::sim {

using nlohmann::json;

CameraSetup cameraByName(const std::string& name) {
  CameraSetup s;
  Lens& lens = s.lens;
  if (name == "skerrel-d3") {
    lens.model = LensModel::BrownConrady;
    lens.width = 1920;
    lens.height = 1080;
    lens.fx = 1152;
    lens.fy = 1151;
    lens.cx = 966.4;
    lens.cy = 533.7;
    lens.k = {-0.214, 0.0486, 0.0004, -0.0003, -0.0051};
    s.readout_s = 0.0148;
    s.sharpening = 0.35;
    return s;
  }
  if (name == "limpet-a1" || name == "limpet-a1-port") {
    lens.model = LensModel::KannalaBrandt;
    lens.width = 1280;
    lens.height = 720;
    lens.fx = 566;
    lens.fy = 566;
    lens.cx = 636.2;
    lens.cy = 363.1;
    lens.k = {-0.021, -0.0042, 0.0009, -0.0002, 0};
    s.readout_s = 0.0112;
    s.sharpening = 0.7;
    if (name == "limpet-a1-port") s.port_index = 1.339;
    return s;
  }
  throw Error(ErrorKind::BadRequest, "There is no simulated camera of this name", name, "",
              "Known: skerrel-d3, limpet-a1, limpet-a1-port");
}

namespace {

constexpr double kDegree = 3.14159265358979323846 / 180;

// {"x","y","z"} in metres, {"pitch","yaw","roll"} in degrees; yaw right, pitch up and roll clockwise
// positive.
Pose poseFrom(const json& in, const Pose& base) {
  Pose p = base;
  p.position = {in.value("x", base.position.x), in.value("y", base.position.y),
                in.value("z", base.position.z)};
  p.rx = in.value("pitch", base.rx / kDegree) * kDegree;
  p.ry = in.value("yaw", base.ry / kDegree) * kDegree;
  p.rz = in.value("roll", base.rz / kDegree) * kDegree;
  return p;
}

ClipRecipe clipFrom(const json& in, unsigned number) {
  ClipRecipe r;
  r.file = in.at("file").get<std::string>();
  r.camera = cameraByName(in.at("camera").get<std::string>());
  r.scene = in.value("scene", "mill");
  if (in.contains("size")) {
    const int w = in["size"].at(0).get<int>(), h = in["size"].at(1).get<int>();
    r.camera.lens = scaledLens(r.camera.lens, w, h);
  }
  FilmSettings& f = r.film;
  f.fps = parseRational(in.value("fps", "30")).value_or(Rational{30, 1});
  f.frames = std::lround(in.value("seconds", 2.5) * f.fps.value());
  f.bit_rate = in.value("bit_rate", int64_t{9'000'000});
  if (in.value("codec", "h264") == "ffv1") f.codec = FilmCodec::Ffv1;
  f.sound = in.value("sound", true);
  f.rotation = in.value("rotation", 0);
  f.interlaced = in.value("interlaced", false);
  f.dropped = in.value("dropped", std::vector<int64_t>{});
  f.keep_share = in.value("keep_share", 1.0);
  f.make = in.value("make", "");
  f.model = in.value("model", "");
  f.telemetry = in.value("telemetry", "");
  f.creation_time = in.value("creation_time", f.creation_time);
  f.timecode = in.value("timecode", "");
  const int iso = in.value("iso", 100);
  if (in.value("tag_iso", !f.make.empty())) f.iso = iso;
  r.camera.fps = f.fps.value();
  r.camera.seed = in.value("seed", number * 101 + 7);
  r.camera.noise = sensorNoiseAt(iso, in.value("blotch", 0.5));
  r.camera.exposure = in.value("exposure", 1.0);
  r.camera.samples = in.value("samples", 4);
  r.camera.aperture = in.value("aperture", 1.0);
  r.camera.sharpening = in.value("sharpening", r.camera.sharpening);
  r.camera.hot_pixels = in.value("hot_pixels", 0);
  r.camera.pulsing = in.value("pulsing", 0.0);
  r.camera.open_s = in.value("open_ms", 0.0) / 1000;
  if (in.contains("readout_ms")) r.camera.readout_s = in["readout_ms"].get<double>() / 1000;
  r.from = poseFrom(in.value("from", json::object()), {});
  r.to = poseFrom(in.value("to", json::object()), r.from);
  const json shake = in.value("shake", json::object());
  r.shake = {shake.value("pitch", 0.0) * kDegree, shake.value("yaw", 0.0) * kDegree,
             shake.value("roll", 0.0) * kDegree,  shake.value("low_hz", 0.5),
             shake.value("high_hz", 6.0),         number * 13 + 5};
  r.bob = in.value("bob", 0.0) * kDegree;
  for (const json& blow : in.value("blows", json::array()))
    r.blows.push_back({blow.at("at").get<double>(), blow.value("half", 0.1),
                       blow.value("pitch", 0.0) * kDegree, blow.value("roll", 0.0) * kDegree});
  for (const json& pose : in.value("held", json::array())) r.held.push_back(poseFrom(pose, {}));
  return r;
}

}  // namespace

std::vector<ClipRecipe> readRecipe(const std::filesystem::path& path) {
  try {
    const json in = parseJson(readFile(path));
    std::vector<ClipRecipe> recipes;
    for (const json& clip : in.at("clips"))
      recipes.push_back(clipFrom(clip, static_cast<unsigned>(recipes.size() + 1)));
    return recipes;
  } catch (const json::exception& e) {
    throw Error(ErrorKind::Unreadable, "This is not a usable recipe", path.string(), e.what(), "");
  }
}

SimCamera cameraOf(const ClipRecipe& r) {
  const double length = static_cast<double>(r.film.frames) / r.film.fps.value();
  const auto motion = [from = r.from, to = r.to, shake = r.shake, bob = r.bob, blows = r.blows, held = r.held,
                       length](double t) {
    if (!held.empty()) {
      const double at = std::clamp(t / length, 0.0, 0.9999) * static_cast<double>(held.size());
      return held[static_cast<size_t>(at)];
    }
    const double s = std::clamp(t / std::max(length, 1e-9), 0.0, 1.0);
    // Eased at both ends, as a practised hand moves a camera.
    const double e = s * s * (3 - 2 * s);
    Pose p;
    p.rx = from.rx + (to.rx - from.rx) * e;
    p.ry = from.ry + (to.ry - from.ry) * e;
    p.rz = from.rz + (to.rz - from.rz) * e + bob * std::sin(2 * 3.14159265 * 0.45 * t);
    p.position = mix(from.position, to.position, static_cast<float>(e));
    p.position.y += static_cast<float>(bob * 2 * std::sin(2 * 3.14159265 * 0.31 * t + 1));
    for (const Blow& b : blows) {
      const double u = (t - b.at_s) / b.half_s, height = std::exp(-u * u / 2);
      p.rx += b.pitch * height;
      p.rz += b.roll * height;
    }
    return shaken(p, shake, t);
  };
  return {r.camera, sceneByName(r.scene), motion};
}

void makeClips(const std::vector<ClipRecipe>& recipes, const std::filesystem::path& folder,
               const std::filesystem::path& truth_folder, const std::vector<std::string>& only,
               const std::function<void(const std::string&)>& say) {
  std::filesystem::create_directories(folder);
  if (!truth_folder.empty()) std::filesystem::create_directories(truth_folder);
  for (const ClipRecipe& r : recipes) {
    if (!only.empty() && std::find(only.begin(), only.end(), r.file) == only.end()) continue;
    const SimCamera camera = cameraOf(r);
    writeFilm(folder / r.file, camera, r.film);
    if (!truth_folder.empty())
      writeFileAtomically(truth_folder / (r.file + ".truth.json"), truthJson(camera, r.film));
    say(r.file);
  }
}

}  // namespace glenhaze::sim
