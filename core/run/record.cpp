#include "core/run/record.h"

#include <fcntl.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <chrono>

#include "core/base/error.h"
#include "core/base/files.h"

namespace glenhaze {
namespace fs = std::filesystem;

namespace {

// name: of the output in this folder. identity: FileId as text. work: what is being made; identity is empty
// until it is whole. process: who makes it.
constexpr const char* kSchema =
    "CREATE TABLE IF NOT EXISTS outputs(name BLOB PRIMARY KEY, source BLOB, fingerprint BLOB, identity BLOB,"
    " parts BLOB);"
    "CREATE TABLE IF NOT EXISTS work(temporary BLOB PRIMARY KEY, name BLOB, source BLOB, fingerprint BLOB,"
    " identity BLOB, parts BLOB, host BLOB, process BLOB, begun INTEGER);";

fs::path made(const fs::path& folder) {
  std::error_code code;
  fs::create_directories(folder, code);
  if (code || ::access(folder.c_str(), W_OK) != 0)
    throw Error(ErrorKind::Unwritable, "Cannot write to the output folder", folder.string(),
                code ? code.message() : "it may not be written to",
                "Choose another folder or mend its permissions");
  return folder / kRecordName;
}

std::string hostName() {
  std::array<char, 256> name{};
  return ::gethostname(name.data(), name.size() - 1) == 0 ? name.data() : "";
}

// A process number is used again; together with when it began (proc(5), field 22 of "stat", in ticks since
// boot) and the boot itself it is not.
std::string processMark(const std::string& pid) {
  try {
    const auto bounded = [](const fs::path& path) {
      // Files of the kernel have no size of their own.
      std::string text(4096, '\0');
      const Descriptor file(::open(path.c_str(), O_RDONLY | O_CLOEXEC));
      const ssize_t n = file.fd >= 0 ? ::read(file.fd, text.data(), text.size()) : 0;
      text.resize(static_cast<size_t>(std::max<ssize_t>(0, n)));
      return text;
    };
    std::string stat = bounded("/proc/" + pid + "/stat");
    if (stat.empty()) return {};
    // What is left begins with the blank before field 3. The name in brackets may hold blanks and brackets of
    // its own.
    stat.erase(0, stat.rfind(')') + 1);
    size_t at = 0;
    for (int field = 3; field < 22 && at != std::string::npos; ++field) at = stat.find(' ', at + 1);
    const std::string began = at == std::string::npos ? "" : stat.substr(at, stat.find(' ', at + 1) - at);
    std::string boot = bounded("/proc/sys/kernel/random/boot_id");
    while (!boot.empty() && boot.back() == '\n') boot.pop_back();
    return pid + began + " " + boot;
  } catch (const std::exception&) {
    return {};
  }
}

int64_t now_s() {
  return std::chrono::duration_cast<std::chrono::seconds>(std::chrono::system_clock::now().time_since_epoch())
      .count();
}

// Of another computer nothing can be told; after a day without an end its work is given up.
bool isAlive(const std::string& host, const std::string& process, int64_t begun) {
  constexpr int64_t kGivenUp_s = 24 * 3600;
  if (host != hostName()) return now_s() - begun < kGivenUp_s;
  return processMark(process.substr(0, process.find(' '))) == process;
}

// A folder that was replaced goes, unless somebody put something into it at the last moment.
void keepWhatIsNotOurs(const fs::path& old_folder, const FileId& made_as, const fs::path& name) {
  if (fileIdOf(old_folder) == made_as) return;
  for (int n = 1; n < 1000; ++n) {
    const fs::path kept = name.string() + " (before " + std::to_string(n) + ")";
    std::error_code code;
    if (fs::exists(fs::symlink_status(kept, code))) continue;
    fs::rename(old_folder, kept, code);
    if (!code) return;
  }
  throw Error(ErrorKind::Unwritable, "The former folder holds something that is not ours",
              old_folder.string(), "", "");
}

std::string nameOf(const fs::path& path) { return path.filename().native(); }

}  // namespace

RunRecord::RunRecord(const fs::path& folder) : folder_(folder), database_(made(folder), kSchema) {}

std::optional<FileId> RunRecord::madeAs(const fs::path& output) {
  const auto rows = database_.run("SELECT identity FROM outputs WHERE name=?", {nameOf(output)});
  if (rows.empty()) return std::nullopt;
  return FileId::fromText(textOf(rows[0][0]));
}

Standing RunRecord::standingOf(const fs::path& output, const std::string& fingerprint) {
  // Another run may put its output there while this one looks: then it looks again.
  constexpr int kLooks = 8;
  FileId there;
  for (int look = 0; look < kLooks; ++look) {
    std::error_code code;
    if (!fs::exists(fs::symlink_status(output, code))) return Standing::Free;
    const FileId now = fileIdOf(output);
    if (look > 0 && now == there) break;
    there = now;
    // What is whole has its identity in the record before it gets its name, and is an output a moment later.
    const auto rows = database_.run(
        "SELECT identity, fingerprint FROM outputs WHERE name=? "
        "UNION ALL SELECT identity, fingerprint FROM work WHERE name=? AND identity<>?",
        {nameOf(output), nameOf(output), std::string()});
    // Nothing that we make is a link.
    if (rows.empty() || fs::is_symlink(output, code)) return Standing::Foreign;
    for (const auto& row : rows)
      if (there == FileId::fromText(textOf(row[0])))
        return textOf(row[1]) == fingerprint ? Standing::Current : Standing::Stale;
  }
  return Standing::Changed;
}

bool RunRecord::isIn(const fs::path& folder) {
  std::error_code code;
  return fs::exists(folder / kRecordName, code);
}

std::string RunRecord::partsOf(const fs::path& output) {
  const auto rows = database_.run("SELECT parts FROM outputs WHERE name=?", {nameOf(output)});
  return rows.empty() ? std::string() : textOf(rows[0][0]);
}

fs::path RunRecord::begin(const fs::path& output, const std::string& fingerprint, const std::string& source,
                          const std::string& parts) {
  const fs::path temporary = unfinishedName(folder_, output.extension().string());
  database_.atOnce([&] {
    for (const auto& row :
         database_.run("SELECT host, process, begun FROM work WHERE name=?", {nameOf(output)}))
      if (isAlive(textOf(row[0]), textOf(row[1]), wholeOf(row[2])))
        throw Error(ErrorKind::Unwritable, "Another run is making this output now", output.string(), "",
                    "Wait for it, or stop one of them");
    database_.run("INSERT INTO work VALUES(?,?,?,?,?,?,?,?,?)",
                  {nameOf(temporary), nameOf(output), source, fingerprint, std::string(), parts, hostName(),
                   processMark(std::to_string(::getpid())), now_s()});
  });
  return temporary;
}

void RunRecord::complete(const fs::path& temporary) {
  database_.run("UPDATE work SET identity=? WHERE temporary=?",
                {fileIdOf(temporary).text(), nameOf(temporary)});
}

void RunRecord::take(const std::string& name, const std::string& temporary) {
  database_.run(
      "INSERT OR REPLACE INTO outputs SELECT name, source, fingerprint, identity, parts FROM work "
      "WHERE temporary=? AND name=?",
      {temporary, name});
  database_.run("DELETE FROM work WHERE temporary=?", {temporary});
}

void RunRecord::published(const fs::path& temporary) {
  database_.atOnce([&] {
    const auto rows = database_.run("SELECT name FROM work WHERE temporary=?", {nameOf(temporary)});
    if (!rows.empty()) take(textOf(rows[0][0]), nameOf(temporary));
  });
}

void RunRecord::dropped(const fs::path& temporary) {
  database_.run("DELETE FROM work WHERE temporary=?", {nameOf(temporary)});
}

int RunRecord::clearLeftovers() {
  int removed = 0;
  database_.atOnce([&] {
    for (const auto& row :
         database_.run("SELECT temporary, name, identity, host, process, begun FROM work")) {
      if (isAlive(textOf(row[3]), textOf(row[4]), wholeOf(row[5]))) continue;
      const std::string temporary = textOf(row[0]), name = textOf(row[1]);
      const FileId whole = FileId::fromText(textOf(row[2]));
      // A record that was tampered with must not name anything else: "" would be the whole folder.
      if (!temporary.starts_with(".glenhaze-") || temporary.find('/') != std::string::npos) continue;
      const fs::path left = folder_ / temporary;
      std::error_code code;
      // What is at the temporary name: the output, half or whole; or, where a folder was replaced, the one
      // before.
      const FileId there = fileIdOf(left);
      const bool got_its_name = whole.exists() && fileIdOf(folder_ / name) == whole;
      const auto before = madeAs(folder_ / name);
      const bool ours = !got_its_name || !there.exists() || (before && there == *before);
      if (ours && fs::remove_all(left, code) > 0 && !code) ++removed;
      if (got_its_name)
        take(name, temporary);
      else
        database_.run("DELETE FROM work WHERE temporary=?", {temporary});
    }
  });
  return removed;
}

void makeRecorded(RunRecord& record, OutputPlace& place, const RecordEntry& entry,
                  const std::function<void()>& make) {
  const fs::path output = place.path;
  const fs::path temporary = record.begin(output, entry.fingerprint, entry.source, entry.parts);
  place.temporary = temporary;
  place.complete = [&record, output, entry](const fs::path& whole) {
    // What may be replaced must still be what it was when that was decided.
    if (entry.standing != Standing::Free && record.standingOf(output, entry.fingerprint) != entry.standing)
      throw Error(ErrorKind::Unwritable, "The output was changed while it was rendered anew", output.string(),
                  "", "Move it away, then render again");
    record.complete(whole);
  };
  place.replaced = [&record, output](const fs::path& old_folder) {
    if (const auto made_as = record.madeAs(output)) keepWhatIsNotOurs(old_folder, *made_as, output);
  };
  try {
    make();
    record.published(temporary);
  } catch (...) {
    try {
      record.dropped(temporary);
    } catch (const Error&) {
      // On a full disk not even that can be written: the next run clears it.
    }
    throw;
  }
}

}  // namespace glenhaze
