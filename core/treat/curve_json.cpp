#include "core/treat/curve_json.h"

namespace glenhaze {

using nlohmann::json;

json curveToJson(const NoiseCurve& c) {
  return {{"iso", c.iso},       {"light", c.light},     {"level", c.level},        {"sigma", c.sigma},
          {"spread", c.spread}, {"octaves", c.octaves}, {"primaries", c.primaries}};
}

NoiseCurve curveFromJson(const json& in) {
  NoiseCurve c;
  c.iso = in.at("iso").get<double>();
  c.light = in.at("light").get<std::string>();
  c.level = in.at("level").get<std::vector<double>>();
  c.sigma = in.at("sigma").get<decltype(c.sigma)>();
  c.spread = in.at("spread").get<decltype(c.spread)>();
  c.octaves = in.at("octaves").get<decltype(c.octaves)>();
  // Curves that were kept before had none.
  if (in.contains("primaries")) c.primaries = in.at("primaries").get<decltype(c.primaries)>();
  return c;
}

}  // namespace glenhaze
