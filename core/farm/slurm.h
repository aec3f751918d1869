#pragma once
// Work handed to Slurm, the open workload manager (slurm.schedmd.com; Debian: slurm-wlm), by its own programs
// sbatch, squeue and scancel: a job array for each stage, each after the one before.

#include <stop_token>
#include <string>
#include <vector>

#include "core/farm/submission.h"

namespace glenhaze {

struct SlurmOptions {
  std::string partition;          ///< "": Slurm's default
  int cores = 0;                  ///< for each task; 0: a whole computer
  std::filesystem::path program;  ///< glenhaze-cli, where it is on those computers
};

/// Whether this computer can hand work to Slurm.
bool slurmIsThere();

/// Its partitions, the default first; empty where there are none, or it cannot be asked.
std::vector<std::string> slurmPartitions(const std::stop_token& stop = {});

/// Hands a saved submission over; the numbers of its jobs, none left behind where it fails. Throws
/// Error(Unwritable) when Slurm does not take it, with what it says; Error(Cancelled).
std::vector<std::string> handToSlurm(const Submission& submission, const SlurmOptions& options,
                                     const std::stop_token& stop = {});

/// Whether any of the jobs waits or runs; also true when Slurm cannot be asked at the moment.
bool slurmHas(const std::vector<std::string>& jobs);

void cancelInSlurm(const std::vector<std::string>& jobs);

/// The words that do a task of a stage; its number follows them (see tasksOf).
std::vector<std::string> taskCommand(const std::filesystem::path& program, const Submission& submission,
                                     FarmStage stage);

}  // namespace glenhaze
