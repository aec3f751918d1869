#include "console/console.h"

#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <csignal>
#include <cstdio>

#include "core/base/csv.h"
#include "core/base/error.h"
#include "core/base/numbers.h"

namespace glenhaze::console {

namespace {

double now() {
  return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count();
}

}  // namespace

std::string number(double value, int digits) { return fixedText(value, digits); }

CLI::Validator finiteRange(double low, double high) {
  const std::string range = fixedText(low, 0) + " to " + fixedText(high, 0);
  return {[=](const std::string& text) {
            const auto value = parseNumber(text);
            return value && *value >= low && *value <= high ? std::string()
                                                            : text + " is no number from " + range;
          },
          "NUMBER " + range};
}

ClipInfo readableClip(const std::filesystem::path& path) {
  ClipInfo clip = probe(path);
  if (!clip.readable())
    throw Error(ErrorKind::Unreadable, "The clip cannot be read", path.string(), clip.problems.front().text,
                "");
  return clip;
}

PartSetting partSetting(const std::string& text) {
  const size_t equals = std::min(text.find('='), text.size()), dot = std::min(text.find('.'), equals);
  const auto from = [&](size_t first, size_t last) {
    return first < last ? text.substr(first, last - first) : std::string();
  };
  return {text.substr(0, dot), from(dot + 1, equals), from(equals + 1, text.size())};
}

std::array<int, 4> parsePlace(const std::string& text) {
  const auto v = csvNumbers(text);
  constexpr double kMost = 65536;
  const bool usable =
      v && v->size() == 4 && (*v)[0] >= 0 && (*v)[1] >= 0 && (*v)[2] >= 1 && (*v)[3] >= 1 &&
      std::all_of(v->begin(), v->end(), [](double x) { return x == std::floor(x) && x < kMost; });
  if (!usable)
    throw Error(ErrorKind::BadRequest, "The place is not usable", text, "",
                "Write it as X,Y,WIDTH,HEIGHT in pixels");
  const auto at = [&](size_t i) { return static_cast<int>((*v)[i]); };
  return {at(0), at(1), at(2), at(3)};
}

std::vector<std::filesystem::path> toPaths(const std::vector<std::string>& names) {
  return {names.begin(), names.end()};
}

namespace {
volatile std::sig_atomic_t interrupted = 0;
}

// The watching thread is needed because a signal handler may not touch mutexes.
Interruption::Interruption() {
  std::signal(SIGINT, [](int) { interrupted = 1; });
  std::signal(SIGTERM, [](int) { interrupted = 1; });
  watcher_ = std::jthread([this](const std::stop_token& stop) {
    while (!stop.stop_requested()) {
      if (interrupted != 0) source_.request_stop();
      std::this_thread::sleep_for(std::chrono::milliseconds(50));
    }
  });
}

ProgressLine::ProgressLine(std::string label)
    : label_(std::move(label)), terminal_(::isatty(STDERR_FILENO) == 1), started_(now()) {}

ProgressLine::~ProgressLine() {
  if (terminal_ && last_ >= 0) std::fputs("\r\033[K", stderr);
}

void ProgressLine::show(double share, double seconds_left) {
  if (!terminal_) return;
  const double at = now();
  if (last_ >= 0 && at - last_ < 0.1) return;
  last_ = at;
  if (seconds_left < 0 && share > 0.02) seconds_left = (at - started_) * (1 - share) / share;
  std::fprintf(stderr, "\r\033[K%s %.0f %%", label_.c_str(), share * 100);
  if (seconds_left >= 0)
    std::fprintf(stderr, ", %d:%02d left", static_cast<int>(seconds_left) / 60,
                 static_cast<int>(seconds_left) % 60);
  std::fflush(stderr);
}

Progress ProgressLine::progress() {
  Progress progress;
  progress.report = [this](double share) { show(share); };
  return progress;
}

const Lens& lensIn(const Profile& profile) {
  if (!profile.lens)
    throw Error(ErrorKind::Unreadable, "There is no lens in the profile", profile.path.string(), "",
                "Measure the lens first");
  return profile.lens->lens;
}

}  // namespace glenhaze::console
