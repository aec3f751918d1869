#include "core/motion/settings.h"

#include <algorithm>
#include <array>

#include "core/base/error.h"
#include "core/base/json_text.h"
#include "core/base/numbers.h"

namespace glenhaze {

using nlohmann::json;

namespace {

template <auto Member>
constexpr StabilizationKey keyOf(const char* name, double low, double high) {
  using Value = std::remove_reference_t<decltype(std::declval<StabilizationSettings&>().*Member)>;
  return {name, low, high, [](const StabilizationSettings& s) { return static_cast<double>(s.*Member); },
          [](StabilizationSettings& s, double v) { s.*Member = static_cast<Value>(v); }};
}

constexpr std::array kKeys{keyOf<&StabilizationSettings::smoothing_s>("smoothing_s", 0.05, 20),
                           keyOf<&StabilizationSettings::pan>("pan", 0, 1),
                           keyOf<&StabilizationSettings::tilt>("tilt", 0, 1),
                           keyOf<&StabilizationSettings::roll>("roll", 0, 1),
                           keyOf<&StabilizationSettings::shift>("shift", 0, 1),
                           keyOf<&StabilizationSettings::scale>("scale", 0, 1),
                           keyOf<&StabilizationSettings::level>("level", 0, 1),
                           keyOf<&StabilizationSettings::level_roll_deg>("level_roll_deg", -180, 180),
                           keyOf<&StabilizationSettings::crop_limit>("crop_limit", 0, 0.8)};

constexpr std::array<const char*, 3> kSteadying = {"off", "keep-move", "hold-still"};
constexpr std::array<const char*, 3> kParts = {"most", "far", "near"};
constexpr std::array<const char*, 3> kFraming = {"filled", "filled-slowly", "uncropped"};

template <typename Value>
std::optional<Value> fromName(const std::array<const char*, 3>& names, const std::string& name) {
  const auto at = std::find(names.begin(), names.end(), name);
  if (at == names.end()) return std::nullopt;
  return static_cast<Value>(at - names.begin());
}

std::string listed(const std::array<const char*, 3>& names) {
  return std::string(names[0]) + ", " + names[1] + " or " + names[2];
}

}  // namespace

std::span<const StabilizationKey> stabilizationKeys() { return kKeys; }

std::string steadyingName(Steadying steadying) { return kSteadying[static_cast<size_t>(steadying)]; }
std::optional<Steadying> steadyingFromName(const std::string& name) {
  return fromName<Steadying>(kSteadying, name);
}
std::string framingName(Framing framing) { return kFraming[static_cast<size_t>(framing)]; }
std::optional<Framing> framingFromName(const std::string& name) { return fromName<Framing>(kFraming, name); }

void setByName(StabilizationSettings& settings, const std::string& key, const std::string& value) {
  const auto wrong = [&](const std::string& hint) -> Error {
    return {ErrorKind::BadRequest, "The setting stabilization." + key + " is not usable", value, "", hint};
  };
  if (key == "steadying") {
    const auto s = steadyingFromName(value);
    if (!s) throw wrong("Give " + listed(kSteadying));
    settings.steadying = *s;
    return;
  }
  if (key == "framing") {
    const auto f = framingFromName(value);
    if (!f) throw wrong("Give " + listed(kFraming));
    settings.framing = *f;
    return;
  }
  if (key == "part") {
    const auto p = fromName<SteadiedPart>(kParts, value);
    if (!p) throw wrong("Give " + listed(kParts));
    settings.part = *p;
    return;
  }
  for (const StabilizationKey& known : kKeys) {
    if (key != known.name) continue;
    const auto number = parseNumber(value);
    if (!number || !(*number >= known.low && *number <= known.high))
      throw wrong("Give a number from " + exactText(known.low) + " to " + exactText(known.high));
    known.set(settings, *number);
    return;
  }
  std::string names = "Known: steadying, framing, part";
  for (const StabilizationKey& known : kKeys) names += std::string(", ") + known.name;
  throw Error(ErrorKind::BadRequest, "There is no setting of this name", "stabilization." + key, "", names);
}

std::string stabilizationToText(const StabilizationSettings& s) {
  json out = {{"steadying", steadyingName(s.steadying)},
              {"framing", framingName(s.framing)},
              {"part", kParts[static_cast<size_t>(s.part)]}};
  for (const StabilizationKey& key : kKeys) out[key.name] = key.get(s);
  out["level"] = s.level;
  for (const WindowKey& k : s.window)
    out["window"].push_back({{"frame", k.frame}, {"offset", {k.offset.x, k.offset.y}}, {"size", k.size}});
  return jsonText(out);
}

StabilizationSettings stabilizationFromText(const std::string& text) {
  const json in = parseJson(text);
  StabilizationSettings s;
  s.steadying = steadyingFromName(in.value("steadying", "")).value_or(s.steadying);
  s.framing = framingFromName(in.value("framing", "")).value_or(s.framing);
  s.part = fromName<SteadiedPart>(kParts, in.value("part", "")).value_or(s.part);
  for (const StabilizationKey& key : kKeys)
    if (const auto at = in.find(key.name); at != in.end() && at->is_number())
      key.set(s, std::clamp(at->get<double>(), key.low, key.high));
  s.level = in.value("level", false);
  for (const json& k : in.value("window", json::array()))
    s.window.push_back({wholeOf<int64_t>(k.at("frame")),
                        {k.at("offset").at(0).get<double>(), k.at("offset").at(1).get<double>()},
                        std::clamp(k.at("size").get<double>(), 0.1, 1.0)});
  return s;
}

std::string masksToText(const std::vector<MotionMask>& masks) {
  json out = json::array();
  for (const MotionMask& m : masks) {
    json one = {{"corners", json::array()}};
    for (const Point& p : m.corners) one["corners"].push_back({p.x, p.y});
    if (m.first > 0 || m.last >= 0) one["frames"] = {m.first, m.last};
    out.push_back(one);
  }
  return jsonText(out);
}

std::vector<MotionMask> masksFromText(const std::string& text) {
  std::vector<MotionMask> masks;
  for (const json& one : parseJson(text)) {
    MotionMask m;
    for (const json& p : one.at("corners"))
      m.corners.push_back({p.at(0).get<double>(), p.at(1).get<double>()});
    if (one.contains("frames")) {
      m.first = wholeOf<int64_t>(one["frames"].at(0));
      m.last = wholeOf<int64_t>(one["frames"].at(1));
    }
    masks.push_back(std::move(m));
  }
  return masks;
}

}  // namespace glenhaze
