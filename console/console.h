#pragma once
// Shared by the console's verbs: how they are registered, and how they answer.

#include <CLI/CLI.hpp>
#include <array>
#include <filesystem>
#include <functional>
#include <nlohmann/json.hpp>
#include <stop_token>
#include <string>
#include <thread>
#include <vector>

#include "core/base/progress.h"
#include "core/media/clip_info.h"
#include "core/run/batch.h"
#include "core/run/plan.h"

namespace glenhaze::console {

// Exit codes, stable.
constexpr int kAllDone = 0;
constexpr int kSomeFailed = 1;
constexpr int kWrongUse = 2;
constexpr int kInputUnusable = 3;

/// What a verb answers: the JSON of --json, the same for people, and the exit code.
struct Answer {
  nlohmann::json json;
  std::string text;
  int exit_code = kAllDone;
};

/// Chosen by CLI11's callbacks; run once after parsing.
struct Session {
  std::function<Answer()> verb;
  bool json = false;
  int threads = 0;
  std::string decoder;  ///< a graphics card's; empty: the processor
  std::string device;   ///< see choiceFrom(); empty: the processor
};

void addProbe(CLI::App& app, Session& session);
void addLens(CLI::App& app, Session& session);
void addShutter(CLI::App& app, Session& session);
void addMotion(CLI::App& app, Session& session);
void addNoise(CLI::App& app, Session& session);
void addProfile(CLI::App& app, Session& session);
/// Overlays on a clip: part of "lens".
void addOverlay(CLI::App& lens, Session& session);
void addFinish(CLI::App& app, Session& session);
void addApply(CLI::App& app, Session& session);
void addRun(CLI::App& app, Session& session);
void addShoot(CLI::App& app, Session& session);
void addTask(CLI::App& app, Session& session);
void addDevices(CLI::App& app, Session& session);

/// What is known of a shoot's clips, in their order; files are looked at side by side.
std::vector<ClipFacts> factsOfAll(const Shoot& shoot);

/// A shoot file with what a run would do to each clip.
struct PlannedShoot {
  Shoot shoot;
  std::vector<ClipPlan> plans;
  std::vector<std::string> problems;  ///< of profiles that cannot be read
};
PlannedShoot planShootFile(const std::string& file);
/// Leaves only these clips of the plans, by their path or file name; none given: all. Throws
/// Error(BadRequest) for one that the shoot has not.
void keepClips(PlannedShoot& planned, const std::vector<std::string>& clips);

/// Prints "label 42 %, 1:05 left" over itself on standard error, only where that is a terminal.
class ProgressLine {
 public:
  explicit ProgressLine(std::string label);
  ~ProgressLine();
  void show(double share, double seconds_left = -1);
  Progress progress();

 private:
  std::string label_;
  bool terminal_;
  double started_;
  double last_ = -1;
};

/// While it lives Ctrl+C asks for a stop instead of ending the program: the clip being rendered is dropped,
/// finished ones stay.
class Interruption {
 public:
  Interruption();
  std::stop_token token() const { return source_.get_token(); }

 private:
  std::stop_source source_;
  std::jthread watcher_;
};

/// Renders a batch by `render`, shows how far it is meanwhile, and says what became of each clip.
Answer runBatch(Batch& batch, const std::string& report, const std::string& title,
                const std::function<void(Batch&, const std::stop_token&)>& render);

/// The probe of a clip. Throws Error(Unreadable) when it cannot be read.
ClipInfo readableClip(const std::filesystem::path& path);

/// "PART.KEY=VALUE"; key and value may be empty.
struct PartSetting {
  std::string part, key, value;
};
PartSetting partSetting(const std::string& text);

/// The settings in a part of a profile, which is made where there is none.
template <auto Part>
auto* settingsOfPart(Profile& profile) {
  if (!(profile.*Part)) (profile.*Part).emplace();
  return &(profile.*Part)->settings;
}

/// Throws Error(Unreadable) where the profile has none.
const Lens& lensIn(const Profile& profile);

/// "X,Y,WIDTH,HEIGHT" in pixels. Throws Error(BadRequest).
std::array<int, 4> parsePlace(const std::string& text);

std::vector<std::filesystem::path> toPaths(const std::vector<std::string>& names);

/// A list of parts of a profile, separated by commas; as a check and as output settings with these parts
/// only.
CLI::Validator knownParts();
OutputSettings partsOnly(const std::string& parts);
/// "1920x1080". Throws Error(BadRequest).
PictureSize parseSize(const std::string& text);

/// For options that are numbers: the usual check of a range lets "nan" pass.
/// Verbs of `shoot` that choose the good parts of clips, and hand them over.
void addPicking(CLI::App& shoot, Session& session);
/// Before and after, for showing others.
void addShow(CLI::App& shoot, Session& session);

CLI::Validator finiteRange(double low, double high);

/// "0.31" with `digits` decimals.
std::string number(double value, int digits);

}  // namespace glenhaze::console
