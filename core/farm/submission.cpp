#include "core/farm/submission.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/json_text.h"
#include "core/run/status.h"

namespace glenhaze {
namespace fs = std::filesystem;
using nlohmann::json;

namespace {

constexpr const char* kSubmissionFile = "work.json";
constexpr const char* kSubmissionFormat = "glenhaze-work";
constexpr std::array<const char*, kFarmStages> kFarmStageNames{"look", "render", "join", "collect"};

json toJson(const FrameRange& range) { return json::array({range.first, range.last}); }

FrameRange rangeFrom(const json& value) {
  return {wholeOf<int64_t>(value.at(0)), wholeOf<int64_t>(value.at(1))};
}

json toJson(const FarmItem& item) {
  json object = {{"clip", pathToText(item.clip)}, {"output", pathToText(item.output)}};
  if (item.range) object["range"] = toJson(*item.range);
  for (const FrameRange& part : item.parts) object["parts"].push_back(toJson(part));
  return object;
}

FarmItem farmItemFrom(const json& object) {
  FarmItem item;
  item.clip = pathFromText(object.at("clip").get<std::string>());
  item.output = pathFromText(object.at("output").get<std::string>());
  if (const auto at = object.find("range"); at != object.end()) item.range = rangeFrom(*at);
  if (const auto at = object.find("parts"); at != object.end())
    for (const json& part : *at) item.parts.push_back(rangeFrom(part));
  return item;
}

// Frames that are rendered by themselves and put together again must be told by their numbers, and lie in a
// format that is kept to the bit.
bool canBeParted(const ClipPlan& plan) {
  return plan.info.kind == ClipKind::Film && plan.info.colour.matrix != 0 &&
         plan.job.damage == Damage::PassOver && !isStillCodec(plan.job.encode.codec);
}

std::vector<FrameRange> partsOf(const ClipPlan& plan, double chunk_s) {
  const FrameRange range = plan.clip.range ? plan.decision.treatment.range : FrameRange{0, plan.info.frames};
  const double frames = chunk_s * plan.info.fps.value();
  // Parts a little shorter or longer than asked for, rather than a short one at the end.
  const int64_t count = frames >= 1 ? std::llround(static_cast<double>(range.count()) / frames) : 1;
  std::vector<FrameRange> parts;
  if (count < 2 || !canBeParted(plan)) return parts;
  for (int64_t i = 0; i < count; ++i)
    parts.push_back({range.first + range.count() * i / count, range.first + range.count() * (i + 1) / count});
  return parts;
}

}  // namespace

const char* farmStageName(FarmStage stage) { return kFarmStageNames[static_cast<size_t>(stage)]; }

FarmStage farmStageFromName(const std::string& name) {
  const auto* const at = std::ranges::find(kFarmStageNames, name);
  if (at == kFarmStageNames.end())
    throw Error(ErrorKind::BadRequest, "There is no such stage of work", name, "",
                "Known: look, render, join, collect");
  return static_cast<FarmStage>(at - kFarmStageNames.begin());
}

fs::path farmFolder(const fs::path& outputs) { return outputs / ".glenhaze-work"; }

Submission submissionOf(const SharedPlans& plans, const SharedPlans& to_render, double chunk_s) {
  Submission submission;
  if (to_render.empty()) return submission;
  // Not the file: what was changed since it was saved is meant too.
  Shoot shoot = to_render.front()->basis->shoot;
  if (shoot.path.empty())
    throw Error(ErrorKind::BadRequest, "Only a saved shoot can be rendered by other computers", "", "",
                "Save it on a disk that they share");
  std::set<fs::path> clips, looked_at;
  for (const auto& plan : plans)
    if (clips.insert(plan->clip.path).second) shoot.clips.push_back(plan->clip);
  submission.shoot = fs::absolute(shoot.path);
  submission.shoot_json = shootToJson(shoot, submission.shoot);
  for (const Profile& profile : to_render.front()->basis->profiles)
    submission.profiles.emplace_back(profile.path, profileToJson(profile));
  submission.folder = farmFolder(to_render.front()->job.place.path.parent_path());
  // What one task alone has to know it finds out itself.
  std::map<fs::path, int> outputs;
  for (const auto& plan : to_render) ++outputs[plan->clip.path];
  for (const auto& plan : to_render) {
    FarmItem item;
    item.clip = plan->clip.path;
    item.output = plan->job.place.path;
    item.range = plan->clip.range;
    item.parts = partsOf(*plan, chunk_s);
    const bool asks = plan->decision.missing.any() || plan->questions.any();
    const bool several = !item.parts.empty() || outputs[item.clip] > 1;
    if (asks && several && looked_at.insert(item.clip).second)
      submission.looks.push_back(static_cast<int>(submission.items.size()));
    submission.items.push_back(std::move(item));
  }
  return submission;
}

void saveSubmission(const Submission& submission) {
  json all = {{"format", kSubmissionFormat},
              {"version", 1},
              {"shoot", pathToText(submission.shoot)},
              {"shoot_as_it_was", submission.shoot_json},
              {"looks", submission.looks},
              {"jobs", submission.jobs}};
  for (const auto& [path, text] : submission.profiles)
    all["profiles"].push_back({{"path", pathToText(path)}, {"as_it_was", text}});
  for (const FarmItem& item : submission.items) all["items"].push_back(toJson(item));
  std::error_code code;
  fs::create_directories(submission.folder, code);
  writeFileAtomically(submission.folder / kSubmissionFile, jsonText(all, 1));
}

bool hasSubmission(const fs::path& folder) {
  std::error_code code;
  return fs::exists(folder / kSubmissionFile, code);
}

Submission loadSubmission(const fs::path& folder) {
  const fs::path file = folder / kSubmissionFile;
  const std::string text = readFile(file);
  try {
    const json all = parseJson(text);
    if (all.at("format") != kSubmissionFormat || wholeOf<int>(all.at("version")) != 1)
      throw std::invalid_argument("of another version");
    Submission submission;
    submission.folder = folder;
    submission.shoot = pathFromText(all.at("shoot").get<std::string>());
    submission.shoot_json = all.at("shoot_as_it_was").get<std::string>();
    submission.looks = all.at("looks").get<std::vector<int>>();
    submission.jobs = all.at("jobs").get<std::vector<std::string>>();
    if (const auto at = all.find("profiles"); at != all.end())
      for (const json& profile : *at)
        submission.profiles.emplace_back(pathFromText(profile.at("path").get<std::string>()),
                                         profile.at("as_it_was").get<std::string>());
    if (const auto at = all.find("items"); at != all.end())
      for (const json& item : *at) submission.items.push_back(farmItemFrom(item));
    for (const int look : submission.looks)
      if (look < 0 || look >= std::ssize(submission.items)) throw std::invalid_argument("no such clip");
    return submission;
  } catch (const std::exception& error) {
    throw Error(ErrorKind::Unreadable, "The work for other computers cannot be read", file.string(),
                error.what(), "Hand it over again");
  }
}

std::vector<FarmTask> tasksOf(const Submission& submission, FarmStage stage) {
  std::vector<FarmTask> tasks;
  if (stage == FarmStage::Look)
    for (const int item : submission.looks) tasks.push_back({stage, item, -1});
  if (stage == FarmStage::Collect) tasks.push_back({stage, 0, -1});
  for (int i = 0; i < static_cast<int>(submission.items.size()); ++i) {
    const int parts = static_cast<int>(submission.items[static_cast<size_t>(i)].parts.size());
    if (stage == FarmStage::Render && parts == 0) tasks.push_back({stage, i, -1});
    if (stage == FarmStage::Render)
      for (int part = 0; part < parts; ++part) tasks.push_back({stage, i, part});
    if (stage == FarmStage::Join && parts > 0) tasks.push_back({stage, i, -1});
  }
  return tasks;
}

ClipPlan planOf(const Submission& submission, const FarmItem& item, FactStore& store) {
  Shoot shoot = parseShoot(submission.shoot_json, submission.shoot);
  ShootClip clip;
  bool found = false;
  for (ShootClip& one : shoot.clips) {
    // All other footage is only never to be written to.
    shoot.references.push_back(one.path);
    if (!found && one.path == item.clip) {
      clip = std::move(one);
      found = true;
    }
  }
  if (!found)
    throw Error(ErrorKind::Unreadable, "The shoot has no such clip", item.clip.string(), "",
                "Hand the work over again");
  clip.range = item.range;
  clip.stretches.clear();
  shoot.clips = {clip};
  std::vector<Profile> profiles;
  for (const auto& [path, text] : submission.profiles) {
    profiles.push_back(parseProfile(text, path.string()));
    profiles.back().path = path;
  }
  const std::vector<ClipFacts> facts{knownFacts(item.clip, store)};
  ClipPlan plan = planShoot(shoot, facts, profiles).front();
  plan.job.place.path = item.output;
  return plan;
}

}  // namespace glenhaze
