#include "core/profile/finish_part.h"

#include <algorithm>

#include "core/profile/detail/json_parts.h"

namespace glenhaze {

using nlohmann::json;

EdgesPart edgesPartFrom(const EdgesFinding& finding) {
  EdgesPart part;
  part.summary = finding.all;
  for (const SeenEdge& edge : finding.edges) {
    const EdgeArea& a = edge.response.area;
    Evidence e;
    e.kind = "slanted edge";
    e.source = edge.source;
    e.frame = edge.frame;
    e.left_out = edge.response.why_not;
    e.marks = {{static_cast<double>(a.x), static_cast<double>(a.y)},
               {static_cast<double>(a.x + a.width), static_cast<double>(a.y + a.height)}};
    part.evidence.push_back(e);
  }
  return part;
}

namespace detail {

void finishToJson(const FinishPart& part, json& out) {
  out["settings"].update(parseJson(finishToText(part.settings)));
  if (!part.edges) {
    out.erase("edges");
    return;
  }
  json& edges = out["edges"];
  const EdgeSummary& s = part.edges->summary;
  edges["mtf50"] = s.mtf50;
  edges["mtf50_uncertainty"] = s.mtf50_sd;
  edges["overshoot"] = s.overshoot;
  edges["overshoot_uncertainty"] = s.overshoot_sd;
  edges["sharpening"] = {{"amount", s.sharpening.amount}, {"radius_px", s.sharpening.radius_px}};
  edges["used"] = s.used;
  edges["origin"] = originName(part.edges->origin);
  edges["evidence"] = json::array();
  for (const Evidence& e : part.edges->evidence) edges["evidence"].push_back(evidenceToJson(e));
}

FinishPart finishFromJson(const json& in) {
  FinishPart part;
  part.settings = finishFromText(jsonText(in.value("settings", json::object())));
  if (!in.contains("edges") || !in["edges"].is_object()) return part;
  const json& edges = in["edges"];
  EdgesPart& e = part.edges.emplace();
  const auto held = [](const json& from, const char* key, double high) {
    return std::clamp(from.value(key, 0.0), 0.0, high);
  };
  e.summary.mtf50 = held(edges, "mtf50", 1);
  e.summary.mtf50_sd = held(edges, "mtf50_uncertainty", 1);
  e.summary.overshoot = held(edges, "overshoot", 10);
  e.summary.overshoot_sd = held(edges, "overshoot_uncertainty", 10);
  const json sharpening = edges.value("sharpening", json::object());
  e.summary.sharpening = {held(sharpening, "amount", 10), held(sharpening, "radius_px", 8)};
  constexpr double kLeastRadius = 0.2;  // px: less is no sharpening
  if (e.summary.sharpening.radius_px < kLeastRadius) e.summary.sharpening = {};
  e.summary.used = wholeOr<int>(edges, "used", 0);
  e.origin = originFromName(edges.value("origin", "measured"));
  for (const json& one : edges.value("evidence", json::array())) e.evidence.push_back(evidenceFromJson(one));
  return part;
}

}  // namespace detail

}  // namespace glenhaze
