#include "core/clip/info_text.h"

#include "core/base/json_text.h"

namespace glenhaze {

using nlohmann::json;

namespace {

constexpr int kVersion = 1;  // raised when a probe finds something else in the same file

json fraction(const Rational& r) { return {r.num, r.den}; }
Rational fractionFrom(const json& in) {
  const Rational r{wholeOf<int64_t>(in.at(0)), wholeOf<int64_t>(in.at(1))};
  if (r.den <= 0) throw std::invalid_argument("a fraction over nothing");
  return r;
}

json timesToJson(const FrameTimes& t) {
  json out = {{"start", t.stampAt(0)},
              {"count", t.count()},
              {"ticks", t.usualTicks()},
              {"fault", static_cast<int>(t.fault())}};
  if (t.isEven()) return out;
  // Steps are short numbers.
  json steps = json::array();
  for (int64_t i = 1; i < t.count(); ++i) steps.push_back(t.stampAt(i) - t.stampAt(i - 1));
  out["steps"] = std::move(steps);
  return out;
}

FrameTimes timesFromJson(const json& in) {
  const auto start = wholeOf<int64_t>(in.at("start"));
  const auto fault = enumOf(in.at("fault"), FrameTimes::Fault::Gap);
  if (!in.contains("steps"))
    return FrameTimes::kept(start, in.at("ticks").get<double>(), wholeOf<int64_t>(in.at("count")), fault, {});
  std::vector<int64_t> stamps{start};
  for (const json& step : in["steps"]) {
    int64_t next = 0;
    if (__builtin_add_overflow(stamps.back(), wholeOf<int64_t>(step), &next))
      throw std::invalid_argument("time stamps are out of range");
    stamps.push_back(next);
  }
  const auto count = static_cast<int64_t>(stamps.size());
  return FrameTimes::kept(start, in.at("ticks").get<double>(), count, fault, std::move(stamps));
}

json formatToJson(const ClipInfo& i) {
  return {{"codec", i.codec},
          {"pixel_format", i.pixel_format},
          {"chroma", static_cast<int>(i.format.chroma)},
          {"bit_depth", i.format.bit_depth},
          {"colour",
           {i.colour.primaries, i.colour.transfer, i.colour.matrix, i.colour.full_range ? 1 : 0,
            static_cast<int>(i.colour.siting)}},
          {"sample_aspect", fraction(i.sample_aspect)},
          {"rotation", i.rotation},
          {"mirrored", i.mirrored},
          {"transparent", i.transparent},
          {"interlaced", i.interlaced}};
}

void formatFromJson(const json& in, ClipInfo& i) {
  i.codec = in.at("codec").get<std::string>();
  i.pixel_format = in.at("pixel_format").get<std::string>();
  i.format.chroma = enumOf(in.at("chroma"), Chroma::C444);
  i.format.bit_depth = wholeOf<int>(in.at("bit_depth"));
  const json& c = in.at("colour");
  i.colour = {wholeOf<int>(c.at(0)), wholeOf<int>(c.at(1)), wholeOf<int>(c.at(2)), wholeOf<int>(c.at(3)) != 0,
              enumOf(c.at(4), ChromaSiting::TopLeft)};
  i.sample_aspect = fractionFrom(in.at("sample_aspect"));
  i.rotation = wholeOf<int>(in.at("rotation"));
  i.mirrored = in.at("mirrored").get<bool>();
  i.transparent = in.at("transparent").get<bool>();
  i.interlaced = in.at("interlaced").get<bool>();
}

}  // namespace

std::string clipInfoToText(const ClipInfo& i) {
  json out = {{"version", kVersion},
              {"kind", static_cast<int>(i.kind)},
              {"size", {i.width, i.height}},
              {"fps", fraction(i.fps)},
              {"nominal_fps", fraction(i.nominal_fps)},
              {"time_base", fraction(i.time_base)},
              {"start_pts", i.start_pts},
              {"container_start_s", i.container_start_s},
              {"frames", i.frames},
              {"duration_s", i.duration_s},
              {"format", formatToJson(i)},
              {"variable_rate", i.variable_rate},
              {"make", i.make},
              {"model", i.model},
              {"camera_note", i.camera_note},
              {"iso_changes", i.iso_changes},
              {"creation_time", i.creation_time},
              {"timecode", i.timecode},
              {"sound", json::array()},
              {"problems", json::array()}};
  if (i.iso) out["iso"] = *i.iso;
  if (i.times) out["times"] = timesToJson(*i.times);
  for (const SoundInfo& s : i.sound) out["sound"].push_back({s.codec, s.channels, s.sample_rate});
  for (const ClipProblem& p : i.problems)
    out["problems"].push_back({static_cast<int>(p.kind), p.text, p.fatal});
  return jsonText(out);
}

std::optional<ClipInfo> clipInfoFromText(const std::string& text) {
  try {
    const json in = parseJson(text);
    if (wholeOf<int>(in.at("version")) != kVersion) return std::nullopt;
    ClipInfo i;
    i.kind = enumOf(in.at("kind"), ClipKind::Still);
    i.width = wholeOf<int>(in.at("size").at(0));
    i.height = wholeOf<int>(in.at("size").at(1));
    i.fps = fractionFrom(in.at("fps"));
    i.nominal_fps = fractionFrom(in.at("nominal_fps"));
    i.time_base = fractionFrom(in.at("time_base"));
    i.start_pts = wholeOf<int64_t>(in.at("start_pts"));
    i.container_start_s = in.at("container_start_s").get<double>();
    i.frames = wholeOf<int64_t>(in.at("frames"));
    i.duration_s = in.at("duration_s").get<double>();
    formatFromJson(in.at("format"), i);
    i.variable_rate = in.at("variable_rate").get<bool>();
    i.make = in.at("make").get<std::string>();
    i.model = in.at("model").get<std::string>();
    i.camera_note = in.at("camera_note").get<std::string>();
    i.iso_changes = in.at("iso_changes").get<decltype(i.iso_changes)>();
    i.creation_time = in.at("creation_time").get<std::string>();
    i.timecode = in.at("timecode").get<std::string>();
    if (in.contains("iso")) i.iso = wholeOf<int>(in["iso"]);
    if (in.contains("times")) i.times = std::make_shared<FrameTimes>(timesFromJson(in["times"]));
    for (const json& s : in.at("sound"))
      i.sound.push_back({s.at(0).get<std::string>(), wholeOf<int>(s.at(1)), wholeOf<int>(s.at(2))});
    for (const json& p : in.at("problems"))
      i.problems.push_back(
          {enumOf(p.at(0), ClipProblem::Kind::Other), p.at(1).get<std::string>(), p.at(2).get<bool>()});
    return i;
  } catch (const std::exception&) {
    return std::nullopt;
  }
}

}  // namespace glenhaze
