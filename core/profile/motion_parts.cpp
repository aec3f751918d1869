#include "core/profile/motion_parts.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <filesystem>
#include <stdexcept>

#include "core/base/error.h"
#include "core/base/json_text.h"
#include "core/motion/settings.h"
#include "core/profile/detail/json_parts.h"

namespace glenhaze {

using nlohmann::json;

namespace {

constexpr std::array<const char*, 4> kPlots = {"none", "bands", "lean", "disagreement"};

// A thousandth of a millisecond, and a thousandth of a pixel, are finer than anything here is known.
double rounded(double v) { return std::round(v * 1000) / 1000; }

// A profile is read by people: as many points as a plot can show.
std::vector<std::pair<double, double>> thinned(const std::vector<std::pair<double, double>>& plot) {
  constexpr size_t kMost = 120;
  if (plot.size() <= kMost) return plot;
  std::vector<std::pair<double, double>> out;
  for (size_t i = 0; i < kMost; ++i) out.push_back(plot[i * (plot.size() - 1) / (kMost - 1)]);
  return out;
}

}  // namespace

ShutterPart shutterPartFrom(const ShutterFinding& finding, const std::string& method,
                            const std::string& source, double frame_interval_s) {
  ShutterPart part;
  part.shutter = finding.shutter;
  part.method = method;
  part.uncertainty_s = finding.uncertainty_s;
  part.frame_interval_s = frame_interval_s;
  part.plot_kind = finding.kind;
  part.plot = thinned(finding.plot);
  Evidence e;
  e.kind = method;
  e.source = std::filesystem::path(source).filename().string();
  e.residual_px =
      finding.kind == ShutterPlot::Disagreement || finding.kind == ShutterPlot::Lean ? finding.residual : -1;
  part.evidence.push_back(std::move(e));
  return part;
}

ShutterPart shutterPartByHand(const Shutter& shutter) {
  ShutterPart part;
  part.shutter = shutter;
  part.origin = Origin::ByHand;
  part.method = "typed";
  Evidence e;
  e.kind = "by hand";
  part.evidence.push_back(e);
  return part;
}

namespace detail {

void shutterToJson(const ShutterPart& part, json& out) {
  out["readout_ms"] = std::round(part.shutter.readout_s * 1e7) / 1e4;
  out["direction"] = scanDirectionName(part.shutter.direction);
  out["method"] = part.method;
  out["origin"] = originName(part.origin);
  for (const char* key : {"uncertainty_ms", "frame_interval_ms", "plot"}) out.erase(key);
  if (part.uncertainty_s > 0) out["uncertainty_ms"] = std::round(part.uncertainty_s * 1e7) / 1e4;
  if (part.frame_interval_s > 0) out["frame_interval_ms"] = std::round(part.frame_interval_s * 1e7) / 1e4;
  if (part.plot_kind != ShutterPlot::None && !part.plot.empty()) {
    json points = json::array();
    for (const auto& [x, y] : part.plot) points.push_back({rounded(x), rounded(y)});
    out["plot"] = {{"kind", kPlots[static_cast<size_t>(part.plot_kind)]}, {"points", points}};
  }
  out["evidence"] = json::array();
  for (const Evidence& e : part.evidence) out["evidence"].push_back(evidenceToJson(e));
}

ShutterPart shutterFromJson(const json& in) {
  ShutterPart part;
  part.shutter.readout_s = in.at("readout_ms").get<double>() / 1000;
  const std::string direction = in.value("direction", "down");
  const auto known = scanDirectionFromName(direction);
  if (!known) throw std::invalid_argument("shutter.direction is not known: " + direction);
  part.shutter.direction = *known;
  part.shutter.validate();
  part.method = in.value("method", "");
  part.origin = originFromName(in.value("origin", "measured"));
  part.uncertainty_s = in.value("uncertainty_ms", 0.0) / 1000;
  part.frame_interval_s = in.value("frame_interval_ms", 0.0) / 1000;
  if (const auto plot = in.find("plot"); plot != in.end()) {
    const auto at = std::find(kPlots.begin(), kPlots.end(), plot->value("kind", "none"));
    if (at != kPlots.end()) part.plot_kind = static_cast<ShutterPlot>(at - kPlots.begin());
    for (const json& p : plot->value("points", json::array()))
      part.plot.emplace_back(p.at(0).get<double>(), p.at(1).get<double>());
  }
  for (const json& e : in.value("evidence", json::array())) part.evidence.push_back(evidenceFromJson(e));
  return part;
}

void stabilizationToJson(const StabilizationPart& part, json& out) {
  if (!out.is_object()) out = json::object();
  out.erase("window");
  out.update(parseJson(stabilizationToText(part.settings)));
  out.erase("masks");
  if (!part.masks.empty()) out["masks"] = parseJson(masksToText(part.masks));
}

StabilizationPart stabilizationFromJson(const json& in) {
  StabilizationPart part;
  part.settings = stabilizationFromText(jsonText(in));
  part.masks = masksFromText(jsonText(in.value("masks", json::array())));
  return part;
}

}  // namespace detail
}  // namespace glenhaze
