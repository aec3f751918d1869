#include "core/lens/measure.h"

#include <algorithm>
#include <mutex>

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/frame/rgb.h"
#include "core/media/reader.h"

namespace glenhaze {

namespace {

template <typename Result>
void requireOneSize(const std::vector<ClipInfo>& shots, Result& result) {
  for (const ClipInfo& shot : shots) {
    if (!shot.readable())
      throw Error(ErrorKind::Unreadable, "Cannot read the reference shot", shot.path.string(),
                  shot.problems.front().text, "");
    if (result.width == 0) {
      result.width = shot.width;
      result.height = shot.height;
    }
    if (shot.width != result.width || shot.height != result.height)
      throw Error(ErrorKind::Evidence, "The reference shots differ in picture size", shot.path.string(),
                  std::to_string(shot.width) + " × " + std::to_string(shot.height) + " instead of " +
                      std::to_string(result.width) + " × " + std::to_string(result.height),
                  "Measure each mode from its own shots");
  }
  if (result.width == 0)
    throw Error(ErrorKind::BadRequest, "There are no reference shots", "", "", "Choose at least one");
}

// True when a small version of the frame differs from the last one that was looked at; keeps it then.
bool differs(const Frame& frame, std::vector<uint8_t>& last) {
  constexpr int kColumns = 64, kRows = 36;
  constexpr double kLeast = 1.0;  // mean difference in code values; noise averages to far less
  const auto shown = toScreen(frame, kColumns, kRows).bgrx;
  std::vector<uint8_t> small(shown.begin(), shown.end());
  double sum = 0;
  for (size_t i = 1; i < small.size() && !last.empty(); i += 4)
    sum += std::abs(static_cast<int>(small[i]) - last[i]);
  if (!last.empty() && sum < kLeast * kColumns * kRows) return false;
  last = std::move(small);
  return true;
}

// Visits every n-th frame of each shot in order, decoding each shot once.
template <typename Visit>
void visitFrames(const std::vector<ClipInfo>& shots, int64_t most, const Progress& progress, Visit visit) {
  int64_t total = 0;
  for (const ClipInfo& shot : shots) total += shot.frames;
  const int64_t step = std::max<int64_t>(1, (total + most - 1) / std::max<int64_t>(1, most));
  int64_t seen = 0;
  for (const ClipInfo& shot : shots) {
    ClipReader reader(shot);
    int64_t index = 0;
    std::vector<uint8_t> last;
    std::vector<Frame> batch;
    const auto flush = [&] {
      parallelBlocks(static_cast<int>(batch.size()), 1,
                     [&](int i, int) { visit(shot, batch[static_cast<size_t>(i)]); });
      batch.clear();
    };
    while (auto frame = reader.next()) {
      progress.check();
      const bool due = index++ % step == step / 2 || shot.frames == 1;
      // A camera held still shows the same view again and again: one of them is enough.
      if (due && differs(*frame, last)) batch.push_back(std::move(*frame));
      if (static_cast<int>(batch.size()) >= workerThreads()) flush();
      progress.update(static_cast<double>(++seen) / static_cast<double>(std::max<int64_t>(1, total)));
    }
    flush();
  }
}

}  // namespace

ChartSearch searchChart(const std::vector<ClipInfo>& shots, const ChartSpec& spec, int most_frames,
                        const Progress& progress) {
  ChartSearch search;
  requireOneSize(shots, search);
  std::mutex mutex;
  visitFrames(shots, most_frames, progress, [&](const ClipInfo& shot, const Frame& frame) {
    auto view = findChart(frame, spec);
    const std::lock_guard lock(mutex);
    ++search.frames_looked_at;
    if (!view) return;
    view->source = shot.path.string();
    search.views.push_back(std::move(*view));
  });
  // Frames are looked at side by side; the order of the findings must not depend on which was quicker.
  std::sort(search.views.begin(), search.views.end(), [](const ChartView& a, const ChartView& b) {
    return std::pair(a.source, a.frame) < std::pair(b.source, b.frame);
  });
  pickViews(search.views, search.width, search.height);
  return search;
}

EdgeSearch searchEdges(const std::vector<ClipInfo>& shots, int frames_per_shot, const Progress& progress) {
  EdgeSearch search;
  requireOneSize(shots, search);
  std::mutex mutex;
  visitFrames(shots, static_cast<int64_t>(frames_per_shot) * static_cast<int64_t>(shots.size()), progress,
              [&](const ClipInfo& shot, const Frame& frame) {
                auto found = detectEdges(frame);
                const std::lock_guard lock(mutex);
                for (auto& points : found) {
                  StraightEdge edge;
                  edge.points = std::move(points);
                  edge.source = shot.path.string();
                  edge.frame = frame.index;
                  search.edges.push_back(std::move(edge));
                }
              });
  std::stable_sort(search.edges.begin(), search.edges.end(),
                   [](const StraightEdge& a, const StraightEdge& b) {
                     return std::pair(a.source, a.frame) < std::pair(b.source, b.frame);
                   });
  return search;
}

}  // namespace glenhaze
