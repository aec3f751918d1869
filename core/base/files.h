#pragma once
// Writing files so that a reader never sees half of one.

#include <filesystem>
#include <string>

namespace glenhaze {

/// Writes `text` under a temporary name beside `path`, flushes it to the disk and renames it.
/// Throws Error(Unwritable); `path` is then as it was before and the temporary file is gone.
void writeFileAtomically(const std::filesystem::path& path, const std::string& text);

/// The whole file. Throws Error(Unreadable).
std::string readFile(const std::filesystem::path& path);

/// Bytes free for this user on the disk that holds `folder` (or its nearest existing parent);
/// 0 when it cannot be told.
uint64_t freeBytes(const std::filesystem::path& folder);

/// An XDG base directory ("XDG Base Directory Specification", freedesktop.org): the value of
/// `variable`, or `fallback` below the home folder; with "/glenhaze" appended.
std::filesystem::path userFolder(const char* variable, const char* fallback);

}  // namespace glenhaze
