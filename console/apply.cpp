#include <cmath>
#include <csignal>
#include <iostream>
#include <sstream>
#include <thread>

#include "console/console.h"
#include "core/base/error.h"
#include "core/base/numbers.h"
#include "core/finish/settings.h"
#include "core/motion/settings.h"
#include "core/profile/library.h"
#include "core/run/batch.h"
#include "core/run/reel.h"
#include "core/run/status.h"
#include "core/treat/name_pattern.h"

namespace glenhaze::console {

namespace {

using nlohmann::json;

struct ApplyRequest {
  std::vector<std::string> profiles, clips, only, settings;
  std::string out, size, shape = "fill", place, codec, quality = "standard", sound = "keep", match, report;
  double fill = 100;
  int iso = 0;
  bool overwrite = false, deinterlace = false, hold_damage = false, by_itself = false;
};

void addParts(const std::string& text, std::vector<std::string>& parts) {
  std::istringstream in(text);
  for (std::string part; std::getline(in, part, ',');) parts.push_back(part);
}

// What is wrong with a list of parts; "" when nothing is.
std::string unknownPart(const std::string& text) {
  static const std::vector<std::string> kParts = {"lens", "shutter", "noise", "stabilization", "finish"};
  std::vector<std::string> parts;
  addParts(text, parts);
  for (const std::string& part : parts)
    if (std::find(kParts.begin(), kParts.end(), part) == kParts.end())
      return "There is no part \"" + part + "\": known are lens, shutter, noise, stabilization, finish";
  return parts.empty() ? "No part is given" : "";
}

// These and no others, each asked for by name.
void setParts(OutputSettings& output, const std::vector<std::string>& parts) {
  const auto wanted = [&](const char* part) {
    return std::find(parts.begin(), parts.end(), part) != parts.end();
  };
  output.lens_on = wanted("lens");
  output.shutter_on = wanted("shutter");
  output.noise_on = wanted("noise");
  output.stabilization_on = wanted("stabilization");
  output.finish_on = wanted("finish");
  output.asked = {output.lens_on, output.shutter_on, output.noise_on, output.stabilization_on,
                  output.finish_on};
}

}  // namespace

PictureSize parseSize(const std::string& text) {
  const size_t x = text.find('x');
  const auto width = parseNumber(text.substr(0, x)),
             height = parseNumber(x == std::string::npos ? "" : text.substr(x + 1));
  const auto whole = [](const std::optional<double>& v) {
    return v && *v == std::floor(*v) && std::abs(*v) < 1e6;
  };
  const PictureSize size = whole(width) && whole(height)
                               ? PictureSize{static_cast<int>(*width), static_cast<int>(*height)}
                               : PictureSize{};
  if (size.width == 0 || !isOutputSize(size))
    throw Error(ErrorKind::BadRequest, "The size is not usable", text, "",
                "Write it as 1920x1080, from 16 to 16384 px each way");
  return size;
}

Point outputPlace(const std::string& text) {
  const size_t comma = text.find(',');
  const auto x = parseNumber(text.substr(0, comma)),
             y = parseNumber(comma == std::string::npos ? "" : text.substr(comma + 1));
  if (!x || !y || std::abs(*x) > 1 || std::abs(*y) > 1)
    throw Error(ErrorKind::BadRequest, "The place is not usable", text, "",
                "Write it as X,Y, each from -1 (left or top) to 1 (right or bottom)");
  return {*x, *y};
}

CLI::Validator knownParts() {
  return CLI::Validator([](const std::string& text) { return unknownPart(text); }, "PART,…");
}

OutputSettings partsOnly(const std::string& text) {
  std::vector<std::string> parts;
  addParts(text, parts);
  OutputSettings output;
  setParts(output, parts);
  return output;
}

namespace {

double parseShare(const std::string& key, const std::string& text, double low, double high) {
  const auto value = parseNumber(text);
  if (!value || *value < low || *value > high)
    throw Error(ErrorKind::BadRequest, "The setting " + key + " is not usable", text, "",
                "Give a number from " + number(low, 0) + " to " + number(high, 0));
  return *value;
}

// PART.KEY=VALUE of one part: settings are the profile's, or those of clips that do without; what the command
// line says is put over them. `of_profile`: a profile's own, made where it has none; null where it is to have
// none.
template <typename Settings, typename OfProfile>
void applyPart(const std::string& part, const ApplyRequest& request, std::vector<Profile>& profiles,
               std::vector<ShootClip>& clips, OfProfile of_profile,
               std::optional<Settings> ShootClip::*of_clip) {
  for (const std::string& text : request.settings) {
    const PartSetting setting = partSetting(text);
    if (setting.part != part) continue;
    Settings checked;
    setByName(checked, setting.key, setting.value);
    for (Profile& profile : profiles)
      if (Settings* own = of_profile(profile)) setByName(*own, setting.key, setting.value);
    for (ShootClip& clip : clips) {
      if (!clip.by_itself) continue;
      if (!(clip.*of_clip)) (clip.*of_clip).emplace();
      setByName(*(clip.*of_clip), setting.key, setting.value);
    }
  }
}

void applyParts(const ApplyRequest& request, std::vector<Profile>& profiles, std::vector<ShootClip>& clips) {
  applyPart(
      "noise", request, profiles, clips, [](Profile& p) { return p.noise ? &p.noise->denoise : nullptr; },
      &ShootClip::denoise);
  applyPart("stabilization", request, profiles, clips, settingsOfPart<&Profile::stabilization>,
            &ShootClip::stabilization);
  applyPart("finish", request, profiles, clips, settingsOfPart<&Profile::finish>, &ShootClip::finish);
}

void applySetting(const std::string& text, OutputSettings& output) {
  if (text.starts_with("noise.") || text.starts_with("stabilization.") || text.starts_with("shutter.") ||
      text.starts_with("finish."))
    return;
  const size_t equals = text.find('=');
  const std::string key = text.substr(0, equals);
  const std::string value = equals == std::string::npos ? "" : text.substr(equals + 1);
  if (key == "lens.amount")
    output.lens_amount = parseShare(key, value, 0, 1);
  else if (key == "lens.fill")
    output.fill = parseShare(key, value, 0, 100) / 100;
  else if (key == "output.bit_rate")
    output.encode.bit_rate = static_cast<int64_t>(parseShare(key, value, 1e4, 4e9));
  else if (key == "output.name") {
    if (const std::string fault = patternFault(value); !fault.empty())
      throw Error(ErrorKind::BadRequest, fault, text, "", "");
    output.name = value;
  } else
    throw Error(ErrorKind::BadRequest, "There is no setting of this name", text, "",
                "Known: lens.amount, lens.fill, output.bit_rate, output.name, noise.KEY, shutter.local, "
                "stabilization.KEY, "
                "finish.KEY");
}

// shutter.local=on|off, the last one holds.
bool shutterLocalOf(const ApplyRequest& request) {
  bool local = false;
  for (const std::string& text : request.settings) {
    if (!text.starts_with("shutter.")) continue;
    if (text != "shutter.local=on" && text != "shutter.local=off")
      throw Error(ErrorKind::BadRequest, "There is no setting of this name or value", text, "",
                  "Known: shutter.local=on, shutter.local=off");
    local = text.ends_with("=on");
  }
  return local;
}

OutputSettings outputOf(const ApplyRequest& request) {
  OutputSettings output;
  output.folder = std::filesystem::absolute(request.out).lexically_normal();
  output.encode.codec = *codecFromName(request.codec.empty() ? "h264" : request.codec);
  output.stills_stay = request.codec.empty();
  output.encode.quality = request.quality == "small"  ? Quality::Small
                          : request.quality == "high" ? Quality::High
                                                      : Quality::Standard;
  if (const auto sound = soundFromName(request.sound)) output.encode.sound = *sound;
  if (!request.size.empty()) output.size = parseSize(request.size);
  output.shape = request.shape == "bars"     ? OutputShape::Bars
                 : request.shape == "pixels" ? OutputShape::Pixels
                                             : OutputShape::Fill;
  if (!request.place.empty()) output.place = outputPlace(request.place);
  output.fill = request.fill / 100;
  if (!request.only.empty()) setParts(output, request.only);
  for (const std::string& setting : request.settings) applySetting(setting, output);
  return output;
}

json describe(const RunItem& item) {
  json entry = {
      {"source", item.plan->info.path.string()},
      {"output", item.state == RunState::Done ? json(item.plan->job.place.path.string()) : json(nullptr)},
      {"state", item.state == RunState::Done      ? "done"
                : item.state == RunState::Skipped ? "skipped"
                                                  : "failed"},
      {"why", item.why},
      {"checked", item.checked},
      {"frames", item.frames},
      {"fps", item.fps},
      {"match", item.plan->match.reason},
      {"noise", item.plan->noise.reason},
      {"shutter", item.plan->shutter.reason},
      {"stabilization", item.plan->stabilization.reason},
      {"finish", item.plan->finish.reason}};
  json figures = json::object();
  if (item.state == RunState::Done)
    figures["done"] = partsDone(item.plan->decision.treatment, item.plan->info);
  if (item.state == RunState::Done && item.plan->job.correction.noise) {
    figures["iso"] = item.plan->job.correction.noise->iso;
    figures["noise_sigma"] = item.plan->job.correction.noise->sigmaAt(0, 110);
  }
  if (item.state == RunState::Done && item.plan->job.correction.lens) {
    const CorrectionFigures f = figuresOf(item.plan->decision.treatment);
    figures["centre_enlargement"] = f.centre_enlargement;
    figures["corner_enlargement"] = f.corner_enlargement;
    figures["lost_share"] = f.lost_share;
    figures["blank_share"] = f.blank_share;
  }
  entry["figures"] = figures;
  return entry;
}

std::stop_source& interruption() {
  static std::stop_source source;
  return source;
}

// Ctrl+C stops cleanly: the clip being rendered is dropped, finished ones stay. The watching thread is needed
// because a signal handler may not touch mutexes.
std::jthread watchForInterruption() {
  static volatile std::sig_atomic_t interrupted = 0;
  std::signal(SIGINT, [](int) { interrupted = 1; });
  std::signal(SIGTERM, [](int) { interrupted = 1; });
  return std::jthread([](const std::stop_token& stop) {
    while (!stop.stop_requested()) {
      if (interrupted != 0) interruption().request_stop();
      std::this_thread::sleep_for(std::chrono::milliseconds(50));
    }
  });
}

Answer runBatch(Batch& batch, const std::string& report, const std::string& title) {
  const std::jthread watcher = watchForInterruption();
  ProgressLine line("Rendering");
  batch.setListener([&] {
    const RunSummary s = batch.summary();
    line.show(s.share, s.seconds_left);
  });
  batch.run(interruption().get_token());
  batch.setListener({});
  Answer answer;
  answer.json["clips"] = json::array();
  int bad = 0;
  for (const RunItem& item : batch.items()) {
    answer.json["clips"].push_back(describe(item));
    bad += item.state == RunState::Done ? 0 : 1;
    answer.text += runStateName(item.state) + "  " + item.plan->info.path.string();
    if (item.state == RunState::Done)
      answer.text += " → " + item.plan->job.place.path.string() + " (" + std::to_string(item.frames) +
                     " frames" + (item.fps > 0 ? ", " + number(item.fps, 1) + " frames/s" : "") + ")";
    answer.text += "\n";
    if (!item.why.empty()) answer.text += "      " + item.why + "\n";
  }
  answer.exit_code = bad > 0 ? kSomeFailed : kAllDone;
  if (!report.empty()) {
    saveReport(report, batch.items(), title);
    answer.json["report"] = report;
    answer.text += "Report: " + report + "\n";
  }
  return answer;
}

// --match any: a clip that matches none takes the first profile that has its shape.
void assignLeftovers(Shoot& shoot, const std::vector<ClipFacts>& facts,
                     const std::vector<Profile>& profiles) {
  for (size_t i = 0; i < facts.size(); ++i) {
    const ClipInfo& info = facts[i].info;
    if (!info.readable(damageOf(shoot.clips[i]))) continue;
    if (matchClip(shoot, shoot.clips[i], info, profiles).kind != MatchKind::None) continue;
    for (const Profile& profile : profiles)
      if (assignProfile(info, profile, 0).kind != MatchKind::None) {
        shoot.clips[i].assigned_profile = profile.path.filename().string();
        break;
      }
  }
}

Answer runApply(const ApplyRequest& request) {
  Shoot shoot;
  shoot.output = outputOf(request);
  std::vector<Profile> profiles;
  for (const auto& path : toPaths(request.profiles)) profiles.push_back(loadProfile(path));
  for (const auto& path : toPaths(request.clips)) {
    ShootClip clip;
    clip.path = std::filesystem::absolute(path).lexically_normal();
    clip.deinterlace = request.deinterlace;
    clip.hold_damage = request.hold_damage;
    clip.by_itself = request.by_itself;
    clip.shutter_local = shutterLocalOf(request);
    shoot.clips.push_back(clip);
  }
  std::vector<ClipFacts> facts = factsOfAll(shoot);
  for (ClipFacts& one : facts)
    if (request.iso > 0 && !one.info.iso) one.info.iso = request.iso;
  applyParts(request, profiles, shoot.clips);
  if (request.match == "any") assignLeftovers(shoot, facts, profiles);
  Batch batch(planShoot(shoot, facts, profiles), request.overwrite ? Replace::Files : Replace::Nothing);
  return runBatch(batch, request.report, "Glenhaze");
}

Answer joinShoot(const PlannedShoot& planned, const std::string& file, double dissolve_s) {
  const std::jthread watcher = watchForInterruption();
  FactStore store(planned.shoot.path.parent_path() / kFactsName);
  ProgressLine line("Joining");
  Progress progress;
  progress.stop = interruption().get_token();
  progress.report = [&](double share) { line.show(share, -1); };
  const ReelResult made = makeReel(planned.plans, {file, dissolve_s, Replace::Ours}, store, progress);
  Answer answer;
  answer.json = {{"joined", made.path.string()}, {"frames", made.frames},   {"parts", made.parts},
                 {"was_there", made.was_there},  {"checked", made.checked}, {"notes", made.notes}};
  answer.text = (made.was_there ? "was done  " : "done  ") + made.path.string() + " (" +
                std::to_string(made.parts) + " parts, " + std::to_string(made.frames) + " frames)\n";
  for (const std::string& note : made.notes) answer.text += "      " + note + "\n";
  return answer;
}

struct RunRequest {
  std::string shoot, report, join;
  std::vector<std::string> clips;
  double dissolve_s = 0;
  bool list_jobs = false;
};

// For a shell, whatever a name holds.
std::string quoted(const std::string& text) {
  std::string out = "'";
  for (const char c : text) out += c == '\'' ? std::string("'\\''") : std::string(1, c);
  return out + "'";
}

// One command for each clip that has something to be rendered: for an engine that spreads them over computers
// which share the folder, or for one that starts several here. Runs into one folder know of each other.
Answer listJobs(const PlannedShoot& planned) {
  std::unique_ptr<RunRecord> record;
  if (const auto folder = planned.shoot.outputFolder(); RunRecord::isIn(folder))
    record = std::make_unique<RunRecord>(folder);
  Answer answer;
  answer.json["jobs"] = json::array();
  for (const ClipPlan& plan : planned.plans) {
    if (!plan.refusal.empty() || statusOf(plan, record.get()).kind == ClipStatus::Kind::Rendered) continue;
    const std::vector<std::string> words = {"glenhaze-cli", "run", planned.shoot.path.string(), "--clip",
                                            plan.info.path.string()};
    answer.json["jobs"].push_back({{"clip", words.back()}, {"arguments", words}});
    std::string line;
    for (const std::string& word : words) line += (line.empty() ? "" : " ") + quoted(word);
    answer.text += line + "\n";
  }
  return answer;
}

Answer runShoot(const RunRequest& request) {
  PlannedShoot planned = planShootFile(request.shoot);
  keepClips(planned, request.clips);
  for (const std::string& problem : planned.problems) std::cerr << "glenhaze-cli: " << problem << "\n";
  if (request.list_jobs) return listJobs(planned);
  if (!request.join.empty()) return joinShoot(planned, request.join, request.dissolve_s);
  Batch batch(std::move(planned.plans), Replace::Ours);
  return runBatch(batch, request.report, planned.shoot.name);
}

}  // namespace

void addApply(CLI::App& app, Session& session) {
  auto* verb = app.add_subcommand("apply", "Correct clips with profiles");
  auto r = std::make_shared<ApplyRequest>();
  verb->add_option("--profile", r->profiles, "Profile; may be given several times")
      ->take_all()
      ->expected(1)
      ->allow_extra_args(false);
  verb->add_option("--out", r->out, "Output folder")->required();
  // Split here: the library's own splitting counts the parts as arguments and would take a clip for one more.
  verb->add_option_function<std::string>(
          "--only", [r](const std::string& text) { addParts(text, r->only); },
          "Parts to apply, separated by commas")
      ->check(knownParts())
      ->take_last();
  verb->add_option("--fill", r->fill, "0: whole picture, 100: filled frame")->check(finiteRange(0, 100));
  verb->add_option("--size", r->size, "Output size, as 1920x1080");
  verb->add_option("--shape", r->shape,
                   "Of clips of another shape than --size: fill (cut off), bars, or pixels (one for one)")
      ->check(CLI::IsMember({"fill", "bars", "pixels"}));
  verb->add_option("--place", r->place,
                   "X,Y from -1 to 1: what is kept of them, or where they lie between bars; 0,0: the middle");
  verb->add_option(
          "--codec", r->codec,
          "h264, h265, prores, ffv1, png, tiff or jpeg; unless given h264, and stills stay what they are")
      ->check(CLI::IsMember({"h264", "h265", "prores", "ffv1", "png", "tiff", "jpeg"}));
  verb->add_option("--quality", r->quality, "small, standard or high")
      ->check(CLI::IsMember({"small", "standard", "high"}));
  verb->add_option("--sound", r->sound, "keep, pcm, none or silent")
      ->check(CLI::IsMember({"keep", "pcm", "none", "silent"}));
  verb->add_option("--iso", r->iso, "ISO of clips that do not say theirs")->check(CLI::Range(1, 10000000));
  verb->add_option("--match", r->match, "any: also clips that match no profile")
      ->check(CLI::IsMember({"any"}));
  verb->add_option("--set", r->settings, "PART.KEY=VALUE; may be given several times")
      ->take_all()
      ->expected(1)
      ->allow_extra_args(false);
  verb->add_option("--report", r->report, "Page (.html) or table (.csv) to write about what was done");
  verb->add_flag("--overwrite", r->overwrite, "Replace outputs that exist");
  verb->add_flag("--deinterlace", r->deinterlace, "Deinterlace interlaced clips first");
  verb->add_flag("--hold-damage", r->hold_damage,
                 "Render what is readable of damaged clips; the frame before a gap stands in");
  verb->add_flag("--by-itself", r->by_itself,
                 "What no profile says is assumed, or taken from the clip itself");
  verb->add_option("CLIP", r->clips, "Footage files")->required();
  verb->callback([r, &session] {
    // Parts that were asked for by name need no profile; what becomes of a clip without either is not clear.
    if (r->profiles.empty() && !r->by_itself && r->only.empty())
      throw CLI::RequiredError("--profile, --by-itself or --only");
    r->by_itself = r->by_itself || r->profiles.empty();
    session.verb = [r] { return runApply(*r); };
  });
}

void addRun(CLI::App& app, Session& session) {
  auto* verb = app.add_subcommand("run", "Render everything a shoot has to render");
  auto r = std::make_shared<RunRequest>();
  verb->add_option("SHOOT", r->shoot, "Shoot file")->required();
  verb->add_option("--clip", r->clips, "Only this clip of the shoot; may be given several times")
      ->take_all()
      ->expected(1)
      ->allow_extra_args(false);
  verb->add_option("--report", r->report, "Page (.html) or table (.csv) to write about what was done");
  verb->add_option("--join", r->join, "One file of all clips and stretches in their order, instead of many");
  verb->add_option("--dissolve", r->dissolve_s,
                   "Seconds in which each part goes over into the next, with --join")
      ->check(finiteRange(0, 10));
  verb->add_flag("--list-jobs", r->list_jobs,
                 "Render nothing: write one command for each clip that is to be rendered");
  verb->callback([r, &session] { session.verb = [r] { return runShoot(*r); }; });
}

}  // namespace glenhaze::console
