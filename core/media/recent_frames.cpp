#include "core/media/recent_frames.h"

#include <algorithm>
#include <cstdlib>

namespace glenhaze {

namespace {

ReadOptions withoutGaps(ReadOptions options) {
  options.damage = Damage::Hold;
  return options;
}

size_t bytesOf(const Frame& frame) {
  size_t bytes = 0;
  for (const Plane& plane : frame.planes)
    bytes += static_cast<size_t>(std::abs(plane.stride)) * static_cast<size_t>(plane.height);
  return bytes;
}

}  // namespace

RecentFrames::RecentFrames(const ClipInfo& clip, ReadOptions options, size_t bytes)
    : reader_(clip, withoutGaps(options)), bytes_(bytes) {}

void RecentFrames::goTo(int64_t index, bool backwards) {
  position_ = index;
  if (index >= first_ && index <= end()) return;
  constexpr int64_t kFew = 12;
  first_ = backwards ? std::max<int64_t>(0, index - std::min(kFew, room() / 2)) : index;
  kept_.clear();
  reader_.seek(first_);
}

int64_t RecentFrames::room() const {
  return kept_.empty() ? 0 : static_cast<int64_t>(bytes_ / std::max<size_t>(1, bytesOf(kept_.front())));
}

bool RecentFrames::readOne(const Progress& progress) {
  progress.check();
  auto frame = reader_.next(progress);
  if (!frame) return false;
  if (kept_.empty()) first_ = frame->index;
  kept_.push_back(std::move(*frame));
  // What is still to come stays, however much it is.
  for (; end() - first_ > room() && first_ < position_; ++first_) kept_.pop_front();
  return true;
}

std::optional<Frame> RecentFrames::next(const Progress& progress) {
  while (position_ >= end())
    if (!readOne(progress)) return std::nullopt;
  return kept_[static_cast<size_t>(position_++ - first_)];
}

const Frame* RecentFrames::reach(int64_t index, const Progress& progress) {
  while (index >= end())
    if (!readOne(progress)) return nullptr;
  return find(index);
}

const Frame* RecentFrames::find(int64_t index) const {
  return index >= first_ && index < end() ? &kept_[static_cast<size_t>(index - first_)] : nullptr;
}

}  // namespace glenhaze
