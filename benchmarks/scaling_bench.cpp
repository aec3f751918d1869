// How the work of correcting a clip would spread over other numbers of threads: a model, from measured times.
//   build/bin/scaling_bench SHOOT CLIP-NAME [frames]
//
// The corrector's blocks run one after another in one thread, and each is timed by the processor's clock. For
// N threads the blocks of a call go, in their order, to whichever thread is free first; what lies between the
// calls is serial. Waking threads costs kWake_s a call. Decoding and encoding run beside it in threads of
// their own and are not in it; neither are memory and caches that many threads share.
#include <algorithm>
#include <cstdio>
#include <ctime>
#include <numeric>
#include <queue>
#include <string>
#include <vector>

#include "benchmarks/one_clip.h"
#include "core/base/parallel.h"
#include "core/media/quiet.h"
#include "core/pipeline/render.h"
#include "core/run/ask.h"

namespace {

using namespace glenhaze;

constexpr double kWake_s = 5e-6;  // of threads that wait for work; common practice, no source

double processorSeconds() {
  timespec now{};
  clock_gettime(CLOCK_THREAD_CPUTIME_ID, &now);
  return static_cast<double>(now.tv_sec) + static_cast<double>(now.tv_nsec) * 1e-9;
}

double spread(const std::vector<double>& blocks, int threads) {
  std::priority_queue<double, std::vector<double>, std::greater<>> free_at;
  for (int i = 0; i < threads; ++i) free_at.push(0);
  double end = 0;
  for (const double block : blocks) {
    const double done = free_at.top() + block;
    free_at.pop();
    free_at.push(done);
    end = std::max(end, done);
  }
  return end + (threads > 1 ? kWake_s : 0);
}

struct Work {
  double all_s = 0;  // of the correcting thread
  std::vector<std::vector<double>> calls;

  double inBlocks() const {
    double sum = 0;
    for (const auto& call : calls) sum += std::accumulate(call.begin(), call.end(), 0.0);
    return sum;
  }
  double serial() const { return all_s - inBlocks(); }
  double with(int threads) const {
    double sum = serial();
    for (const auto& call : calls) sum += spread(call, threads);
    return sum;
  }
};

// The first frames fill what looks ahead; they are left out.
Work workOf(const RenderJob& job, int64_t warm) {
  Work work;
  int64_t made = 0;
  BlockTimes times;
  double start = processorSeconds();
  makeFrames(job, [&](const Frame&) {
    if (++made == warm) {
      times.calls.clear();
      start = processorSeconds();
    }
    return true;
  });
  work.all_s = processorSeconds() - start;
  work.calls = std::move(times.calls);
  return work;
}

// The calls that hold many threads up most: by how much longer they take than their share.
void sayWorst(const Work& work, int threads, int64_t frames) {
  struct Kind {
    size_t blocks = 0, calls = 0;
    double sum = 0, spread = 0;
  };
  std::vector<Kind> kinds;
  for (const auto& call : work.calls) {
    auto kind = std::ranges::find(kinds, call.size(), &Kind::blocks);
    if (kind == kinds.end()) kind = kinds.insert(kind, Kind{call.size()});
    ++kind->calls;
    kind->sum += std::accumulate(call.begin(), call.end(), 0.0);
    kind->spread += spread(call, threads);
  }
  const auto lost = [&](const Kind& k) { return k.spread - k.sum / threads; };
  std::ranges::sort(kinds, [&](const Kind& a, const Kind& b) { return lost(a) > lost(b); });
  constexpr size_t kShown = 8;
  const auto per_frame = [&](double s) { return s * 1000 / static_cast<double>(frames); };
  for (size_t i = 0; i < std::min(kShown, kinds.size()); ++i)
    std::printf(
        "    %4zu blocks: %5.1f calls a frame, %6.2f ms of work, %5.2f ms by %d threads, %5.2f lost\n",
        kinds[i].blocks, static_cast<double>(kinds[i].calls) / static_cast<double>(frames),
        per_frame(kinds[i].sum), per_frame(kinds[i].spread), threads, per_frame(lost(kinds[i])));
}

}  // namespace

int main(int argc, char** argv) {
  if (argc < 3) return 2;
  quietLibraries();
  FactStore store;
  const std::optional<OneClip> one = oneClip(argv[1], argv[2], store);
  if (!one) return 2;
  const auto& [shoot, set, facts] = *one;
  constexpr int64_t kWarm = 4;
  const int64_t frames = std::min<int64_t>(facts[0].info.frames, argc > 3 ? std::stoll(argv[3]) : 24);
  if (frames <= kWarm) return 2;
  ClipPlan plan = answered(planShoot(shoot, facts, set.profiles)[0], store, {});
  if (!plan.refusal.empty()) {
    std::fprintf(stderr, "%s\n", plan.refusal.c_str());
    return 1;
  }
  std::vector<std::string> notes;
  plan.job.correction = correctionOf(plan.decision.treatment, prepare(plan, store, notes));
  plan.job.range = FrameRange{0, frames};
  const int64_t counted = frames - kWarm;
  const double per_frame = 1000 / static_cast<double>(counted);
  std::printf("%s: %lld frames\n", argv[2], static_cast<long long>(counted));
  double alone = 0;
  for (const int threads : {1, 2, 4, 8, 16, 32}) {
    const ThreadLimit limit(threads);  // some work is cut by how many there are
    const Work work = workOf(plan.job, kWarm);
    const double with = work.with(threads);
    if (threads == 1) alone = with;
    std::printf(
        "  %2d threads: %7.2f ms a frame, %5.2f times as fast; of %.1f ms serial %.2f (%.1f %%), %.0f "
        "calls\n",
        threads, with * per_frame, alone / with, work.all_s * per_frame, work.serial() * per_frame,
        100 * work.serial() / work.all_s,
        static_cast<double>(work.calls.size()) / static_cast<double>(counted));
    if (threads == 32) sayWorst(work, threads, counted);
  }
  return 0;
}
