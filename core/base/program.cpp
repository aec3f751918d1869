#include "core/base/program.h"

#include <fcntl.h>
#include <poll.h>
#include <signal.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <cstring>

#include "core/base/error.h"
#include "core/base/files.h"

namespace glenhaze {
namespace fs = std::filesystem;

namespace {

struct Pipe {
  Descriptor read_end, write_end;

  static Pipe make() {
    std::array<int, 2> ends{};
    if (::pipe2(ends.data(), O_CLOEXEC) != 0)
      throw Error(ErrorKind::Unreadable, "Cannot start another program", "", std::strerror(errno), "");
    return {Descriptor(ends[0]), Descriptor(ends[1])};
  }
  void closeWriteEnd() {
    ::close(write_end.fd);
    write_end.fd = -1;
  }
};

struct SpawnActions {
  posix_spawn_file_actions_t actions{};
  SpawnActions() { posix_spawn_file_actions_init(&actions); }
  ~SpawnActions() { posix_spawn_file_actions_destroy(&actions); }
  SpawnActions(const SpawnActions&) = delete;
  SpawnActions& operator=(const SpawnActions&) = delete;
};

pid_t spawn(const std::vector<std::string>& words, const Pipe& out, const Pipe& err) {
  SpawnActions made;
  posix_spawn_file_actions_addopen(&made.actions, STDIN_FILENO, "/dev/null", O_RDONLY, 0);
  posix_spawn_file_actions_adddup2(&made.actions, out.write_end.fd, STDOUT_FILENO);
  posix_spawn_file_actions_adddup2(&made.actions, err.write_end.fd, STDERR_FILENO);
  std::vector<std::string> copies = words;
  std::vector<char*> argv;
  for (std::string& word : copies) argv.push_back(word.data());
  argv.push_back(nullptr);
  pid_t pid = -1;
  const int code = ::posix_spawnp(&pid, argv[0], &made.actions, nullptr, argv.data(), environ);
  if (code != 0)
    throw Error(ErrorKind::Unreadable, "Cannot start another program", words[0], std::strerror(code),
                "Install it, or mend its permissions");
  return pid;
}

// Reads both until they end. False when a stop was asked for.
bool readBoth(const Pipe& out, const Pipe& err, ProgramAnswer& answer, const std::stop_token& stop) {
  constexpr int kLook_ms = 100;
  std::array<pollfd, 2> ends{{{out.read_end.fd, POLLIN, 0}, {err.read_end.fd, POLLIN, 0}}};
  std::array<std::string*, 2> texts{&answer.out, &answer.err};
  std::array<char, 4096> bytes{};
  while (ends[0].fd >= 0 || ends[1].fd >= 0) {
    if (stop.stop_requested()) return false;
    if (::poll(ends.data(), ends.size(), kLook_ms) < 0 && errno != EINTR) return true;
    for (size_t i = 0; i < ends.size(); ++i) {
      if (ends[i].fd < 0 || ends[i].revents == 0) continue;
      const ssize_t n = ::read(ends[i].fd, bytes.data(), bytes.size());
      if (n > 0)
        texts[i]->append(bytes.data(), static_cast<size_t>(n));
      else if (n == 0 || errno != EINTR)
        ends[i].fd = -1;
    }
  }
  return true;
}

}  // namespace

std::optional<fs::path> findProgram(const std::string& name) {
  const char* path = std::getenv("PATH");
  std::string folders = path != nullptr ? path : "/usr/bin:/bin";
  for (size_t at = 0; at <= folders.size();) {
    const size_t end = std::min(folders.find(':', at), folders.size());
    const fs::path file = fs::path(folders.substr(at, end - at)) / name;
    std::error_code code;
    if (fs::is_regular_file(file, code) && ::access(file.c_str(), X_OK) == 0) return file;
    at = end + 1;
  }
  return std::nullopt;
}

ProgramAnswer runProgram(const std::vector<std::string>& words, const std::stop_token& stop) {
  Pipe out = Pipe::make(), err = Pipe::make();
  const pid_t pid = spawn(words, out, err);
  out.closeWriteEnd();
  err.closeWriteEnd();
  ProgramAnswer answer;
  const bool whole = readBoth(out, err, answer, stop);
  if (!whole) ::kill(pid, SIGTERM);
  int status = 0;
  while (::waitpid(pid, &status, 0) < 0 && errno == EINTR) {
  }
  if (!whole) throwCancelled();
  if (WIFEXITED(status)) answer.exit_code = WEXITSTATUS(status);
  return answer;
}

std::string shellLine(const std::vector<std::string>& words) {
  std::string line;
  for (const std::string& word : words) {
    if (!line.empty()) line += " ";
    line += "'";
    for (const char c : word) line += c == '\'' ? std::string("'\\''") : std::string(1, c);
    line += "'";
  }
  return line;
}

}  // namespace glenhaze
