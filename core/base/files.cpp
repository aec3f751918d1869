#include "core/base/files.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <random>
#include <system_error>

#include "core/base/error.h"

namespace glenhaze {
namespace fs = std::filesystem;

namespace {

[[noreturn]] void throwWrite(const fs::path& path, int code) {
  throw Error(ErrorKind::Unwritable, "Cannot write the file", path.string(), std::strerror(code),
              code == ENOSPC ? "Free some space or choose another folder" : "Check the folder's permissions");
}

[[noreturn]] void throwRead(const fs::path& path, const std::string& why, const std::string& remedy) {
  throw Error(ErrorKind::Unreadable, "Cannot read the file", path.string(), why, remedy);
}

// Where the bytes are to go: through links, so that a link stays a link.
fs::path behindLinks(const fs::path& path) {
  std::error_code code;
  if (!fs::is_symlink(path, code)) return path;
  const fs::path target = fs::weakly_canonical(path, code);
  return code ? path : target;
}

}  // namespace

Descriptor::~Descriptor() {
  if (fd >= 0) ::close(fd);
}

std::optional<FileIdentity> identityOf(const fs::path& path) {
  struct stat s {};
  if (::stat(path.c_str(), &s) != 0) return std::nullopt;
  return FileIdentity{s.st_dev, s.st_ino};
}

fs::path unfinishedName(const fs::path& folder, const std::string& ending) {
  std::random_device random;
  std::string name = ".glenhaze-";
  for (int i = 0; i < 16; ++i) name += "0123456789abcdef"[random() & 15U];
  return folder / (name + ending);
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

void writeFileAtomically(const fs::path& path, const std::string& text) {
  const fs::path target = behindLinks(path);
  const fs::path temporary = unfinishedName(target.parent_path(), ".part");
  struct stat before {};
  const bool replaces = ::stat(target.c_str(), &before) == 0;
  try {
    const Descriptor file(::open(temporary.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0644));
    if (file.fd < 0) throwWrite(path, errno);
    if (replaces) ::fchmod(file.fd, before.st_mode & 07777U);
    writeAll(file.fd, text, path);
  } catch (...) {
    ::unlink(temporary.c_str());
    throw;
  }
  if (::rename(temporary.c_str(), target.c_str()) != 0) {
    const int code = errno;
    ::unlink(temporary.c_str());
    throwWrite(path, code);
  }
}

std::string readFile(const fs::path& path, uint64_t most) {
  // Not blocking: opening a pipe that nobody writes to would wait for ever.
  const Descriptor file(::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK));
  if (file.fd < 0) throwRead(path, std::strerror(errno), "Check the name and its permissions");
  struct stat s {};
  if (::fstat(file.fd, &s) != 0) throwRead(path, std::strerror(errno), "");
  if (S_ISDIR(s.st_mode)) throwRead(path, "it is a folder", "");
  if (!S_ISREG(s.st_mode)) throwRead(path, "it is no ordinary file", "Choose a file");
  if (static_cast<uint64_t>(s.st_size) > most)
    throwRead(path, "it is larger than " + std::to_string(most >> 20) + " MB", "Choose another file");
  std::string text(static_cast<size_t>(s.st_size), '\0');
  size_t have = 0;
  while (have < text.size()) {
    const ssize_t n = ::read(file.fd, text.data() + have, text.size() - have);
    if (n < 0 && errno == EINTR) continue;
    if (n < 0) throwRead(path, std::strerror(errno), "Check the disk");
    if (n == 0) break;
    have += static_cast<size_t>(n);
  }
  text.resize(have);
  return text;
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
