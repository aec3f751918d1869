// What colour costs: a grade alone, with a look, with a log curve taken out, with both; one core.
//   grade_bench LOOK.cube
// One core of a shared machine, best of six turns, 1080p: 22, 54, 73 and 80 ms; before the rows had loops of
// their own 62, 226, 241 and 402 ms, in the same run.
#include <algorithm>
#include <cmath>
#include <cstdio>
#include <ctime>
#include <memory>
#include <vector>

#include "core/finish/colour.h"

namespace {

using namespace glenhaze;

constexpr int kWidth = 1920, kRows = 270;
constexpr double kFrames = 1080.0 / kRows;

struct Picture {
  std::vector<float> y, cb, cr;
};

// Soft, with a little grain: what tables are asked for lies near together, but not in one place.
Picture picture() {
  Picture p;
  unsigned grain = 1;
  for (int i = 0; i < kWidth * kRows; ++i) {
    grain = grain * 1664525 + 1013904223;
    const float noise = static_cast<float>(grain >> 16U) / 65536 * 3;
    const auto at = static_cast<float>(i);
    p.y.push_back(16 + 200 * static_cast<float>(i % kWidth) / kWidth + noise);
    p.cb.push_back(128 + 40 * std::sin(at / 300) + noise);
    p.cr.push_back(128 + 40 * std::cos(at / 500) + noise);
  }
  return p;
}

double millisecondsOf(const Grade& grade, const Picture& source) {
  constexpr int kTurns = 6;
  double best = 1e9;
  for (int turn = 0; turn < kTurns; ++turn) {
    Picture p = source;
    const std::clock_t begin = std::clock();
    for (size_t at = 0; at < p.y.size(); at += kWidth)
      grade.apply(p.y.data() + at, p.cb.data() + at, p.cr.data() + at, kWidth);
    best = std::min(best, static_cast<double>(std::clock() - begin) / CLOCKS_PER_SEC * 1000 * kFrames);
  }
  return best;
}

}  // namespace

int main(int count, char** arguments) {
  if (count != 2) {
    std::fprintf(stderr, "grade_bench LOOK.cube\n");
    return 2;
  }
  const auto look = std::make_shared<const LookTable>(std::filesystem::path(arguments[1]));
  const auto log = std::make_shared<const LookTable>(LookTable::ofLogCurve(logCurves().front()));
  const ColourTags tags;
  const Picture source = picture();
  std::printf("ms of one core for a frame of 1080p\n");
  for (const bool with_log : {false, true})
    for (const bool with_look : {false, true})
      std::printf("  %-10s %-8s %6.1f\n", with_log ? "log curve" : "", with_look ? "look" : "",
                  millisecondsOf(Grade({}, tags, 1080, with_look ? look : nullptr, with_log ? log : nullptr),
                                 source));
}
