#pragma once
// What was found out about footage, kept beside the shoot, so that nothing is looked at twice: by window,
// console and runs, also at the same time. A store that is damaged, or cannot be written to, costs another
// look, never a failure.

#include <filesystem>
#include <map>
#include <memory>
#include <optional>
#include <string>

#include "core/base/database.h"
#include "core/clip/file_id.h"

namespace glenhaze {

/// All methods may be called from any thread, and never throw.
class FactStore {
 public:
  /// Keeps nothing: for shoots that are not saved yet.
  FactStore() = default;
  explicit FactStore(const std::filesystem::path& file);
  /// One of its own, above another one: what is not known here is asked for there, what is new is kept here.
  FactStore(const std::filesystem::path& file, std::shared_ptr<const FactStore> below);
  /// Only what another one knows; what is new is not kept.
  explicit FactStore(std::shared_ptr<const FactStore> below);

  /// Which file this is: known already where size and time are still the same, without reading it; else as
  /// fileIdOf.
  FileId identify(const std::filesystem::path& path);

  /// A fact about a file; `question`: what it depends on besides the file. Found also when the file was
  /// renamed, moved or copied.
  std::optional<std::string> find(const FileId& file, const std::string& kind,
                                  const std::string& question) const;
  /// All facts of one kind, by what they depend on.
  std::map<std::string, std::string> all(const FileId& file, const std::string& kind) const;
  void put(const FileId& file, const std::string& kind, const std::string& question, const std::string& fact);
  /// Everything that another store holds by itself, in place of what is known here.
  void takeAll(const FactStore& other);

 private:
  std::optional<std::string> knownContent(const std::filesystem::path& path, int64_t bytes,
                                          int64_t modified) const;
  std::unique_ptr<Database> database_;  // null: nothing is kept
  std::shared_ptr<const FactStore> below_;
};

/// Where the facts about the footage of a shoot are kept: beside its file.
constexpr const char* kFactsName = ".glenhaze-facts.sqlite";

}  // namespace glenhaze
