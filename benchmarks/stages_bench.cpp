// Where a render's time goes: one clip with each stage on and off, without encoding and with, beside what a
// plain copy of its frames costs. Milliseconds a frame, medians of five, and the processors' time of that
// one.
//   build/bin/stages_bench SHOOT CLIP-NAME [frames] [WORD…]   only lines that hold one of the words, or are
//   one (=WORD)
#include <sys/resource.h>

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <cstring>
#include <filesystem>
#include <functional>
#include <string>
#include <vector>

#include "benchmarks/one_clip.h"
#include "core/frame/picture_memory.h"
#include "core/media/quiet.h"
#include "core/media/reader.h"
#include "core/pipeline/render.h"
#include "core/run/ask.h"

namespace {

using namespace glenhaze;
using Clock = std::chrono::steady_clock;

struct Cost {
  double ms = 0, processors_ms = 0;  // a frame
};

double processorsMs() {
  rusage usage{};
  getrusage(RUSAGE_SELF, &usage);
  const auto ms = [](const timeval& t) {
    return 1000.0 * static_cast<double>(t.tv_sec) + static_cast<double>(t.tv_usec) / 1000;
  };
  return ms(usage.ru_utime) + ms(usage.ru_stime);
}

constexpr int kRuns = 5;

Cost medianOf(const std::function<void()>& act, int64_t frames) {
  std::vector<Cost> costs;
  for (int i = 0; i < kRuns; ++i) {
    const auto start = Clock::now();
    const double before = processorsMs();
    act();
    const auto count = static_cast<double>(frames);
    costs.push_back({std::chrono::duration<double, std::milli>(Clock::now() - start).count() / count,
                     (processorsMs() - before) / count});
  }
  std::ranges::sort(costs, {}, &Cost::ms);
  return costs[kRuns / 2];
}

double peakMegabytes() {
  rusage usage{};
  getrusage(RUSAGE_SELF, &usage);
  return static_cast<double>(usage.ru_maxrss) / 1024;
}

size_t bytesOf(const Frame& frame) {
  size_t bytes = 0;
  for (int p = 0; p < frame.format.numPlanes(); ++p) {
    const Plane& plane = frame.planes[static_cast<size_t>(p)];
    bytes += static_cast<size_t>(plane.width) * static_cast<size_t>(plane.height) *
             static_cast<size_t>(frame.format.bytesPerSample());
  }
  return bytes;
}

// What is timed: all lines, or those that hold one of some words.
class Lines {
 public:
  Lines(int64_t frames, std::vector<std::string> words) : frames_(frames), words_(std::move(words)) {}

  void time(const std::string& name, const std::function<void()>& act) const {
    if (!wanted(name)) return;
    const Cost cost = medianOf(act, frames_);
    std::printf("%-48s %8.1f ms %8.1f frames/s, processors %8.1f ms\n", name.c_str(), cost.ms,
                cost.ms > 0 ? 1000 / cost.ms : 0, cost.processors_ms);
    std::fflush(stdout);
  }
  int64_t frames() const { return frames_; }

 private:
  bool wanted(const std::string& name) const {
    return words_.empty() || std::ranges::any_of(words_, [&](const std::string& word) {
             return word.starts_with('=') ? name == word.substr(1) : name.find(word) != std::string::npos;
           });
  }
  int64_t frames_;
  std::vector<std::string> words_;
};

// What the frames cost when nothing is done to them.
void timeBare(const ClipInfo& info, const Lines& lines) {
  const Frame one = readFrame(info, 0);
  std::printf("%.1f MB a frame\n", static_cast<double>(bytesOf(one)) / 1e6);
  lines.time("a plain copy of a frame", [&] {
    for (int64_t i = 0; i < lines.frames(); ++i) cloneFrame(one);
  });
  lines.time("decoding", [&] {
    ClipReader reader(info);
    for (int64_t i = 0; i < lines.frames() && reader.next(); ++i) {
    }
  });
}

struct Way {
  const char* name;
  bool lens, shutter, noise, steady, finish;
};
constexpr Way kWays[] = {{"decoding, lens", true, false, false, false, false},
                         {"decoding, noise", false, false, true, false, false},
                         {"decoding, finish", false, false, false, false, true},
                         {"decoding, lens, shutter, steady", true, true, false, true, false},
                         {"lens, shutter, steady, noise", true, true, true, true, false},
                         {"with finish", true, true, true, true, true}};

void timeEncoded(const std::string& way, RenderJob job, const Lines& lines) {
  const auto folder = std::filesystem::temp_directory_path() / "glenhaze-stages";
  std::filesystem::create_directories(folder);
  for (const auto& [name, codec, ending] :
       {std::tuple("FFV1", Codec::Ffv1, ".mkv"), std::tuple("H.264", Codec::H264, ".mp4"),
        std::tuple("H.265", Codec::H265, ".mp4"), std::tuple("ProRes", Codec::ProRes422HQ, ".mov")}) {
    job.encode.codec = codec;
    job.place.path = folder / (std::string("x") + ending);
    job.place.existing = Existing::ReplaceFile;
    lines.time(way + ", " + name, [&] { renderClip(job); });
  }
  std::filesystem::remove_all(folder);
}

}  // namespace

int main(int argc, char** argv) {
  glenhaze::leaveNoHoles();
  if (argc < 3) return 2;
  quietLibraries();
  FactStore store;
  std::optional<OneClip> one = oneClip(argv[1], argv[2], store);
  if (!one) return 2;
  auto& [shoot, set, facts] = *one;
  const Lines lines(std::min<int64_t>(facts[0].info.frames, argc > 3 ? std::stoll(argv[3]) : 90),
                    {argv + std::min(argc, 4), argv + argc});

  std::printf("%s: %d x %d, %lld frames\n", argv[2], facts[0].info.width, facts[0].info.height,
              static_cast<long long>(lines.frames()));
  timeBare(facts[0].info, lines);
  for (const Way& way : kWays) {
    shoot.output.lens_on = way.lens;
    shoot.output.shutter_on = way.shutter;
    shoot.output.noise_on = way.noise;
    shoot.output.stabilization_on = way.steady;
    shoot.output.finish_on = way.finish;
    ClipPlan plan = answered(planShoot(shoot, facts, set.profiles)[0], store, {});
    if (!plan.refusal.empty()) {
      std::printf("%-48s left out: %s\n", way.name, plan.refusal.c_str());
      continue;
    }
    std::vector<std::string> notes;
    plan.job.correction = correctionOf(plan.decision.treatment, prepare(plan, store, notes));
    plan.job.range = FrameRange{0, lines.frames()};
    const auto frames = [&] { makeFrames(plan.job, [](const Frame&) { return true; }); };
    lines.time(way.name, frames);
    if (way.noise && way.steady) timeEncoded(way.name, plan.job, lines);
    if (!way.noise && way.finish) {
      plan.job.correction.finish.shimmer = 1;
      lines.time("decoding, finish, fine edges steadied", frames);
    }
  }
  std::printf("%-48s %8.0f MB\n", "most memory", peakMegabytes());
  return 0;
}
