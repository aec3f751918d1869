#include "core/clip/fact_store.h"

#include <sys/stat.h>

#include "core/base/error.h"

namespace glenhaze {

namespace {

constexpr const char* kSchema =
    "CREATE TABLE IF NOT EXISTS facts(file BLOB, kind BLOB, question BLOB, fact BLOB,"
    " PRIMARY KEY(file, kind, question));"
    "CREATE TABLE IF NOT EXISTS files(path BLOB PRIMARY KEY, bytes INTEGER, modified INTEGER, content BLOB);";

// Names and times may change; what the file holds may not.
std::string keyOf(const FileId& file) { return std::to_string(file.bytes) + " " + file.content; }

}  // namespace

FactStore::FactStore(const std::filesystem::path& file) {
  try {
    database_ = std::make_unique<Database>(file, kSchema, Durability::Quick);
  } catch (const Error&) {
    // On a card that may not be written to nothing is kept.
  }
}

FactStore::FactStore(const std::filesystem::path& file, std::shared_ptr<const FactStore> below)
    : FactStore(file) {
  below_ = std::move(below);
}

FactStore::FactStore(std::shared_ptr<const FactStore> below) : below_(std::move(below)) {}

std::optional<std::string> FactStore::knownContent(const std::filesystem::path& path, int64_t bytes,
                                                   int64_t modified) const {
  try {
    if (database_)
      for (const auto& row :
           database_->run("SELECT content FROM files WHERE path=? AND bytes=? AND modified=?",
                          {path.native(), bytes, modified}))
        return textOf(row[0]);
  } catch (const Error&) {
  }
  return below_ ? below_->knownContent(path, bytes, modified) : std::nullopt;
}

FileId FactStore::identify(const std::filesystem::path& path) {
  struct stat s {};
  const bool plain = ::stat(path.c_str(), &s) == 0 && S_ISREG(s.st_mode);
  const int64_t modified = int64_t{s.st_mtim.tv_sec} * 1'000'000'000 + s.st_mtim.tv_nsec;
  if (plain)
    if (auto content = knownContent(path, s.st_size, modified))
      return {static_cast<uint64_t>(s.st_size), modified, std::move(*content)};
  const FileId id = fileIdOf(path);
  try {
    if (database_ && plain && id.exists())
      database_->run("INSERT OR REPLACE INTO files VALUES(?,?,?,?)",
                     {path.native(), static_cast<int64_t>(id.bytes), id.modified_ns, id.content});
  } catch (const Error&) {
  }
  return id;
}

std::optional<std::string> FactStore::find(const FileId& file, const std::string& kind,
                                           const std::string& question) const {
  if (!file.exists()) return std::nullopt;
  try {
    if (database_)
      for (const auto& row : database_->run("SELECT fact FROM facts WHERE file=? AND kind=? AND question=?",
                                            {keyOf(file), kind, question}))
        return textOf(row[0]);
  } catch (const Error&) {
  }
  return below_ ? below_->find(file, kind, question) : std::nullopt;
}

std::map<std::string, std::string> FactStore::all(const FileId& file, const std::string& kind) const {
  std::map<std::string, std::string> facts;
  if (!file.exists()) return facts;
  if (below_) facts = below_->all(file, kind);
  if (!database_) return facts;
  try {
    for (const auto& row :
         database_->run("SELECT question, fact FROM facts WHERE file=? AND kind=?", {keyOf(file), kind}))
      facts[textOf(row[0])] = textOf(row[1]);
  } catch (const Error&) {
  }
  return facts;
}

void FactStore::put(const FileId& file, const std::string& kind, const std::string& question,
                    const std::string& fact) {
  if (!database_ || !file.exists()) return;
  try {
    database_->run("INSERT OR REPLACE INTO facts VALUES(?,?,?,?)", {keyOf(file), kind, question, fact});
  } catch (const Error&) {
  }
}

void FactStore::takeAll(const FactStore& other) {
  if (!database_ || !other.database_) return;
  try {
    database_->atOnce([&] {
      for (const auto& row : other.database_->run("SELECT file, kind, question, fact FROM facts"))
        database_->run("INSERT OR REPLACE INTO facts VALUES(?,?,?,?)", row);
      for (const auto& row : other.database_->run("SELECT path, bytes, modified, content FROM files"))
        database_->run("INSERT OR REPLACE INTO files VALUES(?,?,?,?)", row);
    });
  } catch (const Error&) {
  }
}

}  // namespace glenhaze
