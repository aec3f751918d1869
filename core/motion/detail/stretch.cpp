#include "core/motion/detail/stretch.h"

#include "core/base/statistics.h"

namespace glenhaze::detail {

namespace {

constexpr size_t kMostFrames = 400;
constexpr double kLongestPause = 8;  // frame intervals without a frame, within one stretch

std::vector<Point> stepsOf(const TrackRecord& record) {
  std::vector<Point> steps(record.frames.size());
  for (size_t i = 1; i < steps.size(); ++i) {
    std::vector<double> xs, ys;
    for (const TrackPair& p : record.frames[i].pairs.read()) {
      xs.push_back(static_cast<double>(p.to_x - p.from_x));
      ys.push_back(static_cast<double>(p.to_y - p.from_y));
    }
    steps[i] = {medianOf(std::move(xs)), medianOf(std::move(ys))};
  }
  return steps;
}

}  // namespace

std::vector<double> motionsOf(const TrackRecord& record) {
  const std::vector<Point> steps = stepsOf(record);
  std::vector<double> motions(steps.size(), 0);
  for (size_t i = 1; i < steps.size(); ++i)
    if (!record.frames[i].cut) motions[i] = dot(steps[i], steps[i]);
  return motions;
}

std::vector<double> changesOf(const TrackRecord& record) {
  const std::vector<Point> steps = stepsOf(record);
  std::vector<double> changes(steps.size(), 0);
  for (size_t i = 1; i < steps.size(); ++i) {
    const Point change = steps[i] - steps[i - 1];
    if (!record.frames[i].cut) changes[i] = dot(change, change);
  }
  return changes;
}

TrackRecord stretchWithMost(const std::vector<double>& scores, const TrackRecord& record,
                            double frame_interval_s) {
  double sum = 0, best = -1;
  size_t first = 0, best_first = 0, best_end = 0;
  for (size_t i = 0; i < scores.size(); ++i) {
    const bool pause =
        i > 0 && record.frames[i].time_s - record.frames[i - 1].time_s > kLongestPause * frame_interval_s;
    if (record.frames[i].cut || pause) {
      first = i;
      sum = 0;
    }
    sum += scores[i];
    if (i - first >= kMostFrames) sum -= scores[first++];
    if (sum > best) {
      best = sum;
      best_first = first;
      best_end = i + 1;
    }
  }
  TrackRecord part{record.width, record.height, {}};
  part.frames.assign(record.frames.begin() + static_cast<ptrdiff_t>(best_first),
                     record.frames.begin() + static_cast<ptrdiff_t>(best_end));
  return part;
}

}  // namespace glenhaze::detail
