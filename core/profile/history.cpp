#include "core/profile/history.h"

#include <array>
#include <chrono>

#include "core/base/database.h"
#include "core/base/error.h"
#include "core/base/json_text.h"

namespace glenhaze {
namespace fs = std::filesystem;
using nlohmann::json;

namespace {

constexpr int64_t kMostSteps = 100;
constexpr const char* kSchema =
    "CREATE TABLE IF NOT EXISTS step (number INTEGER PRIMARY KEY, name TEXT, at INTEGER, text TEXT, changed "
    "TEXT)";

Database openHistory(const fs::path& file) {
  return {file.parent_path() / kHistoryName, kSchema, Durability::Quick};
}

}  // namespace

std::string partsThatDiffer(const std::string& a, const std::string& b) {
  constexpr std::array kParts = {"camera", "lens", "shutter", "noise", "stabilization", "finish", "note"};
  const json in_a = parseJsonOrNull(a), in_b = parseJsonOrNull(b);
  if (!in_a.is_object() || !in_b.is_object()) return a == b ? "" : "all of it";
  std::string names;
  for (const char* part : kParts)
    if (in_a.value(part, json()) != in_b.value(part, json()))
      names += (names.empty() ? "" : ", ") + std::string(part);
  return names;
}

std::vector<ProfileStep> historyOf(const fs::path& file) {
  std::vector<ProfileStep> steps;
  std::error_code code;
  if (!fs::exists(file.parent_path() / kHistoryName, code)) return steps;
  try {
    Database history = openHistory(file);
    for (const DatabaseRow& row :
         history.run("SELECT at, text, changed FROM step WHERE name = ? ORDER BY number DESC",
                     {file.filename().native()}))
      steps.push_back({wholeOf(row[0]), textOf(row[1]), textOf(row[2])});
  } catch (const Error&) {
    steps.clear();
  }
  return steps;
}

void keepStep(const fs::path& file, const std::string& before, const std::string& after) {
  const std::string changed = partsThatDiffer(before, after);
  if (changed.empty()) return;
  try {
    Database history = openHistory(file);
    const int64_t now =
        std::chrono::duration_cast<std::chrono::seconds>(std::chrono::system_clock::now().time_since_epoch())
            .count();
    const std::string name = file.filename().native();
    history.atOnce([&] {
      history.run("INSERT INTO step (name, at, text, changed) VALUES (?, ?, ?, ?)",
                  {name, now, before, changed});
      history.run(
          "DELETE FROM step WHERE name = ? AND number NOT IN (SELECT number FROM step WHERE name = ? ORDER "
          "BY "
          "number DESC LIMIT ?)",
          {name, name, kMostSteps});
    });
  } catch (const Error&) {
    // See the header.
  }
}

}  // namespace glenhaze
