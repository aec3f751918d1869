#include "tests/support/process.h"

#include <sys/wait.h>
#include <unistd.h>

#include <cstdio>

#include "core/base/files.h"

namespace glenhaze::testing {

pid_t startProcess(const std::string& program, const std::vector<std::string>& arguments,
                   const std::filesystem::path& out, const std::filesystem::path& err) {
  const pid_t pid = ::fork();
  if (pid != 0) return pid;
  std::vector<std::string> all = {program};
  all.insert(all.end(), arguments.begin(), arguments.end());
  std::vector<char*> argv;
  for (std::string& a : all) argv.push_back(a.data());
  argv.push_back(nullptr);
  if (std::freopen(out.c_str(), "w", stdout) == nullptr || std::freopen(err.c_str(), "w", stderr) == nullptr)
    ::_exit(126);
  ::execv(program.c_str(), argv.data());
  ::_exit(127);
}

ProcessOutput runProcess(const std::string& program, const std::vector<std::string>& arguments,
                         const std::filesystem::path& folder) {
  const pid_t pid = startProcess(program, arguments, folder / "stdout", folder / "stderr");
  int status = 0;
  ::waitpid(pid, &status, 0);
  return {WIFEXITED(status) ? WEXITSTATUS(status) : -1, readFile(folder / "stdout"),
          readFile(folder / "stderr")};
}

}  // namespace glenhaze::testing
