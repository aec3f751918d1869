// The good parts of clips: suggested, kept, handed over as a cut list.
#include <algorithm>

#include "console/console.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/json_text.h"
#include "core/base/numbers.h"
#include "core/run/cut_list.h"
#include "core/run/picking.h"

namespace glenhaze::console {

namespace {

using nlohmann::json;
namespace fs = std::filesystem;

json stretchToJson(const ClipInfo& info, int64_t first, int64_t last, const std::string& reason) {
  return {{"path", info.path.string()},
          {"frames", {first, last}},
          {"from_s", info.frameTime(first)},
          {"to_s", info.frameTime(last)},
          {"reason", reason}};
}

std::string stretchText(const ClipInfo& info, int64_t first, int64_t last, const std::string& reason) {
  return fixedText(info.frameTime(first), 2) + " to " + fixedText(info.frameTime(last), 2) + " s  " +
         info.path.filename().string() + (reason.empty() ? "" : "  " + reason) + "\n";
}

struct PickRequest {
  std::string shoot, wish = "both";
  double total_s = 60;
  bool take = false;
};

Answer pick(const PickRequest& request) {
  PlannedShoot planned = planShootFile(request.shoot);
  FactStore store(planned.shoot.path.parent_path() / kFactsName);
  PickOptions options;
  options.wish = *wishFromName(request.wish);
  options.total_s = request.total_s;
  ProgressLine line("Looking");
  const auto found = suggestFor(planned.plans, store, options, line.progress());
  Answer answer;
  answer.json = {{"stretches", json::array()}, {"taken", request.take}};
  double total = 0;
  for (const Suggestion& s : found) {
    const ClipInfo& info = planned.plans[s.clip].info;
    answer.json["stretches"].push_back(stretchToJson(info, s.first, s.last, s.reason));
    answer.text += stretchText(info, s.first, s.last, s.reason);
    total += info.frameTime(s.last) - info.frameTime(s.first);
    if (request.take) keepStretch(planned.shoot.clips[s.clip], {{s.first, s.last}, s.reason});
  }
  answer.json["total_s"] = total;
  answer.text += std::to_string(found.size()) + " stretches, " + fixedText(total, 1) + " s together\n";
  if (request.take) saveShoot(planned.shoot, planned.shoot.path);
  return answer;
}

struct KeepRequest {
  std::string shoot, clip;
  std::vector<std::string> stretches;
  bool clear = false;
};

// "3.5-8": seconds.
Stretch stretchFrom(const std::string& text, const ClipInfo& info) {
  const size_t dash = text.find('-', 1);
  const auto from = parseNumber(text.substr(0, dash));
  const auto to = dash == std::string::npos ? std::nullopt : parseNumber(text.substr(dash + 1));
  if (!from || !to || !(*from >= 0) || !(*to > *from) || *from >= info.frameTime(info.frames))
    throw Error(ErrorKind::BadRequest, "This is no stretch of the clip", text,
                "it lasts " + fixedText(info.frameTime(info.frames), 2) + " s", "Give FROM-TO in seconds");
  Stretch stretch;
  stretch.frames.first = info.indexAtSecond(*from);
  stretch.frames.last = std::clamp(*to >= info.frameTime(info.frames) ? info.frames : info.indexAtSecond(*to),
                                   stretch.frames.first + 1, info.frames);
  return stretch;
}

Answer keep(const KeepRequest& request) {
  PlannedShoot planned = planShootFile(request.shoot);
  const fs::path wanted = fs::absolute(request.clip).lexically_normal();
  for (size_t i = 0; i < planned.plans.size(); ++i) {
    ShootClip& clip = planned.shoot.clips[i];
    if (clip.path != wanted && clip.path.filename() != request.clip) continue;
    const ClipInfo& info = planned.plans[i].info;
    if (request.clear) clip.stretches.clear();
    for (const std::string& text : request.stretches) keepStretch(clip, stretchFrom(text, info));
    saveShoot(planned.shoot, planned.shoot.path);
    Answer answer;
    answer.json["stretches"] = json::array();
    for (const Stretch& s : clip.stretches) {
      answer.json["stretches"].push_back(stretchToJson(info, s.frames.first, s.frames.last, s.reason));
      answer.text += stretchText(info, s.frames.first, s.frames.last, s.reason);
    }
    if (clip.stretches.empty()) answer.text = "The whole clip is rendered.\n";
    return answer;
  }
  throw Error(ErrorKind::BadRequest, "The shoot has no clip of this name", request.clip, "",
              "Give its path or its file name");
}

struct CutsRequest {
  std::string shoot, out;
  std::vector<std::string> clips;
  double dissolve_s = 0;
  bool overwrite = false;
};

Answer cuts(const CutsRequest& request) {
  const fs::path out = request.out;
  const bool edl = out.extension() == ".edl";
  if (!edl && out.extension() != ".otio")
    throw Error(ErrorKind::BadRequest, "A cut list ends in .edl or .otio", request.out, "", "");
  PlannedShoot planned = planShootFile(request.shoot);
  keepClips(planned, request.clips);
  std::error_code code;
  if (fs::exists(fs::symlink_status(out, code)) && !request.overwrite)
    throw Error(ErrorKind::Unwritable, "The cut list exists already", request.out, "",
                "Choose another name, or allow replacing with --overwrite");
  const CutList list = cutListOf(planned.plans, planned.shoot.name, request.dissolve_s);
  requireNoSource(*planned.plans.front().job.place.guard, out);
  writeFileAtomically(out, edl ? edlOf(list) : otioOf(list));
  Answer answer;
  answer.json = {{"written", request.out}, {"events", list.events.size()}, {"frames", list.frames()}};
  answer.text = "Written: " + request.out + " (" + std::to_string(list.events.size()) + " events, " +
                std::to_string(list.frames()) + " frames)\n";
  return answer;
}

}  // namespace

void addPicking(CLI::App& shoot, Session& session) {
  auto* suggest = shoot.add_subcommand("pick", "Suggest the good parts of its clips");
  auto p = std::make_shared<PickRequest>();
  suggest->add_option("SHOOT", p->shoot, "Shoot file")->required();
  suggest->add_option("--wish", p->wish, "steady, lively or both")
      ->check(CLI::IsMember({"steady", "lively", "both"}));
  suggest->add_option("--total", p->total_s, "Seconds that all of them last together")
      ->check(finiteRange(1, 86400));
  suggest->add_flag("--take", p->take, "Keep them all in the shoot");
  suggest->callback([p, &session] { session.verb = [p] { return pick(*p); }; });

  auto* kept =
      shoot.add_subcommand("keep", "Keep stretches of a clip; each is rendered as a film of its own");
  auto k = std::make_shared<KeepRequest>();
  kept->add_option("SHOOT", k->shoot, "Shoot file")->required();
  kept->add_option("CLIP", k->clip, "Clip of the shoot")->required();
  kept->add_option("STRETCH", k->stretches, "FROM-TO in seconds");
  kept->add_flag("--clear", k->clear, "Forget those that were kept before");
  kept->callback([k, &session] { session.verb = [k] { return keep(*k); }; });

  auto* list = shoot.add_subcommand("cuts", "Write what is rendered as a cut list for other programs");
  auto c = std::make_shared<CutsRequest>();
  list->add_option("SHOOT", c->shoot, "Shoot file")->required();
  list->add_option("--out", c->out, "File to write: .edl (CMX 3600) or .otio (OpenTimelineIO)")->required();
  list->add_option("--clip", c->clips, "Only this clip of the shoot; may be given several times")
      ->take_all()
      ->expected(1)
      ->allow_extra_args(false);
  list->add_option("--dissolve", c->dissolve_s, "Seconds in which each part goes over into the next")
      ->check(finiteRange(0, 10));
  list->add_flag("--overwrite", c->overwrite, "Replace a file that exists");
  list->callback([c, &session] { session.verb = [c] { return cuts(*c); }; });
}

}  // namespace glenhaze::console
