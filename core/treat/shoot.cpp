#include "core/treat/shoot.h"

#include "core/treat/name_pattern.h"

#include <algorithm>
#include <array>
#include <span>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/json_text.h"
#include "core/base/numbers.h"
#include "core/media/sequence.h"
#include "core/motion/settings.h"
#include "core/profile/library.h"

namespace glenhaze {
namespace fs = std::filesystem;
using nlohmann::json;

namespace {

constexpr int kVersion = 1;

constexpr std::array kShapes = {"fill", "bars", "pixels"};

size_t indexOf(std::span<const char* const> names, const std::string& name, const char* key) {
  const auto at = std::find(names.begin(), names.end(), name);
  if (at == names.end()) throw std::invalid_argument(std::string(key) + " is not known: " + name);
  return static_cast<size_t>(at - names.begin());
}

// Relative names keep a shoot usable after the whole folder has been moved.
std::string nameFrom(const fs::path& path, const fs::path& folder) {
  const fs::path relative = path.empty() ? fs::path() : path.lexically_relative(folder);
  const bool below = !relative.empty() && *relative.begin() != "..";
  return pathToText(below ? relative : path);
}

fs::path pathFrom(const std::string& name, const fs::path& folder) {
  const fs::path path = pathFromText(name);
  return path.empty() || path.is_absolute() ? path : (folder / path).lexically_normal();
}

// Everything of a clip that this version knows; what it does not know stays in the file as it was.
constexpr std::array<const char*, 27> kClipKeys = {
    "path",          "profile",   "answer",      "lens_on",       "fill",
    "lens_amount",   "noise_on",  "iso",         "iso_estimate",  "iso_light",
    "light",         "denoise",   "shutter_on",  "shutter_local", "stabilization_on",
    "stabilization", "masks",     "hand",        "motion_log",    "turned",
    "range",         "stretches", "deinterlace", "hold_damage",   "by_itself",
    "render",        "pins"};

// A look is named relative to the shoot, like clips.
json finishToJson(FinishSettings settings, const fs::path& folder) {
  const std::string lut = settings.lut.empty() ? "" : nameFrom(settings.lut, folder);
  settings.lut.clear();
  json out = parseJson(finishToText(settings));
  out["lut"] = lut;
  return out;
}

FinishSettings finishFromJson(const json& in, const fs::path& folder) {
  FinishSettings settings = finishFromText(jsonText(in));
  settings.lut = pathFrom(in.value("lut", std::string()), folder);
  return settings;
}

FrameRange rangeFromJson(const json& in) {
  const FrameRange range{wholeOf<int64_t>(in.at(0)), wholeOf<int64_t>(in.at(1))};
  if (range.first < 0 || range.last <= range.first)
    throw std::invalid_argument("clips.range holds no frames");
  return range;
}

json clipToJson(const ShootClip& clip, const fs::path& folder) {
  json out = clip.kept_json.empty() ? json::object() : parseJsonOrNull(clip.kept_json);
  if (!out.is_object()) out = json::object();
  for (const char* key : kClipKeys) out.erase(key);
  out["path"] = nameFrom(clip.path, folder);
  if (!clip.assigned_profile.empty()) out["profile"] = clip.assigned_profile;
  if (clip.answer) out["answer"] = answerToJson(*clip.answer);
  if (!clip.lens_on) out["lens_on"] = false;
  if (clip.fill) out["fill"] = *clip.fill;
  if (clip.lens_amount) out["lens_amount"] = *clip.lens_amount;
  if (!clip.noise_on) out["noise_on"] = false;
  if (clip.iso) out["iso"] = *clip.iso;
  if (clip.iso_estimate)
    out["iso_estimate"] = {clip.iso_estimate->iso, clip.iso_estimate->low, clip.iso_estimate->high};
  if (clip.iso_estimate && !clip.iso_estimate->light.empty()) out["iso_light"] = clip.iso_estimate->light;
  if (clip.light) out["light"] = *clip.light;
  if (clip.denoise) out["denoise"] = parseJson(denoiseToText(*clip.denoise));
  if (!clip.shutter_on) out["shutter_on"] = false;
  if (clip.shutter_local) out["shutter_local"] = true;
  if (!clip.stabilization_on) out["stabilization_on"] = false;
  if (clip.stabilization) out["stabilization"] = parseJson(stabilizationToText(*clip.stabilization));
  if (!clip.finish_on) out["finish_on"] = false;
  if (clip.finish) out["finish"] = finishToJson(*clip.finish, folder);
  if (!clip.masks.empty()) out["masks"] = parseJson(masksToText(clip.masks));
  if (!clip.hand.empty()) out["hand"] = parseJson(handKeysToText(clip.hand));
  if (!clip.motion_log.empty()) out["motion_log"] = nameFrom(clip.motion_log, folder);
  if (clip.turned != 0) out["turned"] = clip.turned;
  if (clip.range) out["range"] = {clip.range->first, clip.range->last};
  for (const Stretch& stretch : clip.stretches) {
    json one = {{"range", {stretch.frames.first, stretch.frames.last}}};
    if (!stretch.reason.empty()) one["reason"] = stretch.reason;
    out["stretches"].push_back(std::move(one));
  }
  for (const Point& pin : clip.pins) out["pins"].push_back({pin.x, pin.y});
  if (clip.deinterlace) out["deinterlace"] = true;
  if (clip.hold_damage) out["hold_damage"] = true;
  if (clip.by_itself) out["by_itself"] = true;
  if (!clip.render) out["render"] = false;
  return out;
}

ShootClip clipFromJson(const json& in, const fs::path& folder) {
  ShootClip clip;
  clip.path = pathFrom(in.at("path").get<std::string>(), folder);
  if (clip.path.filename().empty()) throw std::invalid_argument("clips.path is no file name");
  clip.kept_json = jsonText(in);
  clip.assigned_profile = in.value("profile", "");
  if (in.contains("answer")) clip.answer = answerFromJson(in["answer"]);
  clip.lens_on = in.value("lens_on", true);
  const auto share = [&](const char* key) { return std::clamp(in[key].get<double>(), 0.0, 1.0); };
  if (in.contains("fill")) clip.fill = share("fill");
  if (in.contains("lens_amount")) clip.lens_amount = share("lens_amount");
  clip.noise_on = in.value("noise_on", true);
  if (in.contains("iso")) clip.iso = in["iso"].get<double>();
  if (in.contains("iso_estimate")) {
    clip.iso_estimate.emplace();
    clip.iso_estimate->iso = in["iso_estimate"].at(0).get<double>();
    clip.iso_estimate->low = in["iso_estimate"].at(1).get<double>();
    clip.iso_estimate->high = in["iso_estimate"].at(2).get<double>();
    clip.iso_estimate->light = in.value("iso_light", "");
  }
  if (in.contains("light")) clip.light = in["light"].get<std::string>();
  if (in.contains("denoise")) clip.denoise = denoiseFromText(jsonText(in["denoise"]));
  clip.shutter_on = in.value("shutter_on", true);
  clip.shutter_local = in.value("shutter_local", false);
  clip.stabilization_on = in.value("stabilization_on", true);
  if (in.contains("stabilization")) clip.stabilization = stabilizationFromText(jsonText(in["stabilization"]));
  clip.finish_on = in.value("finish_on", true);
  if (in.contains("finish")) clip.finish = finishFromJson(in["finish"], folder);
  clip.masks = masksFromText(jsonText(in.value("masks", json::array())));
  clip.hand = handKeysFromText(jsonText(in.value("hand", json::array())));
  clip.motion_log = pathFrom(in.value("motion_log", std::string()), folder);
  clip.turned = ((wholeOr<int>(in, "turned", 0) / 90) % 4 + 4) % 4 * 90;
  for (const double iso : {clip.iso.value_or(100), clip.iso_estimate ? clip.iso_estimate->iso : 100})
    if (!isIso(iso)) throw std::invalid_argument("clips.iso is out of range: " + exactText(iso));
  if (in.contains("range")) clip.range = rangeFromJson(in["range"]);
  for (const json& one : in.value("stretches", json::array()))
    clip.stretches.push_back({rangeFromJson(one.at("range")), one.value("reason", std::string())});
  for (const json& pin : in.value("pins", json::array()))
    clip.pins.push_back(
        {std::clamp(pin.at(0).get<double>(), 0.0, 1.0), std::clamp(pin.at(1).get<double>(), 0.0, 1.0)});
  clip.deinterlace = in.value("deinterlace", false);
  clip.hold_damage = in.value("hold_damage", false);
  clip.by_itself = in.value("by_itself", false);
  clip.render = in.value("render", true);
  return clip;
}

}  // namespace

EncodeSettings encodingOf(const OutputSettings& output, const ClipInfo& clip) {
  EncodeSettings encode = output.encode;
  if (clip.kind == ClipKind::Film || isStillCodec(encode.codec) || !output.stills_stay) return encode;
  encode.codec = clip.codec == "mjpeg" ? Codec::Jpeg : clip.codec == "tiff" ? Codec::Tiff : Codec::Png;
  // No worse than it came.
  encode.quality = Quality::High;
  encode.bit_rate.reset();
  return encode;
}

namespace {

void outputToJson(const OutputSettings& o, const fs::path& folder, json& out) {
  out["folder"] = nameFrom(o.folder, folder);
  out["codec"] = codecName(o.encode.codec);
  out["stills"] = o.stills_stay ? "stay" : "films";
  out.erase("name");
  if (!o.name.empty()) out["name"] = o.name;
  out["quality"] = kQualityNames[static_cast<size_t>(o.encode.quality)];
  out["sound"] = soundName(o.encode.sound);
  out.erase("encoder");
  if (o.encode.graphics) out["encoder"] = "graphics";
  out.erase("bit_rate");
  if (o.encode.bit_rate) out["bit_rate"] = *o.encode.bit_rate;
  out["size"] = {o.size.width, o.size.height};
  out["shape"] = kShapes[static_cast<size_t>(o.shape)];
  out["place"] = {o.place.x, o.place.y};
  out["fill"] = o.fill;
  out["lens_amount"] = o.lens_amount;
  out["lens_on"] = o.lens_on;
  out["shutter_on"] = o.shutter_on;
  out["noise_on"] = o.noise_on;
  out["stabilization_on"] = o.stabilization_on;
  out["finish_on"] = o.finish_on;
}

OutputSettings outputFromJson(const json& in, const fs::path& folder) {
  OutputSettings o;
  o.folder = pathFrom(in.value("folder", ""), folder);
  const auto codec = codecFromName(in.value("codec", "h264"));
  if (!codec) throw std::invalid_argument("output.codec is not known: " + in.value("codec", ""));
  o.encode.codec = *codec;
  o.stills_stay = in.value("stills", "stay") != std::string("films");
  o.name = in.value("name", "");
  if (const std::string fault = patternFault(o.name); !fault.empty())
    throw std::invalid_argument("output.name: " + fault);
  o.encode.quality =
      static_cast<Quality>(indexOf(kQualityNames, in.value("quality", "standard"), "output.quality"));
  const std::string sound_name = in.value("sound", "keep");
  const auto sound = soundFromName(sound_name);
  if (!sound) throw std::invalid_argument("output.sound is not known: " + sound_name);
  o.encode.sound = *sound;
  constexpr std::array kEncoders{"processor", "graphics"};
  o.encode.graphics = indexOf(kEncoders, in.value("encoder", "processor"), "output.encoder") == 1;
  if (in.contains("bit_rate")) o.encode.bit_rate = wholeOf<int64_t>(in["bit_rate"]);
  if (o.encode.bit_rate && (*o.encode.bit_rate < 10'000 || *o.encode.bit_rate > 4'000'000'000))
    throw std::invalid_argument("output.bit_rate is out of range");
  if (in.contains("size")) o.size = {wholeOf<int>(in["size"].at(0)), wholeOf<int>(in["size"].at(1))};
  if (!isOutputSize(o.size))
    throw std::invalid_argument("output.size is neither 0 × 0 nor 16 to 16384 px each way");
  o.shape = static_cast<OutputShape>(indexOf(kShapes, in.value("shape", "fill"), "output.shape"));
  if (in.contains("place"))
    o.place = {std::clamp(in["place"].at(0).get<double>(), -1.0, 1.0),
               std::clamp(in["place"].at(1).get<double>(), -1.0, 1.0)};
  o.fill = std::clamp(in.value("fill", 1.0), 0.0, 1.0);
  o.lens_amount = std::clamp(in.value("lens_amount", 1.0), 0.0, 1.0);
  o.lens_on = in.value("lens_on", true);
  o.shutter_on = in.value("shutter_on", true);
  o.noise_on = in.value("noise_on", true);
  o.stabilization_on = in.value("stabilization_on", true);
  o.finish_on = in.value("finish_on", true);
  return o;
}

}  // namespace

namespace {

// A place in the picture as shown, from −1 to 1, in the picture as stored.
Point placeAsStored(Point shown, const ClipInfo& clip) {
  if (clip.mirrored) shown.x = -shown.x;
  switch (clip.rotation) {
    case 90:
      return {shown.y, -shown.x};
    case 180:
      return {-shown.x, -shown.y};
    case 270:
      return {-shown.y, shown.x};
    default:
      return shown;
  }
}

}  // namespace

Delivery deliveryOf(const OutputSettings& output, const ClipInfo& info) {
  const PictureSize clip{info.width, info.height};
  PictureSize size = output.size;
  if (info.rotation % 180 != 0) std::swap(size.width, size.height);
  const Point place = placeAsStored(output.place, info);
  if (size.width == 0 || clip.width <= 0 || clip.height <= 0) return {};
  const double across = static_cast<double>(size.width) / clip.width,
               down = static_cast<double>(size.height) / clip.height;
  const bool same_shape = std::abs(clip.width * down - size.width) < 1;
  const bool middle = place.x == 0 && place.y == 0;
  const bool whole = output.shape != OutputShape::Pixels && same_shape;
  if (whole || (output.shape == OutputShape::Fill && middle))
    return {size == clip ? PictureSize{} : size, {}};
  const double scale = output.shape == OutputShape::Pixels ? 1
                       : output.shape == OutputShape::Bars ? std::min(across, down)
                                                           : std::max(across, down);
  const PictureSize picture{std::max(1, static_cast<int>(std::lround(clip.width * scale))),
                            std::max(1, static_cast<int>(std::lround(clip.height * scale)))};
  if (picture == size) return {size == clip ? PictureSize{} : size, {}};
  const auto at = [](int room, int needed, double where) {
    return static_cast<int>(std::lround((room - needed) * (1 + where) / 2));
  };
  return {picture == clip ? PictureSize{} : picture,
          {size, at(size.width, picture.width, place.x), at(size.height, picture.height, place.y)}};
}

bool isOutputSize(const PictureSize& size) {
  const auto usable = [](int side) { return side >= 16 && side <= 16384; };
  return (size.width == 0 && size.height == 0) || (usable(size.width) && usable(size.height));
}

bool isIso(double iso) { return iso >= 1 && iso < 1e7; }

fs::path Shoot::outputFolder() const {
  if (!output.folder.empty()) return output.folder;
  const fs::path base = !path.empty()    ? path.parent_path()
                        : !clips.empty() ? clips.front().path.parent_path()
                                         : fs::current_path();
  return base / "rendered";
}

fs::path Shoot::profileFolder() const { return path.empty() ? fs::path() : path.parent_path() / "profiles"; }

std::vector<fs::path> Shoot::profileFolders() const {
  std::vector<fs::path> folders;
  if (!path.empty()) folders = {profileFolder(), path.parent_path()};
  folders.push_back(profileLibraryFolder());
  return folders;
}

CameraAnswer answerOf(const Shoot& shoot, const ShootClip& clip, const ClipInfo& info) {
  if (clip.answer) return *clip.answer;
  if (shoot.answers.empty()) return {};  // making keys takes its time where there are very many clips
  for (const std::string& key : {answerKey(info), roughAnswerKey(info)})
    if (const auto known = shoot.answers.find(key); known != shoot.answers.end()) return known->second;
  return {};
}

void takeRemembered(Shoot& shoot, size_t clip, const ClipInfo& info, const AnswerBook& book) {
  if (info.width <= 0 || shoot.clips[clip].answer) return;
  const std::string key = answerKey(info);
  if (shoot.answers.contains(key) || shoot.answers.contains(roughAnswerKey(info))) return;
  if (const auto answer = book.find(info)) shoot.answers[key] = *answer;
}

namespace {

// What is kept for keys that are not known. Each clip keeps its own, and there may be very many.
std::string textWithoutClips(json in) {
  in.erase("clips");
  return jsonText(in);
}

}  // namespace

std::string shootToJson(const Shoot& shoot, const fs::path& beside) {
  json out = json::object();
  if (!shoot.kept_json.empty()) {
    json kept = parseJsonOrNull(shoot.kept_json);
    if (kept.is_object()) out = std::move(kept);
  }
  const fs::path folder = fs::absolute(beside).parent_path();
  out["format"] = "glenhaze-shoot";
  out["version"] = kVersion;
  out["name"] = shoot.name;
  out["clips"] = json::array();
  for (const ShootClip& clip : shoot.clips) out["clips"].push_back(clipToJson(clip, folder));
  out["references"] = json::array();
  for (const fs::path& path : shoot.references) out["references"].push_back(nameFrom(path, folder));
  if (!shoot.iso_pattern.empty())
    out["iso_pattern"] = shoot.iso_pattern;
  else
    out.erase("iso_pattern");
  const json kept_answers = out.value("answers", json::object());
  out["answers"] = json::object();
  for (const auto& [key, answer] : shoot.answers) {
    json& one = out["answers"][key];
    one = kept_answers.is_object() ? kept_answers.value(key, json::object()) : json::object();
    if (!one.is_object()) one = json::object();
    one.erase("remembered");
    one.merge_patch(answerToJson(answer));
  }
  outputToJson(shoot.output, folder, out["output"]);
  return jsonText(out, 2) + "\n";
}

Shoot parseShoot(const std::string& text, const fs::path& path) {
  const auto fail = [&](const std::string& why) -> Error {
    return {ErrorKind::Unreadable, "This is not a usable shoot", path.string(), why,
            "Choose a file that ends in .glenhaze-shoot.json"};
  };
  try {
    const json in = parseJson(text);
    if (!in.is_object() || in.value("format", "") != "glenhaze-shoot")
      throw fail("it does not say format \"glenhaze-shoot\"");
    if (wholeOr<int>(in, "version", 0) > kVersion) throw fail("it was written by a newer version");
    const fs::path folder = fs::absolute(path).parent_path();
    Shoot shoot;
    shoot.path = fs::absolute(path);
    shoot.name = in.value("name", "");
    for (const json& clip : in.value("clips", json::array()))
      shoot.clips.push_back(clipFromJson(clip, folder));
    for (const json& name : in.value("references", json::array()))
      shoot.references.push_back(pathFrom(name.get<std::string>(), folder));
    shoot.iso_pattern = in.value("iso_pattern", std::string());
    constexpr size_t kLongestPattern = 256;
    if (shoot.iso_pattern.size() > kLongestPattern) throw std::invalid_argument("iso_pattern is too long");
    const json answers = in.value("answers", json::object());
    for (const auto& [key, answer] : answers.items()) shoot.answers[key] = answerFromJson(answer);
    shoot.output = outputFromJson(in.value("output", json::object()), folder);
    shoot.kept_json = textWithoutClips(in);
    return shoot;
  } catch (const json::exception& e) {
    throw fail(e.what());
  } catch (const std::invalid_argument& e) {
    throw fail(e.what());
  }
}

Shoot loadShoot(const fs::path& path) { return parseShoot(readFile(path), path); }

void saveShoot(Shoot& shoot, const fs::path& path) {
  const std::string text = shootToJson(shoot, path);
  writeFileAtomically(path, text);
  shoot.path = fs::absolute(path);
  shoot.kept_json = textWithoutClips(parseJson(text));
}

std::string outputToText(const OutputSettings& output) {
  json out;
  outputToJson(output, {}, out);
  return jsonText(out);
}

OutputSettings outputFromText(const std::string& text) {
  try {
    return outputFromJson(parseJson(text), {});
  } catch (const std::exception&) {
    return {};
  }
}

Shoot shootFromFolder(const fs::path& folder) {
  Shoot shoot;
  shoot.name = fs::absolute(folder / ".").lexically_normal().parent_path().filename().string();
  for (const fs::path& path : listFootage(folder)) {
    ShootClip clip;
    clip.path = fs::absolute(path).lexically_normal();
    shoot.clips.push_back(clip);
  }
  return shoot;
}

}  // namespace glenhaze
