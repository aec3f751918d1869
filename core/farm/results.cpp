#include "core/farm/results.h"

#include <fcntl.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <chrono>
#include <cstring>
#include <set>
#include <thread>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/json_text.h"
#include "core/base/numbers.h"

namespace glenhaze {
namespace fs = std::filesystem;
using nlohmann::json;

namespace {

constexpr std::array kEnds{RunState::Done, RunState::Failed, RunState::Skipped, RunState::Cancelled};

RunState endFrom(const std::string& name) {
  for (const RunState state : kEnds)
    if (name == runStateName(state)) return state;
  throw std::invalid_argument("there is no such end");
}

json toJson(const FarmResult& r) {
  return {{"state", runStateName(r.state)},
          {"why", r.why},
          {"file", pathToText(r.file)},
          {"fingerprint", r.fingerprint},
          {"parts", r.parts},
          {"frames", r.frames},
          {"bytes", r.bytes},
          {"checked", r.checked},
          {"seconds", r.seconds}};
}

FarmResult resultFrom(const json& in) {
  FarmResult r;
  r.state = endFrom(in.at("state").get<std::string>());
  r.why = in.at("why").get<std::string>();
  r.file = pathFromText(in.at("file").get<std::string>());
  r.fingerprint = in.at("fingerprint").get<std::string>();
  r.parts = in.at("parts").get<std::string>();
  r.frames = wholeOf<int64_t>(in.at("frames"));
  r.bytes = wholeOf<uint64_t>(in.at("bytes"));
  r.checked = in.at("checked").get<std::string>();
  r.seconds = in.at("seconds").get<double>();
  return r;
}

// All that a frame says besides its samples.
json tagsToJson(const Frame& f) {
  json tags = {{"size", {f.width, f.height}},
               {"format", {static_cast<int>(f.format.chroma), f.format.bit_depth}},
               {"colour", {f.colour.primaries, f.colour.transfer, f.colour.matrix}},
               {"full_range", f.colour.full_range},
               {"siting", static_cast<int>(f.colour.siting)},
               {"aspect", {f.sample_aspect.num, f.sample_aspect.den}},
               {"fields", {f.interlaced, f.top_field_first}}};
  if (f.hdr.display) tags["display"] = *f.hdr.display;
  if (f.hdr.light) tags["light"] = *f.hdr.light;
  return tags;
}

Frame tagsFrom(const json& in) {
  Frame f;
  f.width = wholeOf<int>(in.at("size").at(0));
  f.height = wholeOf<int>(in.at("size").at(1));
  f.format.chroma = static_cast<Chroma>(wholeOf<int>(in.at("format").at(0)));
  f.format.bit_depth = wholeOf<int>(in.at("format").at(1));
  f.colour.primaries = wholeOf<int>(in.at("colour").at(0));
  f.colour.transfer = wholeOf<int>(in.at("colour").at(1));
  f.colour.matrix = wholeOf<int>(in.at("colour").at(2));
  f.colour.full_range = in.at("full_range").get<bool>();
  f.colour.siting = static_cast<ChromaSiting>(wholeOf<int>(in.at("siting")));
  f.sample_aspect = {wholeOf<int64_t>(in.at("aspect").at(0)), wholeOf<int64_t>(in.at("aspect").at(1))};
  f.interlaced = in.at("fields").at(0).get<bool>();
  f.top_field_first = in.at("fields").at(1).get<bool>();
  if (in.contains("display")) f.hdr.display = in.at("display").get<std::array<double, 10>>();
  if (in.contains("light")) f.hdr.light = in.at("light").get<std::array<int, 2>>();
  return f;
}

fs::path resultFile(const Submission& s, int item) {
  return s.folder / "results" / (std::to_string(item) + ".json");
}
// Beside a result that was taken over.
fs::path takenFile(const Submission& s, int item) {
  return s.folder / "results" / (std::to_string(item) + ".taken");
}
fs::path partFile(const Submission& s, int item, int part) {
  return s.folder / "parts" / (std::to_string(item) + "-" + std::to_string(part) + ".json");
}
fs::path shareFile(const Submission& s, const FarmTask& task) {
  return s.folder / "progress" /
         (std::string(farmStageName(task.stage)) + "-" + std::to_string(task.item) + "-" +
          std::to_string(task.part));
}

bool isThere(const fs::path& file) {
  std::error_code code;
  return fs::exists(file, code);
}

// A file that is being replaced on a shared disk may be away for a moment: then nothing is known yet.
std::optional<json> readJson(const fs::path& file) {
  if (!isThere(file)) return std::nullopt;
  try {
    const json read = parseJsonOrNull(readFile(file));
    return read.is_null() ? std::nullopt : std::optional(read);
  } catch (const Error&) {
    return std::nullopt;
  }
}

double shareOf(const fs::path& file) {
  try {
    return std::clamp(parseNumber(readFile(file)).value_or(0), 0.0, 1.0);
  } catch (const Error&) {
    return 0;
  }
}

// One look at a folder of a shared disk instead of one for each of thousands of names.
std::set<std::string> namesIn(const fs::path& folder) {
  std::set<std::string> names;
  std::error_code code;
  for (fs::directory_iterator at(folder, code), end; !code && at != end; at.increment(code))
    names.insert(at->path().filename().native());
  return names;
}

// Of the whole folder, among all computers; waits for whoever has it. Unlocked when the file is closed, also
// by a death (fcntl(2)).
class FolderLock {
 public:
  explicit FolderLock(const fs::path& folder)
      : file_(::open((folder / "lock").c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0644)) {
    struct flock all {};
    all.l_type = F_WRLCK;
    all.l_whence = SEEK_SET;
    int code = file_.fd < 0 ? -1 : 0;
    while (code == 0 && (code = ::fcntl(file_.fd, F_OFD_SETLKW, &all)) != 0 && errno == EINTR) code = 0;
    if (code != 0)
      throw Error(ErrorKind::Unwritable, "Finished outputs cannot be taken over", folder.string(),
                  std::strerror(errno), "Check the folder's permissions, and that its disk keeps locks");
  }

 private:
  Descriptor file_;
};

// All footage of the shoot.
std::shared_ptr<const SourceGuard> guardOfFootage(const Submission& s) {
  const Shoot shoot = parseShoot(s.shoot_json, s.shoot);
  std::vector<fs::path> footage = shoot.references;
  for (const ShootClip& clip : shoot.clips) footage.push_back(clip.path);
  return std::make_shared<SourceGuard>(footage);
}

// Puts outputs into their folder, as if they had been rendered there.
class Taker {
 public:
  explicit Taker(const Submission& s)
      : guard_(guardOfFootage(s)), record_(s.items.front().output.parent_path()) {}

  void take(const FarmItem& item, const FarmResult& result) {
    OutputPlace place;
    place.path = item.output;
    place.guard = guard_;
    const Standing standing = record_.standingOf(item.output, result.fingerprint);
    if (standing == Standing::Current) return;
    place.existing = existingAllowed(standing, Replace::Ours, item.output);
    makeRecorded(record_, place, {standing, result.fingerprint, item.clip.native(), result.parts}, [&] {
      fs::rename(result.file, place.temporary);
      publishOutput(place, item.clip);
    });
  }

 private:
  std::shared_ptr<const SourceGuard> guard_;
  RunRecord record_;
};

}  // namespace

fs::path factsFile(const Submission& s, int item) {
  return s.folder / "facts" / (std::to_string(item) + ".sqlite");
}

void writeResult(const Submission& s, int item, const FarmResult& result) {
  fs::create_directories(s.folder / "results");
  // A task that was thought to be dead may end late: what is whole stays.
  if (result.state != RunState::Done)
    if (const auto known = resultOf(s, item); known && known->state == RunState::Done) return;
  writeFileAtomically(resultFile(s, item), jsonText(toJson(result), 1));
}

std::optional<FarmResult> resultOf(const Submission& s, int item) {
  try {
    if (const auto read = readJson(resultFile(s, item))) return resultFrom(*read);
  } catch (const std::exception&) {
    // Of no use to us: as if it were not there.
  }
  return std::nullopt;
}

void writePart(const Submission& s, int item, int part, const FarmPart& made) {
  json out = {{"file", pathToText(made.file)}, {"fingerprint", made.fingerprint},
              {"tags", tagsToJson(made.tags)}, {"pts", made.pts},
              {"durations", made.durations},   {"notes", made.notes},
              {"seconds", made.seconds}};
  if (made.failed) out["failed"] = toJson(*made.failed);
  fs::create_directories(s.folder / "parts");
  writeFileAtomically(partFile(s, item, part), jsonText(out));
}

std::optional<FarmPart> partOf(const Submission& s, int item, int part) {
  const auto in = readJson(partFile(s, item, part));
  if (!in) return std::nullopt;
  try {
    FarmPart made;
    if (in->contains("failed")) made.failed = resultFrom(in->at("failed"));
    made.file = pathFromText(in->at("file").get<std::string>());
    made.fingerprint = in->at("fingerprint").get<std::string>();
    made.tags = tagsFrom(in->at("tags"));
    made.pts = in->at("pts").get<std::vector<int64_t>>();
    made.durations = in->at("durations").get<std::vector<int64_t>>();
    made.notes = in->at("notes").get<std::vector<std::string>>();
    made.seconds = in->at("seconds").get<double>();
    return made;
  } catch (const std::exception&) {
    return std::nullopt;
  }
}

void writeShare(const Submission& s, const FarmTask& task, double share) {
  std::error_code code;
  fs::create_directories(s.folder / "progress", code);
  writeFileAtomically(shareFile(s, task), fixedText(share, 3));
}

std::vector<double> sharesDone(const Submission& s) {
  // Of the time, or so.
  constexpr double kJoining = 0.1;
  const std::set<std::string> begun = namesIn(s.folder / "progress"), made = namesIn(s.folder / "parts"),
                              done = namesIn(s.folder / "results");
  const auto ofTask = [&](const FarmTask& task) {
    const fs::path file = shareFile(s, task);
    return begun.contains(file.filename()) ? shareOf(file) : -1;
  };
  std::vector<double> all;
  for (int i = 0; i < std::ssize(s.items); ++i) {
    const auto& parts = s.items[static_cast<size_t>(i)].parts;
    const double looked = ofTask({FarmStage::Look, i, -1}), joined = ofTask({FarmStage::Join, i, -1});
    if (done.contains(resultFile(s, i).filename())) {
      all.push_back(1);
    } else if (parts.empty()) {
      const double rendered = ofTask({FarmStage::Render, i, -1});
      all.push_back(rendered >= 0 ? rendered : looked >= 0 ? 0 : -1);
    } else {
      double sum = 0;
      bool any = looked >= 0;
      for (int part = 0; part < std::ssize(parts); ++part) {
        const bool whole = made.contains(partFile(s, i, part).filename());
        const double share = whole ? 1 : ofTask({FarmStage::Render, i, part});
        any = any || share >= 0;
        sum += std::max(0.0, share);
      }
      all.push_back(any ? sum / static_cast<double>(parts.size()) * (1 - kJoining) +
                              std::max(0.0, joined) * kJoining
                        : -1);
    }
  }
  return all;
}

void collect(const Submission& s) {
  std::error_code code;
  if (!fs::exists(s.folder, code)) return;  // another one has ended it
  const FolderLock lock(s.folder);
  std::unique_ptr<Taker> taker;
  const std::set<std::string> there = namesIn(s.folder / "results");
  const auto has = [&](const fs::path& file) { return there.contains(file.filename()); };
  for (int i = 0; i < std::ssize(s.items); ++i) {
    if (has(takenFile(s, i)) || !has(resultFile(s, i))) continue;
    auto result = resultOf(s, i);
    if (!result) continue;
    if (result->state == RunState::Done) {
      const FarmItem& item = s.items[static_cast<size_t>(i)];
      try {
        if (!taker) taker = std::make_unique<Taker>(s);
        taker->take(item, *result);
      } catch (const std::exception& error) {
        result->state = RunState::Failed;
        result->why = error.what();
        writeFileAtomically(resultFile(s, i), jsonText(toJson(*result), 1));
      }
    }
    writeFileAtomically(takenFile(s, i), "");
  }
  const std::set<std::string> facts = namesIn(s.folder / "facts");
  std::unique_ptr<FactStore> known;
  for (int i = 0; i < std::ssize(s.items) && !facts.empty(); ++i) {
    const fs::path file = factsFile(s, i), taken = file.string() + ".taken";
    if (!facts.contains(file.filename()) || facts.contains(taken.filename()) || !isThere(takenFile(s, i)))
      continue;
    if (!known) known = std::make_unique<FactStore>(s.shoot.parent_path() / kFactsName);
    known->takeAll(FactStore(file));
    writeFileAtomically(taken, "");
  }
}

std::vector<FarmResult> finalResults(const Submission& s) {
  std::vector<FarmResult> all;
  for (int i = 0; i < std::ssize(s.items); ++i) {
    if (auto result = resultOf(s, i)) {
      all.push_back(std::move(*result));
      continue;
    }
    FarmResult none;
    none.state = RunState::Failed;
    none.why = "Its task ended without a result. What it said is in " + (s.folder / "log").string() +
               ". Start the run again.";
    all.push_back(std::move(none));
  }
  return all;
}

void removeMade(const Submission& s) {
  std::error_code ignored;
  for (const char* name : {"parts", "whole", "progress"}) fs::remove_all(s.folder / name, ignored);
}

void removeWork(const Submission& s) {
  // A task that was called off may still write for a moment, and what comes in between stays.
  constexpr int kTries = 50;
  constexpr std::chrono::milliseconds kRest{100};
  for (int i = 0; i < kTries; ++i) {
    std::error_code failed, unknown;
    fs::remove_all(s.folder, failed);
    if (!fs::exists(s.folder, unknown)) return;
    // A disk that cannot be written to will not change.
    if (failed && failed != std::errc::directory_not_empty) return;
    std::this_thread::sleep_for(kRest);
  }
}

}  // namespace glenhaze
