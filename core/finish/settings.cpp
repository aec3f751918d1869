#include "core/finish/settings.h"

#include <algorithm>
#include <array>

#include "core/base/error.h"
#include "core/base/json_text.h"
#include "core/base/numbers.h"
#include "core/finish/colour.h"

namespace glenhaze {

using nlohmann::json;

namespace {

template <auto Member>
constexpr FinishKey keyOf(const char* name, double low, double high) {
  return {name, low, high, [](const FinishSettings& s) { return s.*Member; },
          [](FinishSettings& s, double v) { s.*Member = v; }};
}

constexpr std::array kKeys{keyOf<&FinishSettings::crisp>("crisp", 0, 3),
                           keyOf<&FinishSettings::calm>("calm", 0, 1),
                           keyOf<&FinishSettings::shimmer>("shimmer", 0, 1),
                           keyOf<&FinishSettings::halo>("halo", 0, 64),
                           keyOf<&FinishSettings::exposure>("exposure", -4, 4),
                           keyOf<&FinishSettings::contrast>("contrast", 0.25, 3),
                           keyOf<&FinishSettings::black>("black", -0.2, 0.5),
                           keyOf<&FinishSettings::white>("white", 0.5, 1.2),
                           keyOf<&FinishSettings::saturation>("saturation", 0, 3),
                           keyOf<&FinishSettings::colour_dark>("colour_dark", 0, 2),
                           keyOf<&FinishSettings::colour_bright>("colour_bright", 0, 2),
                           keyOf<&FinishSettings::warmth>("warmth", -2, 2),
                           keyOf<&FinishSettings::tint>("tint", -1, 1)};

}  // namespace

std::span<const FinishKey> finishKeys() { return kKeys; }

bool FinishSettings::setsColour() const {
  FinishSettings plain;
  plain.crisp = crisp;
  plain.calm = calm;
  plain.shimmer = shimmer;
  plain.halo = halo;
  return !(*this == plain);
}

void setByName(FinishSettings& settings, const std::string& key, const std::string& value) {
  if (key == "lut") {
    settings.lut = pathFromText(value);
    return;
  }
  if (key == "log_curve") {
    requireLogCurve(value);
    settings.log_curve = value;
    return;
  }
  for (const FinishKey& known : kKeys) {
    if (key != known.name) continue;
    const auto number = parseNumber(value);
    if (!number || !(*number >= known.low && *number <= known.high))
      throw Error(ErrorKind::BadRequest, "The setting finish." + key + " is not usable", value, "",
                  "Give a number from " + exactText(known.low) + " to " + exactText(known.high));
    known.set(settings, *number);
    return;
  }
  std::string names = "Known: log_curve, lut";
  for (const FinishKey& known : kKeys) names += std::string(", ") + known.name;
  throw Error(ErrorKind::BadRequest, "There is no setting of this name", "finish." + key, "", names);
}

std::string finishToText(const FinishSettings& s) {
  json out;
  for (const FinishKey& key : kKeys) out[key.name] = key.get(s);
  out["log_curve"] = s.log_curve;
  out["lut"] = pathToText(s.lut);
  return jsonText(out);
}

FinishSettings finishFromText(const std::string& text) {
  const json in = parseJson(text);
  FinishSettings s;
  for (const FinishKey& key : kKeys)
    if (const auto at = in.find(key.name); at != in.end() && at->is_number())
      key.set(s, std::clamp(at->get<double>(), key.low, key.high));
  s.log_curve = in.value("log_curve", "");
  s.lut = pathFromText(in.value("lut", ""));
  return s;
}

}  // namespace glenhaze
