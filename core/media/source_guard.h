#pragma once
// Footage is never written to: this knows it by the files themselves, whatever names and links lead there.

#include <filesystem>
#include <set>
#include <span>
#include <string>
#include <unordered_set>

#include "core/base/files.h"

namespace glenhaze {

/// A plain value; safe from several threads once made.
class SourceGuard {
 public:
  SourceGuard() = default;
  /// Clips, stills, and sequences as names with one %0Nd.
  explicit SourceGuard(std::span<const std::filesystem::path> footage);

  /// True when `path` is one of the files, under any name, or a folder that holds one at any depth. Asks the
  /// disk each time.
  bool forbids(const std::filesystem::path& path) const;

 private:
  void add(const std::filesystem::path& file);
  void addFoldersAbove(const std::filesystem::path& file);
  std::set<FileIdentity> files_, folders_;
  std::set<std::filesystem::path> asked_;  // folders whose way to the root is known
  // Also of files that are not there at the moment; as bytes, for there may be very many.
  std::unordered_set<std::string> names_;
};

/// Throws Error(Unwritable) for a name that leads to footage.
void requireNoSource(const SourceGuard& guard, const std::filesystem::path& name);

}  // namespace glenhaze
