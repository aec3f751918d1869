#include "core/base/database.h"

#include <sqlite3.h>

#include <mutex>

#include "core/base/error.h"

namespace glenhaze {
namespace fs = std::filesystem;

namespace {

constexpr int kWait_ms = 10'000;

struct Closer {
  void operator()(sqlite3* db) const { sqlite3_close(db); }
};
struct Finisher {
  void operator()(sqlite3_stmt* s) const { sqlite3_finalize(s); }
};
using Statement = std::unique_ptr<sqlite3_stmt, Finisher>;

bool isDamage(int code) { return (code & 0xFF) == SQLITE_CORRUPT || (code & 0xFF) == SQLITE_NOTADB; }

[[noreturn]] void fail(sqlite3* db, int code, const fs::path& path) {
  const bool full = (code & 0xFF) == SQLITE_FULL;
  throw Error(ErrorKind::Unwritable, "Cannot keep what is known of the files here", path.string(),
              db != nullptr ? sqlite3_errmsg(db) : sqlite3_errstr(code),
              full ? "The disk is full: free some space or choose another folder"
                   : "Check the folder's permissions, or choose another folder");
}

void bindAll(sqlite3_stmt* statement, const std::vector<DatabaseValue>& values) {
  for (size_t i = 0; i < values.size(); ++i) {
    const int at = static_cast<int>(i) + 1;
    if (const auto* whole = std::get_if<int64_t>(&values[i]))
      sqlite3_bind_int64(statement, at, *whole);
    else if (const auto* number = std::get_if<double>(&values[i]))
      sqlite3_bind_double(statement, at, *number);
    else if (const auto* text = std::get_if<std::string>(&values[i]))
      sqlite3_bind_blob64(statement, at, text->data(), text->size(), SQLITE_TRANSIENT);
    else
      sqlite3_bind_null(statement, at);
  }
}

DatabaseValue valueAt(sqlite3_stmt* statement, int column) {
  switch (sqlite3_column_type(statement, column)) {
    case SQLITE_INTEGER:
      return int64_t{sqlite3_column_int64(statement, column)};
    case SQLITE_FLOAT:
      return sqlite3_column_double(statement, column);
    case SQLITE_NULL:
      return {};
    default: {
      const auto* bytes = static_cast<const char*>(sqlite3_column_blob(statement, column));
      const auto size = static_cast<size_t>(sqlite3_column_bytes(statement, column));
      return bytes != nullptr ? std::string(bytes, size) : std::string();
    }
  }
}

}  // namespace

std::string textOf(const DatabaseValue& value) {
  const auto* text = std::get_if<std::string>(&value);
  return text != nullptr ? *text : std::string();
}

int64_t wholeOf(const DatabaseValue& value) {
  const auto* whole = std::get_if<int64_t>(&value);
  return whole != nullptr ? *whole : 0;
}

struct Database::State {
  fs::path path;
  std::unique_ptr<sqlite3, Closer> db;
  std::recursive_mutex mutex;

  int open(const std::string& schema, Durability durability) {
    sqlite3* raw = nullptr;
    int code = sqlite3_open_v2(path.c_str(), &raw,
                               SQLITE_OPEN_READWRITE | SQLITE_OPEN_CREATE | SQLITE_OPEN_FULLMUTEX, nullptr);
    db.reset(raw);
    if (code != SQLITE_OK) return code;
    sqlite3_busy_timeout(raw, kWait_ms);
    code = sqlite3_exec(raw,
                        durability == Durability::Sure ? "PRAGMA synchronous=FULL" : "PRAGMA synchronous=OFF",
                        nullptr, nullptr, nullptr);
    return code == SQLITE_OK ? sqlite3_exec(raw, schema.c_str(), nullptr, nullptr, nullptr) : code;
  }
};

Database::Database(const fs::path& path, const std::string& schema, Durability durability)
    : state_(std::make_unique<State>()) {
  State& s = *state_;
  s.path = path;
  int code = s.open(schema, durability);
  if (isDamage(code)) {
    s.db.reset();
    std::error_code ignored;
    fs::rename(path, path.string() + ".damaged", ignored);
    // Half a transaction belongs to the file that it was of.
    fs::remove(path.string() + "-journal", ignored);
    code = s.open(schema, durability);
  }
  if (code != SQLITE_OK) fail(s.db.get(), code, path);
}

Database::~Database() = default;
Database::Database(Database&&) noexcept = default;
Database& Database::operator=(Database&&) noexcept = default;

std::vector<DatabaseRow> Database::run(std::string_view text, const std::vector<DatabaseValue>& values) {
  State& s = *state_;
  const std::lock_guard lock(s.mutex);
  sqlite3_stmt* raw = nullptr;
  int code = sqlite3_prepare_v2(s.db.get(), text.data(), static_cast<int>(text.size()), &raw, nullptr);
  const Statement statement(raw);
  if (code != SQLITE_OK) fail(s.db.get(), code, s.path);
  bindAll(raw, values);
  std::vector<DatabaseRow> rows;
  while ((code = sqlite3_step(raw)) == SQLITE_ROW) {
    DatabaseRow row;
    for (int c = 0; c < sqlite3_column_count(raw); ++c) row.push_back(valueAt(raw, c));
    rows.push_back(std::move(row));
  }
  if (code != SQLITE_DONE) fail(s.db.get(), code, s.path);
  return rows;
}

void Database::atOnce(const std::function<void()>& body) {
  const std::lock_guard lock(state_->mutex);
  // Immediate: the right to write is asked for before anything is read, so that two cannot wait for each
  // other.
  run("BEGIN IMMEDIATE");
  try {
    body();
    run("COMMIT");
  } catch (...) {
    sqlite3_exec(state_->db.get(), "ROLLBACK", nullptr, nullptr, nullptr);
    throw;
  }
}

}  // namespace glenhaze
