#pragma once
// What runs have made in an output folder: which output came from which footage with which settings, and
// whether it is still as it was made. Kept in the folder itself, so that it is true for window, console and
// every run, and safe for several of them at once. Only what stands here is ever replaced or removed.

#include <filesystem>
#include <functional>
#include <memory>
#include <optional>
#include <string>

#include "core/base/database.h"
#include "core/clip/file_id.h"
#include "core/media/writer.h"

namespace glenhaze {

/// How an output's name stands before it is rendered.
enum class Standing {
  Free,     ///< nothing has this name
  Current,  ///< ours, whole, unchanged, of the same footage and settings
  Stale,    ///< ours and unchanged, of other footage or settings
  Changed,  ///< ours, but changed since by somebody
  Foreign   ///< not ours
};

/// All methods may be called from any thread; several processes may have the same folder open.
class RunRecord {
 public:
  /// Makes the folder and the record where they are missing. Throws Error(Unwritable).
  explicit RunRecord(const std::filesystem::path& folder);
  /// Whether a folder has a record, without making one.
  static bool isIn(const std::filesystem::path& folder);

  /// `output`: in this folder. `fingerprint`: of what would be rendered now.
  Standing standingOf(const std::filesystem::path& output, const std::string& fingerprint);

  /// Says that an output is about to be made; returns the name under which it is to grow. Throws
  /// Error(Unwritable) while another run that is still alive makes the same one.
  std::filesystem::path begin(const std::filesystem::path& output, const std::string& fingerprint,
                              const std::string& source, const std::string& parts = {});
  /// It is whole, at its temporary name, and gets its own next.
  void complete(const std::filesystem::path& temporary);
  /// It has its own name.
  void published(const std::filesystem::path& temporary);
  /// It will not be made after all.
  void dropped(const std::filesystem::path& temporary);

  /// Ends what runs left that were killed: outputs that got their name just before are taken over, what was
  /// only half made is removed. Returns how many files or folders were removed.
  int clearLeftovers();

  /// What begin was told of the parts that an output depends on; "" for one that is not ours.
  std::string partsOf(const std::filesystem::path& output);

  /// What an output was made as; empty for one that is not ours.
  std::optional<FileId> madeAs(const std::filesystem::path& output);

 private:
  void take(const std::string& name, const std::string& temporary);
  std::filesystem::path folder_;
  Database database_;
};

/// What the record is told of an output that is about to be made.
struct RecordEntry {
  Standing standing = Standing::Free;  ///< of its name, as it was decided on
  std::string fingerprint, source, parts;
};

/// Lets `make` write an output to a name of its own, which the record knows from before it exists, and then
/// to the output's: fills temporary, complete and replaced of `place`, which is to be used by `make`. What
/// fails on the way is dropped from the record. Throws Error(Unwritable), and what `make` throws.
void makeRecorded(RunRecord& record, OutputPlace& place, const RecordEntry& entry,
                  const std::function<void()>& make);

/// The record's own name in an output folder.
constexpr const char* kRecordName = ".glenhaze-run.sqlite";

}  // namespace glenhaze
