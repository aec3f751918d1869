#include "core/media/frame_times.h"

#include <algorithm>
#include <cmath>

namespace glenhaze {

FrameTimes FrameTimes::even(int64_t start, double ticks_per_frame, int64_t count) {
  FrameTimes times;
  times.start_ = start;
  times.count_ = std::max<int64_t>(0, count);
  times.ticks_ = std::max(ticks_per_frame, 1e-9);
  return times;
}

namespace {

using Fault = FrameTimes::Fault;

// Of stamps as they lie in the file.
Fault faultOf(const std::vector<int64_t>& stamps, double usual_ticks, double ticks_per_second) {
  constexpr double kReordered_frames = 32;  // twice what H.264 and H.265 allow
  const double reordered = std::max(ticks_per_second, kReordered_frames * usual_ticks);
  int64_t latest = INT64_MIN;
  for (const int64_t stamp : stamps) {
    if (stamp == INT64_MIN) return Fault::Missing;
    if (latest != INT64_MIN && static_cast<double>(latest) - static_cast<double>(stamp) > reordered)
      return Fault::Backwards;
    latest = std::max(latest, stamp);
  }
  return Fault::None;
}

// Of stamps in order.
Fault faultOfSorted(const std::vector<int64_t>& stamps, double ticks_per_second) {
  constexpr double kLongest_s = 3600;  // a picture that stands longer is a jump of the clock
  for (size_t i = 1; i < stamps.size(); ++i)
    if (static_cast<double>(stamps[i]) - static_cast<double>(stamps[i - 1]) > kLongest_s * ticks_per_second)
      return Fault::Gap;
  return std::adjacent_find(stamps.begin(), stamps.end()) != stamps.end() ? Fault::Twice : Fault::None;
}

// Frames with one stamp share the time up to the next one. False where that is no repair: too many, or no
// room.
bool spread(std::vector<int64_t>& stamps, double usual_ticks) {
  constexpr double kFew = 0.1;  // of all frames
  size_t moved = 0;
  for (size_t i = 0; i < stamps.size();) {
    size_t end = i + 1;
    while (end < stamps.size() && stamps[end] == stamps[i]) ++end;
    const int64_t first = stamps[i];
    const auto count = static_cast<int64_t>(end - i);
    const int64_t next =
        end < stamps.size() ? stamps[end] : first + std::llround(usual_ticks * static_cast<double>(count));
    if (next - first < count) return false;
    for (int64_t k = 1; k < count; ++k)
      stamps[i + static_cast<size_t>(k)] = first + (next - first) * k / count;
    moved += static_cast<size_t>(count - 1);
    i = end;
  }
  return static_cast<double>(moved) <= kFew * static_cast<double>(stamps.size());
}

}  // namespace

FrameTimes FrameTimes::ofStamps(std::vector<int64_t> stamps, double usual_ticks, double ticks_per_second,
                                int64_t start) {
  Fault fault = faultOf(stamps, usual_ticks, ticks_per_second);
  bool usable = fault == Fault::None;
  if (usable) {
    std::sort(stamps.begin(), stamps.end());
    fault = faultOfSorted(stamps, ticks_per_second);
    usable = fault == Fault::None || (fault == Fault::Twice && spread(stamps, usual_ticks));
  }
  const auto count = static_cast<int64_t>(stamps.size());
  if (usable && count > 0) start = stamps.front();
  FrameTimes times = even(start, usual_ticks, count);
  times.fault_ = fault;
  if (count == 0 || !usable) return times;
  // Even where no stamp is further than a tick from its place; the mean spacing of the whole clip, not the
  // rate that the file states, so that nothing drifts over an hour.
  const double mean =
      count > 1 ? static_cast<double>(stamps.back() - start) / static_cast<double>(count - 1) : usual_ticks;
  const auto off = [&](size_t i) {
    return std::abs(static_cast<double>(stamps[i] - start) - mean * static_cast<double>(i));
  };
  times.ticks_ = mean;
  for (size_t i = 0; i < stamps.size(); ++i)
    if (off(i) > 0.5 + 1e-6) {
      times.ticks_ = usual_ticks;
      times.stamps_ = std::move(stamps);
      break;
    }
  return times;
}

FrameTimes FrameTimes::kept(int64_t start, double ticks, int64_t count, Fault fault,
                            std::vector<int64_t> stamps) {
  FrameTimes times = even(start, ticks, count);
  times.fault_ = fault;
  times.stamps_ = std::move(stamps);
  return times;
}

int64_t FrameTimes::stampAt(int64_t index) const {
  if (stamps_.empty()) return start_ + std::llround(ticks_ * static_cast<double>(index));
  const auto last = static_cast<int64_t>(stamps_.size()) - 1;
  if (index < 0) return stamps_.front() + std::llround(ticks_ * static_cast<double>(index));
  if (index > last) return stamps_.back() + std::llround(ticks_ * static_cast<double>(index - last));
  return stamps_[static_cast<size_t>(index)];
}

int64_t FrameTimes::indexAt(int64_t stamp) const {
  if (count_ == 0) return 0;
  int64_t index = 0;
  if (stamps_.empty()) {
    index = static_cast<int64_t>(std::floor(static_cast<double>(stamp - start_) / ticks_ + 0.5));
  } else {
    const auto after = std::upper_bound(stamps_.begin(), stamps_.end(), stamp);
    index = after - stamps_.begin() - 1;
    // The next one, where it begins less than half a frame later.
    if (after != stamps_.end() && static_cast<double>(*after - stamp) < 0.5 * ticks_ &&
        (index < 0 || *after - stamp < stamp - stamps_[static_cast<size_t>(index)]))
      ++index;
  }
  return std::clamp<int64_t>(index, 0, count_ - 1);
}

}  // namespace glenhaze
