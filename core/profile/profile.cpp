#include "core/profile/profile.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <cmath>

#include "core/base/digest.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/json_text.h"
#include "core/base/numbers.h"
#include "core/profile/detail/json_parts.h"

namespace glenhaze {

using nlohmann::json;

namespace {

constexpr int kProfileVersion = 1;

}  // namespace

namespace detail {

std::string originName(Origin origin) {
  return origin == Origin::ByHand ? "by-hand" : origin == Origin::Imported ? "imported" : "measured";
}

Origin originFromName(const std::string& name) {
  return name == "by-hand" ? Origin::ByHand : name == "imported" ? Origin::Imported : Origin::Measured;
}

std::string unknownKeys(const json& in, std::span<const char* const> known) {
  json kept = json::object();
  for (const auto& [key, value] : in.items())
    if (std::none_of(known.begin(), known.end(), [&key = key](const char* k) { return key == k; }))
      kept[key] = value;
  return kept.empty() ? std::string() : jsonText(kept);
}

void addKept(json& out, const std::string& kept) {
  if (kept.empty()) return;
  const json all = parseJsonOrNull(kept);
  if (!all.is_object()) return;
  for (const auto& [key, value] : all.items())
    if (!out.contains(key)) out[key] = value;
}

constexpr std::array<const char*, 9> kEvidenceKeys = {
    "kind", "source", "frame", "name", "residual_px", "before_px", "level", "sigma", "left_out"};

json evidenceToJson(const Evidence& e) {
  json out = {{"kind", e.kind}};
  if (!e.source.empty()) out["source"] = e.source;
  if (e.frame >= 0) out["frame"] = e.frame;
  if (!e.name.empty()) out["name"] = e.name;
  if (e.residual_px >= 0) out["residual_px"] = e.residual_px;
  if (e.before_px >= 0) out["before_px"] = e.before_px;
  if (e.level >= 0) out["level"] = std::round(e.level * 100) / 100;
  if (e.sigma >= 0) out["sigma"] = std::round(e.sigma * 1000) / 1000;
  if (!e.left_out.empty()) out["left_out"] = e.left_out;
  if (!e.marks.empty()) {
    json marks = json::array();
    // A hundredth of a pixel is finer than any mark is placed.
    for (const Point& p : e.marks)
      marks.push_back({std::round(p.x * 100) / 100, std::round(p.y * 100) / 100});
    out["marks"] = marks;
  }
  addKept(out, e.kept_json);
  return out;
}

Evidence evidenceFromJson(const json& in) {
  Evidence e;
  e.kind = in.value("kind", "");
  e.source = in.value("source", "");
  e.frame = wholeOr<int64_t>(in, "frame", -1);
  e.name = in.value("name", "");
  e.residual_px = in.value("residual_px", -1.0);
  e.before_px = in.value("before_px", -1.0);
  e.level = in.value("level", -1.0);
  e.sigma = in.value("sigma", -1.0);
  e.left_out = in.value("left_out", "");
  for (const json& p : in.value("marks", json::array()))
    e.marks.push_back({p.at(0).get<double>(), p.at(1).get<double>()});
  json others = in;
  others.erase("marks");
  e.kept_json = unknownKeys(others, kEvidenceKeys);
  return e;
}

}  // namespace detail

namespace {

using detail::evidenceFromJson;
using detail::evidenceToJson;
using detail::originFromName;
using detail::originName;

CameraMode cameraFromJson(const json& in) {
  CameraMode c;
  c.name = in.at("name").get<std::string>();
  const json& mode = in.at("mode");
  c.width = wholeOf<int>(mode.at("width"));
  c.height = wholeOf<int>(mode.at("height"));
  const std::string fps = mode.value("fps", "");
  c.fps = parseRational(fps);
  if (!fps.empty() && !c.fps) throw std::invalid_argument("camera.mode.fps is no frame rate: " + fps);
  c.view = mode.value("view", "");
  c.medium = mode.value("medium", "air");
  c.lens = mode.value("lens", "");
  const json in_camera = mode.value("in_camera", json::object());
  c.in_camera = {in_camera.value("stabilization", ""), in_camera.value("sharpening", ""),
                 in_camera.value("denoising", ""), in_camera.value("tone", "")};
  return c;
}

// Writes over the known keys and leaves the others as they were.
void cameraToJson(const CameraMode& c, json& out) {
  out["name"] = c.name;
  json& mode = out["mode"];
  mode["width"] = c.width;
  mode["height"] = c.height;
  mode["fps"] = c.fps ? c.fps->text() : "";
  mode["view"] = c.view;
  mode["medium"] = c.medium;
  mode["lens"] = c.lens;
  json& in_camera = mode["in_camera"];
  in_camera["stabilization"] = c.in_camera.stabilization;
  in_camera["sharpening"] = c.in_camera.sharpening;
  in_camera["denoising"] = c.in_camera.denoising;
  in_camera["tone"] = c.in_camera.tone;
}

LensPart lensFromJson(const json& in, const CameraMode& camera) {
  LensPart part;
  const std::string model = in.at("model").get<std::string>();
  const auto known = lensModelFromName(model);
  if (!known) throw std::invalid_argument("lens.model is not known: " + model);
  Lens& lens = part.lens;
  lens.model = *known;
  lens.width = camera.width;
  lens.height = camera.height;
  lens.fx = in.at("focal_px").at(0).get<double>();
  lens.fy = in.at("focal_px").at(1).get<double>();
  lens.cx = in.at("centre_px").at(0).get<double>();
  lens.cy = in.at("centre_px").at(1).get<double>();
  const json& coefficients = in.at("coefficients");
  if (coefficients.size() > lens.k.size())
    throw std::invalid_argument("lens.coefficients has too many values");
  for (size_t i = 0; i < coefficients.size(); ++i) lens.k[i] = coefficients[i].get<double>();
  lens.validate();
  part.rms_px = in.value("rms_px", -1.0);
  part.method = in.value("method", "");
  part.origin = originFromName(in.value("origin", "measured"));
  part.coverage = in.value("coverage", 0.0);
  part.stddev = in.value("stddev", std::vector<double>{});
  for (const json& e : in.value("evidence", json::array())) part.evidence.push_back(evidenceFromJson(e));
  return part;
}

void lensToJson(const LensPart& part, json& out) {
  const Lens& lens = part.lens;
  out["model"] = lensModelName(lens.model);
  out["focal_px"] = {lens.fx, lens.fy};
  out["centre_px"] = {lens.cx, lens.cy};
  out["coefficients"] = std::vector<double>(lens.k.begin(), lens.k.begin() + numCoefficients(lens.model));
  out.erase("rms_px");
  if (part.rms_px >= 0) out["rms_px"] = part.rms_px;
  out["method"] = part.method;
  out["origin"] = originName(part.origin);
  out["coverage"] = part.coverage;
  out.erase("stddev");
  if (!part.stddev.empty()) out["stddev"] = part.stddev;
  out["evidence"] = json::array();
  for (const Evidence& e : part.evidence) out["evidence"].push_back(evidenceToJson(e));
}

constexpr std::array<const char*, kNoiseChannels> kSigmaKeys = {"sigma_y", "sigma_cb", "sigma_cr"};
constexpr std::array<const char*, kNoiseChannels> kSpreadKeys = {"spread_y", "spread_cb", "spread_cr"};
constexpr std::array<const char*, 16> kCurveKeys = {
    "iso",      "level",   "method",   "origin",   "light",    "residual",  "octaves",   "points",
    "evidence", "sigma_y", "sigma_cb", "sigma_cr", "spread_y", "spread_cb", "spread_cr", "primaries"};

// Four digits are finer than any noise is known.
std::vector<double> rounded(std::vector<double> values) {
  for (double& v : values) v = std::round(v * 1e4) / 1e4;
  return values;
}

json noiseEntryToJson(const NoiseEntry& e) {
  json out = {
      {"iso", e.curve.iso}, {"level", e.curve.level}, {"method", e.method}, {"origin", originName(e.origin)}};
  if (!e.curve.light.empty()) out["light"] = e.curve.light;
  if (e.residual >= 0) out["residual"] = std::round(e.residual * 1e5) / 1e5;
  out["octaves"] = json::array();
  for (size_t c = 0; c < kNoiseChannels; ++c) {
    if (!e.curve.sigma[c].empty()) out[kSigmaKeys[c]] = rounded(e.curve.sigma[c]);
    if (!e.curve.spread[c].empty()) out[kSpreadKeys[c]] = rounded(e.curve.spread[c]);
    out["octaves"].push_back(rounded({e.curve.octaves[c].begin(), e.curve.octaves[c].end()}));
  }
  if (e.curve.primaries != NoiseCurve{}.primaries) {
    out["primaries"] = json::array();
    for (const auto& shares : e.curve.primaries)
      out["primaries"].push_back(rounded({shares.begin(), shares.end()}));
  }
  out["points"] = json::array();
  for (const NoisePoint& p : e.points)
    out["points"].push_back({{"level", std::round(p.level * 100) / 100},
                             {"variance", rounded({p.variance.begin(), p.variance.end()})},
                             {"weight", rounded({p.weight.begin(), p.weight.end()})}});
  out["evidence"] = json::array();
  for (const Evidence& one : e.evidence) out["evidence"].push_back(evidenceToJson(one));
  detail::addKept(out, e.kept_json);
  return out;
}

NoiseEntry noiseEntryFromJson(const json& in) {
  NoiseEntry e;
  e.curve.iso = in.at("iso").get<double>();
  e.curve.light = in.value("light", "");
  e.curve.level = in.at("level").get<std::vector<double>>();
  if (e.curve.level.empty() || !std::is_sorted(e.curve.level.begin(), e.curve.level.end()))
    throw std::invalid_argument("noise.curves.level must rise");
  for (size_t c = 0; c < kNoiseChannels; ++c) {
    e.curve.sigma[c] = in.value(kSigmaKeys[c], std::vector<double>{});
    e.curve.spread[c] = in.value(kSpreadKeys[c], std::vector<double>{});
    if (!e.curve.sigma[c].empty() && e.curve.sigma[c].size() != e.curve.level.size())
      throw std::invalid_argument(std::string("noise.curves.") + kSigmaKeys[c] +
                                  " has not one value for each level");
    for (const double s : e.curve.sigma[c])
      if (!(s >= 0 && s < 256))
        throw std::invalid_argument(std::string("noise.curves.") + kSigmaKeys[c] + " is out of range");
  }
  if (e.curve.sigma[0].empty()) throw std::invalid_argument("noise.curves.sigma_y is missing");
  const json octaves = in.value("octaves", json::array());
  for (size_t c = 0; c < std::min<size_t>(octaves.size(), kNoiseChannels); ++c)
    for (size_t o = 0; o < std::min<size_t>(octaves[c].size(), kNoiseOctaves); ++o)
      e.curve.octaves[c][o] = octaves[c][o].get<double>();
  const json primaries = in.value("primaries", json::array());
  for (size_t c = 0; c < std::min<size_t>(primaries.size(), kNoiseChannels); ++c) {
    e.curve.primaries[c] = primaries[c].get<std::array<double, 3>>();
    for (const double share : e.curve.primaries[c])
      if (!(share >= 0 && share <= 1)) throw std::invalid_argument("noise.curves.primaries is out of range");
  }
  e.method = in.value("method", "");
  e.origin = originFromName(in.value("origin", "measured"));
  e.residual = in.value("residual", -1.0);
  for (const json& p : in.value("points", json::array()))
    e.points.push_back({p.at("level").get<double>(),
                        p.at("variance").get<std::array<double, kNoiseChannels>>(),
                        p.at("weight").get<std::array<double, kNoiseChannels>>()});
  for (const json& one : in.value("evidence", json::array())) e.evidence.push_back(evidenceFromJson(one));
  e.kept_json = detail::unknownKeys(in, kCurveKeys);
  return e;
}

void noiseToJson(const NoisePart& part, json& out) {
  out["curves"] = json::array();
  for (const NoiseEntry& e : part.entries) out["curves"].push_back(noiseEntryToJson(e));
  out.erase("hot_pixels");
  for (const HotPixel& p : part.hot_pixels)
    out["hot_pixels"].push_back({p.x, p.y, std::round(p.excess * 10) / 10});
  json& d = out["denoise"];
  const json known = parseJson(denoiseToText(part.denoise));
  d.update(known);
}

NoisePart noiseFromJson(const json& in) {
  NoisePart part;
  for (const json& e : in.value("curves", json::array())) part.put(noiseEntryFromJson(e));
  for (const json& p : in.value("hot_pixels", json::array()))
    part.hot_pixels.push_back({wholeOf<int>(p.at(0)), wholeOf<int>(p.at(1)), p.at(2).get<double>()});
  part.denoise = denoiseFromText(jsonText(in.value("denoise", json::object())));
  return part;
}

std::string trimmedNumber(double value) {
  std::string text = fixedText(value, 6);
  text.erase(text.find_last_not_of('0') + 1);
  if (text.back() == '.') text.pop_back();
  return text;
}

}  // namespace

std::string folded(const std::string& text) {
  std::string out;
  for (const char ch : text) {
    const bool blank = ch == ' ' || ch == '\t';
    if (blank && (out.empty() || out.back() == ' ')) continue;
    out += blank ? ' ' : static_cast<char>(ch >= 'A' && ch <= 'Z' ? ch + 32 : ch);
  }
  if (!out.empty() && out.back() == ' ') out.pop_back();
  return out;
}

std::string CameraMode::describe() const {
  std::string text = std::to_string(width) + " × " + std::to_string(height);
  if (fps) text += " · " + trimmedNumber(std::round(fps->value() * 100) / 100);
  if (!view.empty()) text += " · " + view;
  if (!lens.empty()) text += " · " + lens;
  if (medium == "air")
    text += " · air";
  else if (medium == "flat-port-fresh")
    text += " · fresh water";
  else if (medium == "flat-port-sea")
    text += " · sea water";
  else
    text += " · " + medium;
  return text;
}

bool Profile::hasPart(const std::string& part) const {
  if (part == "lens") return lens.has_value();
  if (part == "noise") return noise.has_value();
  if (part == "shutter") return shutter.has_value();
  if (part == "stabilization") return stabilization.has_value();
  if (part == "finish") return finish.has_value();
  if (kept_json.empty()) return false;
  const json all = parseJsonOrNull(kept_json);
  return all.is_object() && all.contains(part) && all[part].is_object() && !all[part].empty();
}

Profile parseProfile(const std::string& text, const std::string& where) {
  const auto fail = [&](const std::string& why) -> Error {
    return {ErrorKind::Unreadable, "This is not a usable profile", where, why,
            "Choose a file that ends in .glenhaze.json, or measure the camera again"};
  };
  try {
    const json in = parseJson(text);
    if (!in.is_object() || in.value("format", "") != "glenhaze-profile")
      throw fail("it does not say format \"glenhaze-profile\"");
    if (wholeOr<int>(in, "version", 0) > kProfileVersion) throw fail("it was written by a newer version");
    Profile profile;
    profile.camera = cameraFromJson(in.at("camera"));
    if (in.contains("lens") && in["lens"].is_object() && in["lens"].contains("model"))
      profile.lens = lensFromJson(in["lens"], profile.camera);
    if (in.contains("noise") && in["noise"].is_object()) profile.noise = noiseFromJson(in["noise"]);
    if (in.contains("shutter") && in["shutter"].is_object() && in["shutter"].contains("readout_ms"))
      profile.shutter = detail::shutterFromJson(in["shutter"]);
    if (in.contains("stabilization") && in["stabilization"].is_object())
      profile.stabilization = detail::stabilizationFromJson(in["stabilization"]);
    if (in.contains("finish") && in["finish"].is_object())
      profile.finish = detail::finishFromJson(in["finish"]);
    profile.note = in.value("note", "");
    profile.kept_json = text;
    return profile;
  } catch (const json::exception& e) {
    throw fail(e.what());
  } catch (const std::invalid_argument& e) {
    throw fail(e.what());
  } catch (const Error& e) {
    if (e.kind() == ErrorKind::Unreadable) throw;
    throw fail(e.what());
  }
}

Profile loadProfile(const std::filesystem::path& path) {
  Profile profile = parseProfile(readFile(path), path.string());
  profile.path = path;
  return profile;
}

std::string profileToJson(const Profile& profile) {
  json out = json::object();
  if (!profile.kept_json.empty()) {
    json kept = parseJsonOrNull(profile.kept_json);
    if (kept.is_object()) out = std::move(kept);
  }
  out["format"] = "glenhaze-profile";
  out["version"] = kProfileVersion;
  cameraToJson(profile.camera, out["camera"]);
  // A part that was taken away goes; one that was never understood stays.
  const auto understood = [&](const char* part, const char* key) {
    return out.contains(part) && out[part].is_object() && out[part].contains(key);
  };
  if (profile.lens)
    lensToJson(*profile.lens, out["lens"]);
  else if (understood("lens", "model"))
    out.erase("lens");
  if (profile.noise)
    noiseToJson(*profile.noise, out["noise"]);
  else
    out.erase("noise");
  if (profile.shutter)
    detail::shutterToJson(*profile.shutter, out["shutter"]);
  else if (understood("shutter", "readout_ms"))
    out.erase("shutter");
  if (profile.stabilization)
    detail::stabilizationToJson(*profile.stabilization, out["stabilization"]);
  else
    out.erase("stabilization");
  if (profile.finish)
    detail::finishToJson(*profile.finish, out["finish"]);
  else
    out.erase("finish");
  if (profile.note.empty())
    out.erase("note");
  else
    out["note"] = profile.note;
  return jsonText(out, 2) + "\n";
}

std::string denoiseToText(const DenoiseSettings& s) {
  json out = json::object();
  for (const DenoiseKey& key : denoiseKeys()) {
    if (key.whole)
      out[key.name] = static_cast<int>(key.get(s));
    else
      out[key.name] = key.get(s);
  }
  return jsonText(out);
}

DenoiseSettings denoiseFromText(const std::string& text) {
  const json in = parseJson(text);
  DenoiseSettings s;
  for (const DenoiseKey& key : denoiseKeys())
    key.set(s, std::clamp(in.value(key.name, key.get(s)), key.low, key.high));
  return s;
}

std::string suggestedFileName(const CameraMode& c) {
  std::vector<std::string> parts = {c.name, std::to_string(c.width) + "x" + std::to_string(c.height)};
  // Three decimals tell every rate in use from every other: 23.976 and 24, 29.97 and 30.
  if (c.fps) parts.push_back(trimmedNumber(std::round(c.fps->value() * 1000) / 1000));
  for (const std::string& part : {c.view, c.lens, c.medium, c.in_camera.stabilization, c.in_camera.sharpening,
                                  c.in_camera.denoising, c.in_camera.tone})
    parts.push_back(part);
  std::string name, exact;
  bool told_apart = true;
  for (const std::string& part : parts) {
    const std::string said = folded(part);
    exact += said + '\n';
    if (said.empty()) continue;
    if (!name.empty()) name += '-';
    for (const char ch : said) {
      const auto u = static_cast<unsigned char>(ch);
      // Letters beyond ASCII stay; everything that file systems or shells stumble over becomes a dash.
      const bool stays = std::isalnum(u) != 0 || u >= 0x80 || ch == '.';
      told_apart = told_apart && (stays || ch == ' ' || (ch == '-' && part == c.medium));
      name += stays ? ch : '-';
    }
  }
  // The place of an unnamed part, and what became a dash, would be lost: a few digits of the whole tell.
  const bool ambiguous = !told_apart || !c.lens.empty() || !c.fps || !(c.in_camera == InCamera{});
  constexpr size_t kLongest = 150, kDigits = 8;
  if (ambiguous || name.size() > kLongest) {
    size_t end = std::min(name.size(), kLongest);
    // Not within a letter of several bytes.
    while (end > 0 && end < name.size() && (static_cast<unsigned char>(name[end]) & 0xC0U) == 0x80) --end;
    name = name.substr(0, end) + "-" + digestOf(exact).substr(0, kDigits);
  }
  return name + kProfileEnding;
}

std::vector<std::string> checkProfile(const Profile& profile) {
  std::vector<std::string> notes;
  if (profile.camera.name.empty()) notes.emplace_back("The camera has no name.");
  if (!profile.lens) {
    notes.emplace_back("The lens is not measured.");
    return notes;
  }
  const LensPart& part = *profile.lens;
  const LensMap map(part.lens);
  if (!map.coversPicture())
    notes.emplace_back("The lens model folds over inside the picture: its corners cannot be straightened.");
  if (part.origin == Origin::Measured && part.rms_px > 1.0)
    notes.push_back("The lens fits its evidence badly (" +
                    trimmedNumber(std::round(part.rms_px * 100) / 100) + " px RMS).");
  if (part.origin == Origin::Measured && part.coverage > 0 && part.coverage < 0.5)
    notes.push_back("The evidence covers only " + std::to_string(std::lround(part.coverage * 100)) +
                    " % of the picture; elsewhere the bend is extended, not measured.");
  return notes;
}

}  // namespace glenhaze
