#include "core/treat/lens_json.h"

#include <stdexcept>

#include "core/base/json_text.h"

namespace glenhaze {

using nlohmann::json;

json lensToJson(const Lens& l) {
  return {{"model", lensModelName(l.model)},
          {"size", {l.width, l.height}},
          {"focal_px", {l.fx, l.fy}},
          {"centre_px", {l.cx, l.cy}},
          {"coefficients", l.k}};
}

Lens lensFromJson(const json& in) {
  Lens l;
  const auto model = lensModelFromName(in.at("model").get<std::string>());
  if (!model) throw std::invalid_argument("lens model is not known");
  l.model = *model;
  l.width = wholeOf<int>(in.at("size").at(0));
  l.height = wholeOf<int>(in.at("size").at(1));
  l.fx = in.at("focal_px").at(0).get<double>();
  l.fy = in.at("focal_px").at(1).get<double>();
  l.cx = in.at("centre_px").at(0).get<double>();
  l.cy = in.at("centre_px").at(1).get<double>();
  l.k = in.at("coefficients").get<decltype(l.k)>();
  return l;
}

}  // namespace glenhaze
