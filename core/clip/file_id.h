#pragma once
// Which file a piece of footage is, also after it was renamed or moved, and whether it is still as it was.

#include <cstdint>
#include <filesystem>
#include <optional>
#include <string>

namespace glenhaze {

/// A file, a numbered sequence (a name with one %0Nd) or a folder of our own stills. A plain value.
struct FileId {
  uint64_t bytes = 0;
  int64_t modified_ns =
      0;  ///< of the last change, since 1970; of a sequence or folder the latest of its files
  /// Digest of its first and last 64 KiB; of a sequence or folder of its files' names, sizes and times. ""
  /// when there is no such file.
  std::string content;

  bool exists() const { return !content.empty(); }
  /// The same size and content, whenever it was written: a copy or a renamed file.
  bool sameContent(const FileId& other) const {
    return exists() && bytes == other.bytes && content == other.content;
  }
  bool operator==(const FileId&) const = default;

  /// As text for files of ours, and back; what cannot be read gives a FileId of no file.
  std::string text() const;
  static FileId fromText(const std::string& text);
};

/// Reads at most 128 KiB. Never throws: a file that is not there, or may not be read, does not exist.
FileId fileIdOf(const std::filesystem::path& path);

}  // namespace glenhaze
