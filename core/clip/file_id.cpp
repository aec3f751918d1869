#include "core/clip/file_id.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <charconv>
#include <vector>

#include "core/base/digest.h"
#include "core/base/files.h"
#include "core/media/sequence.h"

namespace glenhaze {
namespace fs = std::filesystem;

namespace {

constexpr size_t kEnd_bytes = 64U << 10;

int64_t modifiedOf(const struct stat& s) {
  return int64_t{s.st_mtim.tv_sec} * 1'000'000'000 + s.st_mtim.tv_nsec;
}

bool addStretch(Digest& digest, int fd, size_t count, off_t from) {
  std::vector<char> bytes(count);
  size_t have = 0;
  while (have < count) {
    const ssize_t n = ::pread(fd, bytes.data() + have, count - have, from + static_cast<off_t>(have));
    if (n <= 0) return false;
    have += static_cast<size_t>(n);
  }
  digest.add({bytes.data(), bytes.size()});
  return true;
}

FileId idOfFile(const fs::path& path) {
  FileId id;
  const Descriptor file{::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK)};
  struct stat s {};
  if (file.fd < 0 || ::fstat(file.fd, &s) != 0 || !S_ISREG(s.st_mode)) return id;
  id.bytes = static_cast<uint64_t>(s.st_size);
  id.modified_ns = modifiedOf(s);
  Digest digest;
  const size_t head = std::min<uint64_t>(id.bytes, kEnd_bytes);
  const size_t tail = std::min<uint64_t>(id.bytes - head, kEnd_bytes);
  if (!addStretch(digest, file.fd, head, 0) ||
      !addStretch(digest, file.fd, tail, s.st_size - static_cast<off_t>(tail)))
    return {};
  id.content = digest.hex();
  return id;
}

// By names, sizes and times alone: thousands of stills are not opened.
FileId idOfFiles(std::vector<fs::path> files) {
  FileId id;
  std::sort(files.begin(), files.end());
  Digest digest;
  for (const fs::path& path : files) {
    struct stat s {};
    if (::stat(path.c_str(), &s) != 0) return {};
    id.bytes += static_cast<uint64_t>(s.st_size);
    id.modified_ns = std::max(id.modified_ns, modifiedOf(s));
    digest.add(path.filename().native() + '\0' + std::to_string(s.st_size) + ' ' +
               std::to_string(modifiedOf(s)) + '\0');
  }
  id.content = digest.hex();
  return id;
}

}  // namespace

FileId fileIdOf(const fs::path& path) {
  std::error_code code;
  if (fs::is_directory(path, code)) {
    std::vector<fs::path> files;
    for (const auto& entry : fs::directory_iterator(path, code)) files.push_back(entry.path());
    return code ? FileId{} : idOfFiles(std::move(files));
  }
  if (const auto sequence = sequenceFromPattern(path)) {
    std::vector<fs::path> files;
    for (int i = 0; i < sequence->count; ++i) files.push_back(sequenceFile(path, sequence->first + i));
    return idOfFiles(std::move(files));
  }
  return idOfFile(path);
}

std::string FileId::text() const {
  return std::to_string(bytes) + " " + std::to_string(modified_ns) + " " + content;
}

FileId FileId::fromText(const std::string& text) {
  FileId id;
  const char* end = text.data() + text.size();
  const auto bytes = std::from_chars(text.data(), end, id.bytes);
  if (bytes.ec != std::errc{} || bytes.ptr == end || *bytes.ptr != ' ') return {};
  const auto time = std::from_chars(bytes.ptr + 1, end, id.modified_ns);
  if (time.ec != std::errc{} || time.ptr == end || *time.ptr != ' ') return {};
  id.content.assign(time.ptr + 1, end);
  return id;
}

}  // namespace glenhaze
