#include "console/console.h"
#include "core/base/error.h"
#include "core/base/numbers.h"
#include "core/finish/edges_finding.h"
#include "core/profile/edit.h"

namespace glenhaze::console {

namespace {

using nlohmann::json;

struct EdgesRequest {
  std::vector<std::string> sources, places;
  std::string into;
};

json summaryJson(const EdgeSummary& s) {
  if (s.used == 0) return nullptr;
  return {{"mtf50", s.mtf50},
          {"mtf50_uncertainty", s.mtf50_sd},
          {"overshoot", s.overshoot},
          {"overshoot_uncertainty", s.overshoot_sd},
          {"sharpening", {{"amount", s.sharpening.amount}, {"radius_px", s.sharpening.radius_px}}},
          {"edges", s.used}};
}

json edgeJson(const SeenEdge& e) {
  const EdgeResponse& r = e.response;
  json out = {{"place", {r.area.x, r.area.y, r.area.width, r.area.height}},
              {"source", e.source},
              {"frame", e.frame},
              {"from_middle", e.from_middle},
              {"why", r.why_not}};
  if (!r.usable()) return out;
  out["direction"] = r.across ? "across" : "down";
  out["slant_deg"] = r.slant_deg;
  out["mtf50"] = r.mtf50;
  out["uncertainty"] = r.mtf50_sd;
  out["overshoot"] = r.overshoot;
  out["overshoot_uncertainty"] = r.overshoot_sd;
  out["rise_px"] = r.rise_px;
  out["mtf"] = r.mtf;
  return out;
}

std::string line(const char* what, const EdgeSummary& s) {
  if (s.used == 0) return "";
  return std::string(what) + "MTF50 " + number(s.mtf50, 3) + " ± " + number(s.mtf50_sd, 3) +
         " cycles a pixel, overshoot " + number(100 * s.overshoot, 1) + " ± " +
         number(100 * s.overshoot_sd, 1) + " %, from " + std::to_string(s.used) +
         (s.used == 1 ? " edge\n" : " edges\n");
}

Answer edges(const EdgesRequest& r) {
  std::vector<EdgeArea> places;
  for (const std::string& text : r.places) {
    const auto v = parsePlace(text);
    places.push_back({v[0], v[1], v[2], v[3]});
  }
  std::vector<EdgesSource> sources;
  for (const auto& path : toPaths(r.sources)) sources.push_back({readableClip(path), places});
  ProgressLine progress("Measuring edges");
  const EdgesFinding f = measureEdges(sources, progress.progress());
  Answer answer;
  answer.json = summaryJson(f.all);
  answer.json["uncertainty"] = f.all.mtf50_sd;
  answer.json["middle"] = summaryJson(f.middle);
  answer.json["outside"] = summaryJson(f.outside);
  answer.json["across"] = summaryJson(f.across);
  answer.json["down"] = summaryJson(f.down);
  answer.json["places"] = json::array();
  for (const SeenEdge& e : f.edges) answer.json["places"].push_back(edgeJson(e));
  answer.json["warnings"] = f.warnings;
  answer.text = line("All over:               ", f.all) + line("In the middle:          ", f.middle) +
                line("Towards the corners:    ", f.outside) + line("From left to right:     ", f.across) +
                line("From top to bottom:     ", f.down);
  const Sharpening& s = f.all.sharpening;
  answer.text += s.amount > 0 ? "The camera sharpens: " + number(s.amount, 2) + " times the detail of " +
                                    number(s.radius_px, 1) + " px\n"
                              : "No sharpening of the camera's own to speak of\n";
  for (const std::string& warning : f.warnings) answer.text += "  " + warning + "\n";
  if (!r.into.empty()) {
    changeProfile(r.into, [&](Profile& profile) {
      if (!profile.finish) profile.finish.emplace();
      profile.finish->edges = edgesPartFrom(f);
    });
    answer.json["written"] = r.into;
    answer.text += "Written: " + r.into + "\n";
  }
  return answer;
}

}  // namespace

void addFinish(CLI::App& app, Session& session) {
  auto* finish = app.add_subcommand("finish", "Measure how a camera draws edges");
  finish->require_subcommand(1);
  auto* verb = finish->add_subcommand("edges", "Edge response and overshoot from slanted edges");
  auto r = std::make_shared<EdgesRequest>();
  verb->add_option("--place", r->places, "Where an edge is, as X,Y,WIDTH,HEIGHT; may be given several times")
      ->take_all()
      ->expected(1)
      ->allow_extra_args(false);
  verb->add_option("--into", r->into, "Profile to put the finding into");
  verb->add_option("CLIP", r->sources, "Footage files or stills")->required();
  verb->callback([r, &session] { session.verb = [r] { return edges(*r); }; });
}

}  // namespace glenhaze::console
