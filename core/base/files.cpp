#include "core/base/files.h"

#include <fcntl.h>
#include <unistd.h>

#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <fstream>
#include <sstream>
#include <system_error>

#include "core/base/error.h"

namespace glenhaze {
namespace fs = std::filesystem;

namespace {

// Closes on every way out; close() errors matter only after a write and are checked there.
struct Descriptor {
  int fd = -1;
  ~Descriptor() {
    if (fd >= 0) ::close(fd);
  }
};

[[noreturn]] void throwWrite(const fs::path& path, int code) {
  throw Error(ErrorKind::Unwritable, "Cannot write the file", path.string(), std::strerror(code),
              code == ENOSPC ? "Free some space or choose another folder" : "Check the folder's permissions");
}

void writeAll(int fd, const std::string& text, const fs::path& path) {
  size_t done = 0;
  while (done < text.size()) {
    const ssize_t n = ::write(fd, text.data() + done, text.size() - done);
    if (n < 0 && errno == EINTR) continue;
    if (n <= 0) throwWrite(path, n < 0 ? errno : ENOSPC);
    done += static_cast<size_t>(n);
  }
  if (::fsync(fd) != 0 && errno != EINVAL) throwWrite(path, errno);
}

}  // namespace

void writeFileAtomically(const fs::path& path, const std::string& text) {
  const fs::path temporary = path.string() + ".part-" + std::to_string(::getpid());
  try {
    Descriptor file{::open(temporary.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0644)};
    if (file.fd < 0) throwWrite(path, errno);
    writeAll(file.fd, text, path);
  } catch (...) {
    ::unlink(temporary.c_str());
    throw;
  }
  if (::rename(temporary.c_str(), path.c_str()) != 0) {
    const int code = errno;
    ::unlink(temporary.c_str());
    throwWrite(path, code);
  }
}

std::string readFile(const fs::path& path) {
  std::error_code code;
  if (fs::is_directory(path, code))
    throw Error(ErrorKind::Unreadable, "Cannot read the file", path.string(), "it is a folder", "");
  std::ifstream in(path, std::ios::binary);
  if (!in)
    throw Error(ErrorKind::Unreadable, "Cannot read the file", path.string(), std::strerror(errno),
                "Check the name and its permissions");
  std::ostringstream out;
  out << in.rdbuf();
  return std::move(out).str();
}

uint64_t freeBytes(const fs::path& folder) {
  std::error_code code;
  fs::path at = fs::absolute(folder, code);
  while (!at.empty() && !fs::exists(at, code) && at != at.parent_path()) at = at.parent_path();
  const auto space = fs::space(at, code);
  return code ? 0 : static_cast<uint64_t>(space.available);
}

fs::path userFolder(const char* variable, const char* fallback) {
  const char* value = std::getenv(variable);
  // The specification says that relative values are to be ignored.
  if (value != nullptr && value[0] == '/') return fs::path(value) / "glenhaze";
  const char* home = std::getenv("HOME");
  return fs::path(home != nullptr ? home : "/tmp") / fallback / "glenhaze";
}

}  // namespace glenhaze
