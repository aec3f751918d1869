#include "console/console.h"

#include <algorithm>
#include "core/base/error.h"
#include "core/base/json_text.h"
#include "core/base/parallel.h"
#include "core/media/sequence.h"
#include "core/profile/library.h"
#include "core/run/next_step.h"
#include "core/run/status.h"

namespace glenhaze::console {

namespace {

using nlohmann::json;
namespace fs = std::filesystem;

// Answers for clips whose files name no camera: the one given here, else those of earlier shoots.
void nameCameras(Shoot& shoot, const std::string& camera) {
  AnswerBook book;
  const std::vector<ClipFacts> facts = factsOfAll(shoot);
  for (size_t i = 0; i < facts.size(); ++i) {
    const ClipInfo& info = facts[i].info;
    if (camera.empty()) {
      takeRemembered(shoot, i, info, book);
    } else if (info.width > 0 && cameraNameOf(info).empty()) {
      CameraAnswer answer;
      answer.camera = camera;
      shoot.answers[answerKey(info)] = answer;
      book.remember(info, answer);
    }
  }
}

json cameraToJson(const Shoot& shoot, const ClipPlan& plan) {
  const CameraAnswer answer = answerOf(shoot, plan.clip, plan.info);
  const std::string own = cameraNameOf(plan.info);
  const char* from = answer.remembered        ? "earlier shoot"
                     : !answer.camera.empty() ? "answer"
                     : !own.empty()           ? "file"
                                              : "unknown";
  return {{"name", answer.camera.empty() ? own : answer.camera}, {"from", from}};
}

Answer makeShoot(const std::vector<std::string>& folders, const std::string& out, const std::string& camera,
                 bool overwrite) {
  if (!out.ends_with(kShootEnding))
    throw Error(ErrorKind::BadRequest, "A shoot's name ends in " + std::string(kShootEnding), out, "", "");
  std::error_code code;
  if (fs::exists(fs::symlink_status(out, code)) && !overwrite)
    throw Error(ErrorKind::Unwritable, "The shoot exists already", out, "",
                "Choose another name, or allow replacing with --overwrite");
  Shoot shoot;
  for (const auto& folder : toPaths(folders)) {
    Shoot one = shootFromFolder(folder);
    if (shoot.name.empty()) shoot.name = one.name;
    shoot.clips.insert(shoot.clips.end(), one.clips.begin(), one.clips.end());
  }
  nameCameras(shoot, camera);
  saveShoot(shoot, out);
  Answer answer;
  answer.json = {{"written", out}, {"clips", shoot.clips.size()}, {"answers", json::object()}};
  answer.text = std::to_string(shoot.clips.size()) + " clips\nWritten: " + out + "\n";
  for (const auto& [kind, said] : shoot.answers) {
    answer.json["answers"][kind] = answerToJson(said);
    answer.text +=
        "Clips like " + kind + ": " + said.camera + (said.remembered ? ", as in an earlier shoot\n" : "\n");
  }
  return answer;
}

Answer status(const std::string& file) {
  const PlannedShoot planned = planShootFile(file);
  std::unique_ptr<RunRecord> record;
  const fs::path folder = planned.shoot.outputFolder();
  if (RunRecord::isIn(folder)) record = std::make_unique<RunRecord>(folder);
  Answer answer;
  answer.json["clips"] = json::array();
  std::vector<ClipStatus> all;
  for (const ClipPlan& plan : planned.plans) {
    const ClipStatus& s = all.emplace_back(statusOf(plan, record.get()));
    answer.json["clips"].push_back({{"source", plan.info.path.string()},
                                    {"output", plan.job.place.path.string()},
                                    {"camera", cameraToJson(planned.shoot, plan)},
                                    {"state", statusName(s.kind)},
                                    {"why", s.why},
                                    {"parts", partsDone(plan.decision.treatment, plan.info)},
                                    {"treatment", parseJson(treatmentToJson(plan.decision.treatment))}});
    answer.text += statusName(s.kind) + "  " + plan.info.path.string() + "\n";
    if (!s.why.empty()) answer.text += "      " + s.why + "\n";
  }
  const NextStep next = nextStep(planned.plans, all, planned.shoot);
  answer.json["next"] = next.text;
  if (!next.text.empty()) answer.text += "Next: " + next.text + "\n";
  return answer;
}

}  // namespace

std::vector<ClipFacts> factsOfAll(const Shoot& shoot) {
  FactStore store = shoot.path.empty() ? FactStore() : FactStore(shoot.path.parent_path() / kFactsName);
  std::vector<ClipFacts> facts(shoot.clips.size());
  parallelBlocks(static_cast<int>(facts.size()), 1, [&](int first, int last) {
    for (int i = first; i < last; ++i)
      facts[static_cast<size_t>(i)] = knownFacts(shoot.clips[static_cast<size_t>(i)].path, store);
  });
  return facts;
}

PlannedShoot planShootFile(const std::string& file) {
  PlannedShoot planned;
  planned.shoot = loadShoot(file);
  const ProfileSet set = loadProfiles(planned.shoot.profileFolders());
  planned.problems = set.problems;
  planned.plans = planShoot(planned.shoot, factsOfAll(planned.shoot), set.profiles);
  return planned;
}

void keepClips(PlannedShoot& planned, const std::vector<std::string>& clips) {
  if (clips.empty()) return;
  std::vector<ClipPlan> kept;
  for (const std::string& name : clips) {
    const fs::path path = fs::absolute(name).lexically_normal();
    const auto at = std::find_if(planned.plans.begin(), planned.plans.end(), [&](const ClipPlan& plan) {
      return plan.info.path == path || plan.info.path.filename() == name;
    });
    if (at == planned.plans.end())
      throw Error(ErrorKind::BadRequest, "The shoot has no clip of this name", name, "",
                  "Give its path or its file name");
    kept.push_back(*at);
  }
  planned.plans = std::move(kept);
}

void addShoot(CLI::App& app, Session& session) {
  auto* shoot = app.add_subcommand("shoot", "Make a shoot, or say what a run would do to its clips");
  shoot->require_subcommand(1);
  auto* make = shoot->add_subcommand("new", "A shoot of all footage in folders");
  auto folders = std::make_shared<std::vector<std::string>>();
  auto out = std::make_shared<std::string>();
  auto overwrite = std::make_shared<bool>(false);
  auto camera = std::make_shared<std::string>();
  make->add_option("--camera", *camera,
                   "Name of the camera of clips that name none; by default as in earlier shoots");
  make->add_option("FOLDER", *folders, "Folders of footage")->required();
  make->add_option("--out", *out, "Shoot file to write")->required();
  make->add_flag("--overwrite", *overwrite, "Replace a shoot that exists");
  make->callback(
      [=, &session] { session.verb = [=] { return makeShoot(*folders, *out, *camera, *overwrite); }; });
  auto* say = shoot->add_subcommand("status", "What a run would do to each clip, and what is out of date");
  auto file = std::make_shared<std::string>();
  say->add_option("SHOOT", *file, "Shoot file")->required();
  say->callback([file, &session] { session.verb = [file] { return status(*file); }; });
  addPicking(*shoot, session);
  addShow(*shoot, session);
}

}  // namespace glenhaze::console
