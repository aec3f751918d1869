#pragma once
// Writing files so that a reader never sees half of one, and telling files apart whatever they are called.

#include <compare>
#include <cstdint>
#include <filesystem>
#include <optional>
#include <string>
#include <string_view>

namespace glenhaze {

/// Closes on every way out; what close() says matters only after a write and is checked there.
struct Descriptor {
  int fd = -1;
  explicit Descriptor(int handle) : fd(handle) {}
  ~Descriptor();
  Descriptor(const Descriptor&) = delete;
  Descriptor& operator=(const Descriptor&) = delete;
};

/// The file itself, whatever name or link leads to it.
struct FileIdentity {
  uint64_t device = 0, inode = 0;
  auto operator<=>(const FileIdentity&) const = default;
};
/// Links are followed; empty when nothing is there.
std::optional<FileIdentity> identityOf(const std::filesystem::path& path);

/// Writes `text` under a name of its own beside `path`, flushes it to the disk and renames it. Where `path`
/// is a link, the file that it leads to is replaced and the link stays; permissions of the old file stay too.
/// Throws Error(Unwritable); `path` is then as it was before and nothing else is left.
void writeFileAtomically(const std::filesystem::path& path, const std::string& text);

/// All of `text` to an open file, and on to the disk. `path`: for the message. Throws Error(Unwritable).
void writeAll(int fd, const std::string& text, const std::filesystem::path& path);

/// Files of ours are far smaller: profiles, shoots, logs of rotation, calibrations.
constexpr uint64_t kLargestFile = 256U << 20;

/// The whole file. Throws Error(Unreadable), also for what is no ordinary file (a device or a pipe would
/// never end) and for one that is larger than `most` bytes.
std::string readFile(const std::filesystem::path& path, uint64_t most = kLargestFile);

/// A hidden name for something that is still being made in `folder`: new each time, short, ours by its look.
std::filesystem::path unfinishedName(const std::filesystem::path& folder, const std::string& ending);

/// "file:///…" of a path (RFC 8089).
std::string fileUrl(const std::filesystem::path& path);

/// Bytes free for this user on the disk that holds `folder` (or its nearest existing parent);
/// 0 when it cannot be told.
uint64_t freeBytes(const std::filesystem::path& folder);

/// An XDG base directory ("XDG Base Directory Specification", freedesktop.org): the value of
/// `variable`, or `fallback` below the home folder; with "/glenhaze" appended.
std::filesystem::path userFolder(const char* variable, const char* fallback);

}  // namespace glenhaze
