#pragma once
// The console as a process of its own.

#include <sys/types.h>

#include <filesystem>
#include <string>
#include <vector>

namespace glenhaze::testing {

struct ProcessOutput {
  int exit_code = -1;
  std::string out, err;
};

/// Starts a program; its output goes to files.
pid_t startProcess(const std::string& program, const std::vector<std::string>& arguments,
                   const std::filesystem::path& out, const std::filesystem::path& err);

/// And waits for it. Its output is kept in `folder` meanwhile.
ProcessOutput runProcess(const std::string& program, const std::vector<std::string>& arguments,
                         const std::filesystem::path& folder);

}  // namespace glenhaze::testing
