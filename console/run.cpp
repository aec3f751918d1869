// Runs of a shoot: here, on other computers, or as a list of commands for any engine.
#include <iostream>

#include "console/console.h"
#include "core/base/program.h"
#include "core/farm/farm_run.h"
#include "core/run/batch.h"
#include "core/run/reel.h"
#include "core/run/status.h"

namespace glenhaze::console {

namespace {

using nlohmann::json;

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

Answer joinShoot(const PlannedShoot& planned, const std::string& file, double dissolve_s) {
  const Interruption interruption;
  FactStore store(planned.shoot.path.parent_path() / kFactsName);
  ProgressLine line("Joining");
  Progress progress;
  progress.stop = interruption.token();
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
  std::string shoot, report, join, on, partition;
  std::vector<std::string> clips;
  double dissolve_s = 0;
  std::optional<double> chunk_s;
  int cores = 0;
  bool list_jobs = false;
};

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
    answer.text += shellLine(words) + "\n";
  }
  return answer;
}

std::filesystem::path ownProgram() { return std::filesystem::read_symlink("/proc/self/exe"); }

// The stages of work with parts: the tasks of one may run side by side, the next follow when all have ended.
Answer listTasks(PlannedShoot& planned, double chunk_s) {
  Batch batch(std::move(planned.plans), Replace::Ours);
  const Submission submission = farmWorkOf(batch, chunk_s).submission;
  Answer answer;
  answer.json["stages"] = json::array();
  for (const FarmStage stage : {FarmStage::Look, FarmStage::Render, FarmStage::Join, FarmStage::Collect}) {
    const auto count = submission.items.empty() ? 0 : std::ssize(tasksOf(submission, stage));
    if (count == 0) continue;
    json jobs = json::array();
    answer.text += std::string("# ") + farmStageName(stage) + ": " + std::to_string(count) +
                   (count == 1 ? " task" : " tasks, side by side if you like") + "\n";
    for (int i = 0; i < count; ++i) {
      std::vector<std::string> words = taskCommand("glenhaze-cli", submission, stage);
      words.push_back(std::to_string(i));
      jobs.push_back({{"arguments", words}});
      answer.text += shellLine(words) + "\n";
    }
    answer.json["stages"].push_back({{"stage", farmStageName(stage)}, {"jobs", jobs}});
  }
  return answer;
}

Answer runShoot(const RunRequest& request) {
  PlannedShoot planned = planShootFile(request.shoot);
  keepClips(planned, request.clips);
  for (const std::string& problem : planned.problems) std::cerr << "glenhaze-cli: " << problem << "\n";
  if (request.list_jobs) return request.chunk_s ? listTasks(planned, *request.chunk_s) : listJobs(planned);
  if (!request.join.empty()) return joinShoot(planned, request.join, request.dissolve_s);
  Batch batch(std::move(planned.plans), Replace::Ours);
  const FarmOptions farm{request.chunk_s.value_or(0), {request.partition, request.cores, ownProgram()}};
  return runBatch(batch, request.report, planned.shoot.name, [&](Batch& all, const std::stop_token& stop) {
    if (request.on == "slurm")
      runOnSlurm(all, farm, stop);
    else
      all.run(stop);
  });
}

}  // namespace

Answer runBatch(Batch& batch, const std::string& report, const std::string& title,
                const std::function<void(Batch&, const std::stop_token&)>& render) {
  const Interruption interruption;
  ProgressLine line("Rendering");
  batch.setListener([&] {
    const RunSummary s = batch.summary();
    line.show(s.share, s.seconds_left);
  });
  render(batch, interruption.token());
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
  auto* on = verb->add_option("--on", r->on, "slurm: on the computers that Slurm has, which share the disk")
                 ->check(CLI::IsMember({"slurm"}));
  verb->add_option("--partition", r->partition, "Which of Slurm's partitions; by default its own choice")
      ->needs(on);
  verb->add_option("--cores", r->cores, "Cores for each task; by default a whole computer")
      ->needs(on)
      ->check(CLI::Range(1, 1024));
  verb->add_option("--chunk", r->chunk_s,
                   "Seconds: longer clips are rendered in parts of about this, with --on or --list-jobs")
      ->check(finiteRange(1, 86400));
  verb->add_flag("--list-jobs", r->list_jobs,
                 "Render nothing: write one command for each clip that is to be rendered; with --chunk one "
                 "for each task, by stages");
  verb->callback([r, &session] { session.verb = [r] { return runShoot(*r); }; });
}

}  // namespace glenhaze::console
