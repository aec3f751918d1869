#include "core/treat/treatment.h"

#include <array>
#include <stdexcept>

#include "core/base/digest.h"
#include "core/base/json_text.h"
#include "core/motion/settings.h"
#include "core/profile/profile.h"
#include "core/treat/curve_json.h"
#include "core/treat/lens_json.h"

namespace glenhaze {

using nlohmann::json;

namespace {

constexpr std::array<const char*, 2> kFields = {"keep", "deinterlace"};
constexpr std::array<const char*, 2> kDamage = {"refuse", "hold"};

template <typename Value, size_t N>
Value fromName(const std::array<const char*, N>& names, const json& in) {
  const auto name = in.get<std::string>();
  for (size_t i = 0; i < N; ++i)
    if (name == names[i]) return static_cast<Value>(i);
  throw std::invalid_argument("not known: " + name);
}

json cleaningToJson(const Cleaning& c) {
  json out = {{"settings", parseJson(denoiseToText(c.settings))},
              {"changes", json::array()},
              {"hot_pixels", json::array()}};
  if (c.noise) out["noise"] = curveToJson(*c.noise);
  for (const NoiseChange& change : c.changes)
    out["changes"].push_back({{"first", change.first}, {"curve", curveToJson(change.curve)}});
  for (const HotPixel& p : c.hot_pixels) out["hot_pixels"].push_back({p.x, p.y, p.excess});
  return out;
}

Cleaning cleaningFromJson(const json& in) {
  Cleaning c;
  c.settings = denoiseFromText(jsonText(in.at("settings")));
  if (in.contains("noise")) c.noise = curveFromJson(in["noise"]);
  for (const json& change : in.at("changes"))
    c.changes.push_back({wholeOf<int64_t>(change.at("first")), curveFromJson(change.at("curve"))});
  for (const json& p : in.at("hot_pixels"))
    c.hot_pixels.push_back({wholeOf<int>(p.at(0)), wholeOf<int>(p.at(1)), p.at(2).get<double>()});
  return c;
}

json motionToJson(const MotionTreatment& m) {
  return {{"readout_s", m.shutter.readout_s},
          {"direction", scanDirectionName(m.shutter.direction)},
          {"own_shutter", m.own_shutter},
          {"own_motion", m.own_motion},
          {"settings", parseJson(stabilizationToText(m.settings))},
          {"masks", parseJson(masksToText(m.masks))},
          {"hand", parseJson(handKeysToText(m.hand))},
          {"log", pathToText(m.log)},
          {"log_id", m.log_id.text()}};
}

MotionTreatment motionFromJson(const json& in) {
  MotionTreatment m;
  m.shutter.readout_s = in.at("readout_s").get<double>();
  const auto direction = scanDirectionFromName(in.at("direction").get<std::string>());
  if (!direction) throw std::invalid_argument("direction is not known");
  m.shutter.direction = *direction;
  m.own_shutter = in.at("own_shutter").get<bool>();
  m.own_motion = in.at("own_motion").get<bool>();
  m.settings = stabilizationFromText(jsonText(in.at("settings")));
  m.masks = masksFromText(jsonText(in.at("masks")));
  m.hand = handKeysFromText(jsonText(in.at("hand")));
  m.log = pathFromText(in.at("log").get<std::string>());
  m.log_id = FileId::fromText(in.at("log_id").get<std::string>());
  return m;
}

json finishingToJson(const Finishing& f) {
  return {{"settings", parseJson(finishToText(f.settings))},
          {"camera", {f.camera.amount, f.camera.radius_px}},
          {"lut_id", f.lut_id.text()}};
}

Finishing finishingFromJson(const json& in) {
  Finishing f;
  f.settings = finishFromText(jsonText(in.at("settings")));
  f.camera = {in.at("camera").at(0).get<double>(), in.at("camera").at(1).get<double>()};
  f.lut_id = FileId::fromText(in.at("lut_id").get<std::string>());
  return f;
}

}  // namespace

std::string treatmentToJson(const Treatment& t) {
  json out = {{"lens_amount", t.lens_amount},
              {"fill", t.fill},
              {"output", {t.output.width, t.output.height}},
              {"fields", kFields[static_cast<size_t>(t.fields)]},
              {"damage", kDamage[static_cast<size_t>(t.damage)]},
              {"range", {t.range.first, t.range.last}},
              {"codec", codecName(t.codec)},
              {"quality", kQualityNames[static_cast<size_t>(t.quality)]},
              {"sound", soundName(t.sound)},
              {"graphics", t.graphics}};
  if (t.canvas.size.width > 0)
    out["canvas"] = {t.canvas.size.width, t.canvas.size.height, t.canvas.x, t.canvas.y};
  if (t.bit_rate) out["bit_rate"] = *t.bit_rate;
  if (t.cleaning) out["cleaning"] = cleaningToJson(*t.cleaning);
  if (t.lens) out["lens"] = lensToJson(*t.lens);
  if (t.motion) out["motion"] = motionToJson(*t.motion);
  if (t.finishing) out["finishing"] = finishingToJson(*t.finishing);
  return jsonText(out);
}

Treatment treatmentFromJson(const std::string& text) {
  const json in = parseJson(text);
  Treatment t;
  t.lens_amount = in.at("lens_amount").get<double>();
  t.fill = in.at("fill").get<double>();
  t.output = {wholeOf<int>(in.at("output").at(0)), wholeOf<int>(in.at("output").at(1))};
  t.fields = fromName<Fields>(kFields, in.at("fields"));
  t.damage = fromName<Damage>(kDamage, in.at("damage"));
  t.range = {wholeOf<int64_t>(in.at("range").at(0)), wholeOf<int64_t>(in.at("range").at(1))};
  const auto codec = codecFromName(in.at("codec").get<std::string>());
  if (!codec) throw std::invalid_argument("codec is not known");
  t.codec = *codec;
  t.quality = fromName<Quality>(kQualityNames, in.at("quality"));
  const auto sound = soundFromName(in.at("sound").get<std::string>());
  if (!sound) throw std::invalid_argument("sound is not known");
  t.sound = *sound;
  if (in.contains("canvas")) {
    const json& c = in["canvas"];
    t.canvas = {{wholeOf<int>(c.at(0)), wholeOf<int>(c.at(1))}, wholeOf<int>(c.at(2)), wholeOf<int>(c.at(3))};
  }
  if (in.contains("bit_rate")) t.bit_rate = wholeOf<int64_t>(in["bit_rate"]);
  t.graphics = in.at("graphics").get<bool>();
  if (in.contains("cleaning")) t.cleaning = cleaningFromJson(in["cleaning"]);
  if (in.contains("lens")) t.lens = lensFromJson(in["lens"]);
  if (in.contains("motion")) t.motion = motionFromJson(in["motion"]);
  if (in.contains("finishing")) t.finishing = finishingFromJson(in["finishing"]);
  return t;
}

std::string partDigests(const Treatment& treatment, const FileId& clip) {
  const json all = parseJson(treatmentToJson(treatment));
  const auto digest = [](const std::string& text) {
    constexpr size_t kDigits = 12;  // two values alike by chance would only cost a word
    return digestOf(text).substr(0, kDigits);
  };
  const bool on_canvas = all.contains("canvas");
  const auto part = [&](std::initializer_list<const char*> keys) {
    json values = json::array();
    for (const char* key : keys) values.push_back(all.value(key, json()));
    return digest(jsonText(values));
  };
  return jsonText({{"program", digest(std::to_string(kAlgorithmVersion))},
                   {"footage", digest(clip.text())},
                   {"noise", part({"cleaning"})},
                   {"lens", part({"lens", "lens_amount"})},
                   {"fill", part({"fill"})},
                   {"shutter and stabilization", part({"motion"})},
                   {"finish", part({"finishing"})},
                   {"size", on_canvas ? part({"output", "canvas"}) : part({"output"})},
                   {"fields", part({"fields"})},
                   {"damaged frames", part({"damage"})},
                   {"in and out points", part({"range"})},
                   {"format", part({"codec", "quality", "bit_rate", "graphics"})},
                   {"sound", part({"sound"})}});
}

std::string fingerprintOf(const Treatment& treatment, const FileId& clip) {
  return digestOf("glenhaze " + std::to_string(kAlgorithmVersion) + "\n" + clip.text() + "\n" +
                  treatmentToJson(treatment));
}

}  // namespace glenhaze
