#include "tests/fuzz/targets.h"

#include <unistd.h>

#include <array>
#include <cmath>
#include <cstdlib>
#include <fstream>
#include <stdexcept>

#include "core/base/error.h"
#include "core/clip/info_text.h"
#include "core/finish/flicker.h"
#include "core/media/coding.h"
#include "core/media/reader.h"
#include "core/media/telemetry.h"
#include "core/motion/log.h"
#include "core/motion/tracks.h"
#include "core/profile/library.h"
#include "core/profile/profile.h"
#include "core/run/plan.h"
#include "core/treat/treatment.h"
#include "tests/support/footage.h"

namespace glenhaze::fuzz {

namespace {

namespace fs = std::filesystem;

std::string textOf(Bytes bytes) { return {reinterpret_cast<const char*>(bytes.data()), bytes.size()}; }

// A file with these bytes under a name of its own for this process, gone afterwards.
class Scratch {
 public:
  Scratch(Bytes bytes, const char* ending)
      : path_(fs::temp_directory_path() / ("glenhaze-fuzz-" + std::to_string(::getpid()) + ending)) {
    std::ofstream(path_, std::ios::binary)
        .write(reinterpret_cast<const char*>(bytes.data()), static_cast<std::streamsize>(bytes.size()));
  }
  ~Scratch() {
    std::error_code ignored;
    fs::remove(path_, ignored);
  }
  const fs::path& path() const { return path_; }

 private:
  fs::path path_;
};

void require(bool ok, const char* what) {
  if (!ok) throw std::logic_error(what);
}

ClipInfo someClip() {
  ClipInfo info;
  info.path = "/card/a.mp4";
  info.width = 320;
  info.height = 180;
  info.fps = info.nominal_fps = {30, 1};
  info.time_base = {1, 30};
  info.frames = 10;
  info.duration_s = 1.0 / 3;
  info.make = "Limpet";
  info.model = "A1";
  info.iso = 400;
  return info;
}

// ---- profiles ----

void runProfile(Bytes bytes) {
  const Profile profile = parseProfile(textOf(bytes), "fuzz");
  const std::string written = profileToJson(profile);
  require(profileToJson(parseProfile(written, "fuzz")) == written, "a profile changed by being written");
  checkProfile(profile);
  Shoot shoot;
  shoot.clips.emplace_back().path = someClip().path;
  const std::vector<ClipInfo> infos = {someClip()};
  planShoot(shoot, infos, std::span(&profile, 1));
}

std::vector<std::string> profileSeeds() {
  Profile p;
  p.camera.name = "Limpet A1";
  p.camera.width = 320;
  p.camera.height = 180;
  LensPart lens;
  lens.lens = testing::testLens(LensModel::BrownConrady);
  lens.rms_px = 0.2;
  lens.evidence.emplace_back().kind = "chart";
  p.lens = lens;
  ShutterPart shutter;
  shutter.shutter = {0.016, ScanDirection::Down};
  p.shutter = shutter;
  NoisePart noise;
  NoiseCurve& curve = noise.entries.emplace_back().curve;
  curve.iso = 400;
  curve.level = {16, 128, 235};
  for (auto& sigma : curve.sigma) sigma = {1, 2, 1.5};
  noise.hot_pixels = {{3, 4, 50}};
  p.noise = noise;
  StabilizationPart steady;
  steady.masks.push_back({{{0, 0}, {1, 0}, {0.5, 1}}, 0, -1});
  p.stabilization = steady;
  return {profileToJson(p), R"({"format":"glenhaze-profile","version":1,"camera":{"name":"x"},"later":[1]})",
          R"({"format":"glenhaze-profile","version":99})"};
}

// ---- shoots ----

void runShoot(Bytes bytes) {
  const fs::path path = "/shoots/s.glenhaze-shoot.json";
  const Shoot shoot = parseShoot(textOf(bytes), path);
  const std::string written = shootToJson(shoot, path);
  require(shootToJson(parseShoot(written, path), path) == written, "a shoot changed by being written");
  const std::vector<ClipInfo> infos(shoot.clips.size(), someClip());
  for (const ClipPlan& plan : planShoot(shoot, infos, {})) estimatedBytes(plan);
}

std::vector<std::string> shootSeeds() {
  return {
      R"({"format":"glenhaze-shoot","version":1,"name":"Tide mill","clips":[{"path":"a.mp4","iso":400,"range":[1,5],)"
      R"("turned":90,"hold_damage":true,"denoise":{"luma":0.5},"stabilization":{"steadying":"hold-still"},)"
      R"("masks":[{"corners":[[0,0],[1,0],[1,1]],"first":0,"last":4}],"hand":[{"frame":3,"shift":[1,2]}]}],)"
      R"("references":["b.mp4"],"iso_pattern":"ISO####","output":{"codec":"h265","size":[1920,1080],"fill":0.5}})",
      R"({"format":"glenhaze-shoot","version":1,"clips":[{"path":"file:%2Fx%FF"}],"more":{"a":[]}})"};
}

// ---- what lies beside clips ----

void runLog(Bytes bytes) {
  const MotionLog log = parseMotionLog(textOf(bytes), "fuzz");
  for (const auto& sample : log.samples)
    require(std::isfinite(sample.time_s) && std::isfinite(sample.rate.x), "a number that is none");
}
std::vector<std::string> logSeeds() {
  std::string text = "t,x,y,z\n";
  for (int i = 0; i < 12; ++i) text += std::to_string(i) + "e-2,0.1,-0.2," + std::to_string(i) + "\n";
  return {text, "\xEF\xBB\xBF# log\r\nt;x;y;z\r\n0;1;2;3\r\n", "0,0,0,0\n0,0,0,0\n"};
}

void runSubtitles(Bytes bytes) {
  parseTelemetry(textOf(bytes));
  for (const char* ending : {".srt", ".vtt"}) {
    const Scratch file(bytes, ending);
    readTimedNotes(file.path());
  }
}
std::vector<std::string> subtitleSeeds() {
  return {
      "1\n00:00:00,000 --> 00:00:01,000\ncamera: Skerrel D3; iso: 400\n\n2\n00:00:01,000 --> "
      "00:00:02,000\n[iso : "
      "800] [shutter : 1/60]\n",
      "WEBVTT\n\n00:00.000 --> 00:01.000\nISO 1600\n"};
}

void runClip(Bytes bytes) {
  constexpr size_t kEndings = 6;
  static constexpr std::array<const char*, kEndings> kEnding = {".mp4", ".mkv", ".avi",
                                                                ".ts",  ".mov", ".png"};
  if (bytes.empty()) return;
  const Scratch file(bytes.subspan(1), kEnding[bytes[0] % kEndings]);
  const ClipInfo info = probe(file.path());
  if (!info.readable(Damage::Hold)) return;
  // A picture may claim any size; what a real one would take is not what is looked for here.
  constexpr int kLargest = 4096;
  if (info.width > kLargest || info.height > kLargest) return;
  const Coding coding = codingOf(info);
  require(!coding.step || *coding.step > 0, "a coder without steps");
  ClipReader reader(info, {1, Fields::Keep, Damage::Hold});
  for (int i = 0; i < 3; ++i)
    if (const auto frame = reader.next()) require(frame->index == i, "frames out of order");
  if (info.frames > 1) {
    reader.seek(info.frames / 2);
    if (const auto frame = reader.next())
      require(frame->index == info.frames / 2 || reader.sizeChange(), "another frame than was asked for");
  }
}
std::vector<std::string> clipSeeds() {
  const testing::ScratchFolder folder;
  std::vector<std::string> seeds;
  const std::array<const char*, 6> made = {"-c:v libx264 -bf 2 -g 6", "-c:v libx264 -g 6",
                                           "-c:v mjpeg -q:v 20",      "-c:v mpeg2video -g 6",
                                           "-c:v prores_ks",          "-frames:v 1"};
  const std::array<const char*, 6> ending = {".mp4", ".mkv", ".avi", ".ts", ".mov", ".png"};
  for (size_t i = 0; i < made.size(); ++i) {
    const auto path = testing::makeWithFfmpeg(
        folder / ("seed" + std::string(ending[i])),
        std::string("-f lavfi -i testsrc2=size=48x32:rate=25:duration=0.4 ") + made[i]);
    std::ifstream file(path, std::ios::binary);
    seeds.push_back(std::string(1, static_cast<char>(i)) +
                    std::string(std::istreambuf_iterator<char>(file), std::istreambuf_iterator<char>()));
  }
  return seeds;
}

// ---- what we keep ourselves ----

void runKept(Bytes bytes) {
  const std::string text = textOf(bytes);
  if (const auto info = clipInfoFromText(text))
    require(clipInfoFromText(clipInfoToText(*info)).has_value(), "a clip's facts cannot be read back");
  if (const auto path = flickerFromText(text))
    require(flickerFromText(flickerToText(*path)) == path, "flicker");
  try {
    const Treatment treatment = treatmentFromJson(text);
    require(treatmentFromJson(treatmentToJson(treatment)) == treatment,
            "a treatment changed by being written");
  } catch (const std::logic_error& error) {
    if (std::string_view(error.what()).starts_with("a treatment")) throw;
  } catch (const std::exception&) {
    // As its header says.
  }
  const Scratch file(bytes, ".tracks");
  loadTracks({file.path(), "key"});
  outputFromText(text);
}
std::vector<std::string> keptSeeds() {
  FlickerPath flicker;
  flicker.gain = {1, 0.9F, 1.1F};
  const Scratch file({}, ".tracks");
  TrackRecord record;
  record.width = 32;
  record.height = 16;
  record.frames.resize(3);
  saveTracks(record, {file.path(), "key"});
  std::ifstream in(file.path(), std::ios::binary);
  return {clipInfoToText(someClip()), flickerToText(flicker), treatmentToJson(Treatment{}),
          std::string(std::istreambuf_iterator<char>(in), std::istreambuf_iterator<char>()),
          outputToText(OutputSettings{})};
}

void runCalibration(Bytes bytes) {
  for (const char* ending : {".yml", ".xml", ".json"}) {
    const Scratch file(bytes, ending);
    try {
      fromOpenCvFile(file.path(), {});
    } catch (const Error&) {
    }
  }
}
std::vector<std::string> calibrationSeeds() {
  Profile p;
  p.camera.name = "x";
  p.camera.width = 320;
  p.camera.height = 180;
  LensPart lens;
  lens.lens = testing::testLens(LensModel::BrownConrady);
  p.lens = lens;
  return {toOpenCvYaml(p)};
}

}  // namespace

std::span<const Target> targets() {
  static const std::array<Target, 7> all = {{{"profile", runProfile, profileSeeds},
                                             {"shoot", runShoot, shootSeeds},
                                             {"motion-log", runLog, logSeeds},
                                             {"subtitles", runSubtitles, subtitleSeeds},
                                             {"clip", runClip, clipSeeds},
                                             {"kept", runKept, keptSeeds},
                                             {"calibration", runCalibration, calibrationSeeds}}};
  return all;
}

bool holds(const Target& target, Bytes bytes, std::string& why) {
  try {
    target.run(bytes);
    return true;
  } catch (const Error& error) {
    why = error.what();
    return !why.empty();
  } catch (const std::exception& error) {
    why = std::string("not an Error: ") + error.what();
  } catch (...) {
    why = "not even an exception";
  }
  return false;
}

}  // namespace glenhaze::fuzz
