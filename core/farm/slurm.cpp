#include "core/farm/slurm.h"

#include <algorithm>
#include <sstream>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/numbers.h"
#include "core/base/program.h"

namespace glenhaze {
namespace fs = std::filesystem;

namespace {

constexpr std::array kStagesInTurn{FarmStage::Look, FarmStage::Render, FarmStage::Join, FarmStage::Collect};

std::string trimmedText(std::string text) {
  while (!text.empty() && (text.back() == '\n' || text.back() == ' ')) text.pop_back();
  return text;
}

// Slurm.conf(5): indices of an array stay below MaxArraySize, 1001 unless set.
int largestArray(const std::stop_token& stop) {
  constexpr int kUsual = 1001;
  const ProgramAnswer answer = runProgram({"scontrol", "show", "config"}, stop);
  const size_t at = answer.out.find("MaxArraySize");
  const size_t equals = at == std::string::npos ? at : answer.out.find('=', at);
  if (equals == std::string::npos) return kUsual;
  const std::string line = answer.out.substr(equals + 1, answer.out.find('\n', equals) - equals - 1);
  const auto number =
      parseNumber(trimmedText(line.substr(std::min(line.find_first_not_of(' '), line.size()))));
  return number && *number >= 2 ? static_cast<int>(std::min(*number, 1e6)) : kUsual;
}

// The task's number is that of the array plus where the array begins.
fs::path stageScript(const Submission& s, const SlurmOptions& options, FarmStage stage) {
  std::string line = "exec " + shellLine(taskCommand(options.program, s, stage));
  if (options.cores > 0) line += " --threads " + std::to_string(options.cores);
  if (stage != FarmStage::Collect) line += " \"$((SLURM_ARRAY_TASK_ID + $1))\"";
  const fs::path file = s.folder / (std::string(farmStageName(stage)) + ".sh");
  writeFileAtomically(file, "#!/bin/sh\n" + line + "\n");
  return file;
}

class Submitter {
 public:
  Submitter(const Submission& submission, const SlurmOptions& options, const std::stop_token& stop)
      : s_(submission), options_(options), stop_(stop), largest_(largestArray(stop)) {}

  std::vector<std::string> all() {
    fs::create_directories(s_.folder / "log");
    std::vector<std::string> before;
    for (const FarmStage stage : kStagesInTurn) {
      const int count = static_cast<int>(tasksOf(s_, stage).size());
      if (count == 0) continue;
      const fs::path script = stageScript(s_, options_, stage);
      std::vector<std::string> own;
      for (int first = 0; first < count; first += largest_ - 1)
        own.push_back(hand(stage, script, first, std::min(count - first, largest_ - 1), before));
      before = own;
    }
    return jobs_;
  }

  const std::vector<std::string>& handed() const { return jobs_; }

 private:
  std::string hand(FarmStage stage, const fs::path& script, int first, int count,
                   const std::vector<std::string>& after) {
    const std::string name = farmStageName(stage);
    // Again where a computer dies; what was said before stays to be read.
    std::vector<std::string> words = {"sbatch",
                                      "--parsable",
                                      "--requeue",
                                      "--open-mode=append",
                                      "--job-name=glenhaze-" + name,
                                      "--chdir=" + s_.folder.native(),
                                      "--output=log/" + name + "-%A-%a.txt"};
    if (!options_.partition.empty()) words.push_back("--partition=" + options_.partition);
    if (stage == FarmStage::Collect) {
      words.emplace_back("--cpus-per-task=1");
    } else {
      words.push_back(options_.cores > 0 ? "--cpus-per-task=" + std::to_string(options_.cores)
                                         : std::string("--exclusive"));
      words.push_back("--array=0-" + std::to_string(count - 1));
    }
    if (!after.empty()) {
      // Those that failed have said so; the others go on.
      std::string jobs = "--dependency=afterany";
      for (const std::string& job : after) jobs += ":" + job;
      words.push_back(jobs);
    }
    words.push_back(script.native());
    words.push_back(std::to_string(first));
    const ProgramAnswer answer = runProgram(words, stop_);
    // "--parsable": the number, and ";" with the cluster's name where there are several (sbatch(1)).
    std::string job = trimmedText(answer.out);
    job = job.substr(0, job.find(';'));
    if (answer.exit_code != 0 || !parseNumber(job))
      throw Error(ErrorKind::Unwritable, "Slurm does not take the work", s_.folder.string(),
                  trimmedText(answer.err.empty() ? answer.out : answer.err),
                  "Look at sinfo, and at the partition's name");
    jobs_.push_back(job);
    return job;
  }

  const Submission& s_;
  const SlurmOptions& options_;
  const std::stop_token& stop_;
  int largest_;
  std::vector<std::string> jobs_;
};

}  // namespace

bool slurmIsThere() { return findProgram("sbatch") && findProgram("squeue") && findProgram("scancel"); }

std::vector<std::string> slurmPartitions(const std::stop_token& stop) {
  std::vector<std::string> names;
  if (!slurmIsThere() || !findProgram("sinfo")) return names;
  // %P: the name, with a star behind the default (sinfo(1)).
  std::istringstream lines(runProgram({"sinfo", "--noheader", "--format=%P"}, stop).out);
  for (std::string line; std::getline(lines, line);) {
    line = trimmedText(line);
    const bool usual = line.ends_with('*');
    if (usual) line.pop_back();
    if (line.empty() || std::ranges::find(names, line) != names.end()) continue;
    names.insert(usual ? names.begin() : names.end(), line);
  }
  return names;
}

std::vector<std::string> taskCommand(const fs::path& program, const Submission& s, FarmStage stage) {
  return {program.native(), "task", s.folder.native(), farmStageName(stage)};
}

std::vector<std::string> handToSlurm(const Submission& submission, const SlurmOptions& options,
                                     const std::stop_token& stop) {
  if (!slurmIsThere())
    throw Error(ErrorKind::Unwritable, "Slurm is not on this computer", "", "sbatch is not found",
                "Install Debian's package slurm-client, and the studio's slurm.conf");
  Submitter submitter(submission, options, stop);
  try {
    return submitter.all();
  } catch (const Error&) {
    cancelInSlurm(submitter.handed());
    throw;
  }
}

bool slurmHas(const std::vector<std::string>& jobs) {
  try {
    // %F: the number of a job, or of the array that it is of (squeue(1)). Of everybody: a colleague may have
    // handed it over.
    const ProgramAnswer answer = runProgram({"squeue", "--noheader", "--format=%F"});
    if (answer.exit_code != 0) return true;
    std::istringstream lines(answer.out);
    for (std::string line; std::getline(lines, line);)
      if (std::ranges::find(jobs, trimmedText(line)) != jobs.end()) return true;
    return false;
  } catch (const Error&) {
    return true;
  }
}

void cancelInSlurm(const std::vector<std::string>& jobs) {
  if (jobs.empty()) return;
  std::vector<std::string> words = {"scancel"};
  words.insert(words.end(), jobs.begin(), jobs.end());
  try {
    runProgram(words);
  } catch (const Error&) {
    // Gone already, or not to be reached: its tasks find nothing to do any more.
  }
}

}  // namespace glenhaze
