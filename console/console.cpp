#include "console/console.h"

#include <unistd.h>

#include <chrono>
#include <cstdio>

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

std::vector<std::filesystem::path> toPaths(const std::vector<std::string>& names) {
  return {names.begin(), names.end()};
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

}  // namespace glenhaze::console
