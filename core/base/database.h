#pragma once
// A small SQLite file of our own: safe for several processes, whole after a kill. What is kept in one can be
// made again, so a damaged file is put aside and a new one begun.

#include <cstdint>
#include <filesystem>
#include <functional>
#include <memory>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

namespace glenhaze {

/// What a statement is given and what it answers. Text is bytes: names need not be UTF-8.
using DatabaseValue = std::variant<std::monostate, int64_t, double, std::string>;
using DatabaseRow = std::vector<DatabaseValue>;

std::string textOf(const DatabaseValue& value);  ///< "" for anything but text
int64_t wholeOf(const DatabaseValue& value);     ///< 0 for anything but a whole number

enum class Durability {
  Sure,  ///< what was answered for is on the disk, also when the power fails
  Quick  ///< whole after a killed process; a power failure may cost the file, which can be made again
};

/// Safe from several threads: calls wait for one another.
class Database {
 public:
  /// Opens the file, or makes it; `schema`: statements that make what is missing ("CREATE TABLE IF NOT
  /// EXISTS …"). A file that is no database, or damaged, is renamed to end in ".damaged" first. Throws
  /// Error(Unwritable) when it can neither be opened nor made.
  Database(const std::filesystem::path& path, const std::string& schema,
           Durability durability = Durability::Sure);
  ~Database();
  Database(Database&&) noexcept;
  Database& operator=(Database&&) noexcept;

  /// One statement with its values for the question marks; all rows of the answer. Waits up to ten seconds
  /// for another process. Throws Error(Unwritable).
  std::vector<DatabaseRow> run(std::string_view statement, const std::vector<DatabaseValue>& values = {});

  /// `body` as a whole or not at all; nobody else writes meanwhile.
  void atOnce(const std::function<void()>& body);

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace glenhaze
