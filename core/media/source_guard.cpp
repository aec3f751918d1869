#include "core/media/source_guard.h"

#include "core/base/error.h"

#include "core/media/sequence.h"

namespace glenhaze {
namespace fs = std::filesystem;

SourceGuard::SourceGuard(std::span<const fs::path> footage) {
  for (const fs::path& path : footage) {
    const auto sequence = sequenceFromPattern(path);
    if (!sequence) add(path);
    for (int i = 0; sequence && i < sequence->count; ++i) add(sequenceFile(path, sequence->first + i));
  }
}

void SourceGuard::add(const fs::path& file) {
  std::error_code code;
  const fs::path name = fs::absolute(file, code).lexically_normal();
  names_.insert(name.native());
  if (const auto identity = identityOf(name)) files_.insert(*identity);
  addFoldersAbove(name);
  if (fs::is_symlink(name, code)) addFoldersAbove(fs::weakly_canonical(name, code));
}

// Also by their real names: a folder on the way may be a link.
void SourceGuard::addFoldersAbove(const fs::path& file) {
  if (!asked_.insert(file.parent_path()).second) return;
  std::error_code code;
  for (fs::path at = fs::weakly_canonical(file.parent_path(), code); !at.empty(); at = at.parent_path()) {
    if (const auto identity = identityOf(at)) folders_.insert(*identity);
    if (at == at.parent_path()) break;
  }
}

bool SourceGuard::forbids(const fs::path& path) const {
  std::error_code code;
  if (names_.contains(fs::absolute(path, code).lexically_normal().native())) return true;
  const auto identity = identityOf(path);
  return identity && (files_.contains(*identity) || folders_.contains(*identity));
}

void requireNoSource(const SourceGuard& guard, const fs::path& name) {
  if (guard.forbids(name))
    throw Error(ErrorKind::Unwritable, "The output would replace footage", name.string(),
                "a source is never written to, by whatever name", "Choose another folder or name");
}

}  // namespace glenhaze
