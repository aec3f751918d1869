// Where a render's time goes: one clip with each stage on and off, without encoding and with, beside what a
// plain copy of its frames costs. Milliseconds a frame, medians of three.
//   build/bin/stages_bench SHOOT CLIP-NAME [frames]
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
#include "core/media/quiet.h"
#include "core/media/reader.h"
#include "core/pipeline/render.h"
#include "core/run/ask.h"

namespace {

using namespace glenhaze;
using Clock = std::chrono::steady_clock;

double medianOf(const std::function<void()>& act, int64_t frames) {
  std::vector<double> ms;
  for (int i = 0; i < 3; ++i) {
    const auto start = Clock::now();
    act();
    ms.push_back(std::chrono::duration<double, std::milli>(Clock::now() - start).count() /
                 static_cast<double>(frames));
  }
  std::ranges::sort(ms);
  return ms[1];
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

void say(const char* what, double ms) {
  std::printf("%-44s %8.1f ms %8.1f frames/s\n", what, ms, ms > 0 ? 1000 / ms : 0);
  std::fflush(stdout);
}

// What the frames cost when nothing is done to them.
void sayBare(const ClipInfo& info, int64_t frames) {
  const Frame one = readFrame(info, 0);
  const double copy = medianOf(
      [&] {
        for (int64_t i = 0; i < frames; ++i) cloneFrame(one);
      },
      frames);
  std::printf("%-44s %8.2f ms, %.1f MB a frame\n", "a plain copy of a frame", copy,
              static_cast<double>(bytesOf(one)) / 1e6);
  say("decoding", medianOf(
                      [&] {
                        ClipReader reader(info);
                        for (int64_t i = 0; i < frames && reader.next(); ++i) {
                        }
                      },
                      frames));
}

struct Way {
  const char* name;
  bool lens, shutter, noise, steady, finish;
};
constexpr Way kWays[] = {{"decoding, lens", true, false, false, false, false},
                         {"decoding, noise", false, false, true, false, false},
                         {"decoding, finish", false, false, false, false, true},
                         {"decoding, lens, shutter, steady", true, true, false, true, false},
                         {"decoding, lens, shutter, steady, noise", true, true, true, true, false},
                         {"all", true, true, true, true, true}};

void sayEncoded(RenderJob all, int64_t frames) {
  const auto folder = std::filesystem::temp_directory_path() / "glenhaze-stages";
  std::filesystem::create_directories(folder);
  for (const auto& [name, codec, ending] :
       {std::tuple("all, FFV1", Codec::Ffv1, ".mkv"), std::tuple("all, H.264", Codec::H264, ".mp4"),
        std::tuple("all, H.265", Codec::H265, ".mp4"),
        std::tuple("all, ProRes", Codec::ProRes422HQ, ".mov")}) {
    all.encode.codec = codec;
    all.place.path = folder / (std::string("x") + ending);
    all.place.existing = Existing::ReplaceFile;
    say(name, medianOf([&] { renderClip(all); }, frames));
  }
  std::filesystem::remove_all(folder);
}

}  // namespace

int main(int argc, char** argv) {
  if (argc < 3) return 2;
  quietLibraries();
  FactStore store;
  std::optional<OneClip> one = oneClip(argv[1], argv[2], store);
  if (!one) return 2;
  auto& [shoot, set, facts] = *one;
  const int64_t frames = std::min<int64_t>(facts[0].info.frames, argc > 3 ? std::stoll(argv[3]) : 90);

  std::printf("%s: %d x %d, %lld frames\n", argv[2], facts[0].info.width, facts[0].info.height,
              static_cast<long long>(frames));
  sayBare(facts[0].info, frames);
  RenderJob all;
  for (const Way& way : kWays) {
    shoot.output.lens_on = way.lens;
    shoot.output.shutter_on = way.shutter;
    shoot.output.noise_on = way.noise;
    shoot.output.stabilization_on = way.steady;
    shoot.output.finish_on = way.finish;
    ClipPlan plan = answered(planShoot(shoot, facts, set.profiles)[0], store, {});
    if (!plan.refusal.empty()) {
      std::printf("%-44s left out: %s\n", way.name, plan.refusal.c_str());
      continue;
    }
    std::vector<std::string> notes;
    plan.job.correction = correctionOf(plan.decision.treatment, prepare(plan, store, notes));
    plan.job.range = FrameRange{0, frames};
    say(way.name, medianOf([&] { makeFrames(plan.job, [](const Frame&) { return true; }); }, frames));
    all = plan.job;
    if (!way.noise && way.finish) {
      plan.job.correction.finish.shimmer = 1;
      say("decoding, finish, fine edges steadied",
          medianOf([&] { makeFrames(plan.job, [](const Frame&) { return true; }); }, frames));
    }
  }
  std::printf("%-44s %8.0f MB\n", "most memory so far", peakMegabytes());
  sayEncoded(all, frames);
  std::printf("%-44s %8.0f MB\n", "most memory", peakMegabytes());
  return 0;
}
