#pragma once
// A real Slurm with two nodes on this computer, for as long as it lives (tests/farm/slurm-cluster).

#include <cstdlib>
#include <filesystem>
#include <string>

#include "core/base/program.h"
#include "core/farm/slurm.h"

namespace glenhaze::testing {

class SlurmCluster {
 public:
  /// `folder`: is made. Afterwards why_not() says whether it runs.
  explicit SlurmCluster(std::filesystem::path folder) : folder_(std::move(folder)) {
    if (!slurmIsThere() || !findProgram("slurmctld") || !findProgram("munged")) {
      why_not_ = "slurmctld, slurmd, slurm-client and munge are not installed";
      return;
    }
    std::filesystem::create_directories(folder_);
    const ProgramAnswer answer = runProgram({kScript, "start", folder_});
    if (answer.exit_code != 0)
      why_not_ = "Slurm does not start here: " + answer.err;
    else
      setenv("SLURM_CONF", (folder_ / "slurm.conf").c_str(), 1);
  }
  ~SlurmCluster() {
    if (why_not_.empty()) runProgram({kScript, "stop", folder_});
    unsetenv("SLURM_CONF");
  }
  SlurmCluster(const SlurmCluster&) = delete;
  SlurmCluster& operator=(const SlurmCluster&) = delete;

  /// "" where it runs.
  const std::string& why_not() const { return why_not_; }
  /// A node dies with everything that runs on it.
  bool kill(const std::string& node) const {
    return runProgram({kScript, "kill", folder_, node}).exit_code == 0;
  }

 private:
  static constexpr const char* kScript = GLENHAZE_SOURCE "/tests/farm/slurm-cluster";
  std::filesystem::path folder_;
  std::string why_not_;
};

}  // namespace glenhaze::testing
