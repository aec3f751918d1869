#include "desktop/picture_cache.h"

#include <unistd.h>

#include <algorithm>
#include <limits>

namespace glenhaze::desktop {

size_t PictureCache::usualBudget() {
  constexpr size_t kMost = 2ULL << 30, kLeast = 256ULL << 20;
  const long pages = ::sysconf(_SC_PHYS_PAGES), page = ::sysconf(_SC_PAGESIZE);
  if (pages <= 0 || page <= 0) return kLeast;
  return std::clamp(static_cast<size_t>(pages) / 4 * static_cast<size_t>(page), kLeast, kMost);
}

void PictureCache::setBudget(size_t bytes) {
  const std::lock_guard lock(mutex_);
  budget_ = bytes;
  shrinkTo(budget_);
}

size_t PictureCache::budget() const {
  const std::lock_guard lock(mutex_);
  return budget_;
}

size_t PictureCache::used() const {
  const std::lock_guard lock(mutex_);
  return used_;
}

int PictureCache::newOwner() {
  const std::lock_guard lock(mutex_);
  return owners_++;
}

void PictureCache::drop(std::map<Key, Kept>::iterator at) {
  used_ -= at->second.bytes;
  used_by_[at->first.first] -= at->second.bytes;
  turns_.erase(at->second.turn);
  kept_.erase(at);
}

void PictureCache::shrinkTo(size_t bytes) {
  while (used_ > bytes && !turns_.empty()) drop(kept_.find(turns_.front()));
}

void PictureCache::put(int owner, int64_t number, std::shared_ptr<const void> picture, size_t bytes) {
  const std::lock_guard lock(mutex_);
  const Key key{owner, number};
  if (bytes > budget_ || kept_.contains(key)) return;
  shrinkTo(budget_ - bytes);
  turns_.push_back(key);
  kept_[key] = {std::move(picture), bytes, std::prev(turns_.end())};
  used_ += bytes;
  used_by_[owner] += bytes;
}

std::shared_ptr<const void> PictureCache::find(int owner, int64_t number) {
  const std::lock_guard lock(mutex_);
  const auto at = kept_.find({owner, number});
  if (at == kept_.end()) return nullptr;
  turns_.splice(turns_.end(), turns_, at->second.turn);
  return at->second.picture;
}

bool PictureCache::contains(int owner, int64_t number) const {
  const std::lock_guard lock(mutex_);
  return kept_.contains({owner, number});
}

int64_t PictureCache::count(int owner, int64_t first, int64_t last) const {
  const std::lock_guard lock(mutex_);
  return first >= last ? 0
                       : std::distance(kept_.lower_bound({owner, first}), kept_.lower_bound({owner, last}));
}

size_t PictureCache::usedBy(int owner) const {
  const std::lock_guard lock(mutex_);
  const auto at = used_by_.find(owner);
  return at == used_by_.end() ? 0 : at->second;
}

std::optional<int64_t> PictureCache::next(int owner, int64_t number) const {
  const std::lock_guard lock(mutex_);
  const auto at = kept_.lower_bound({owner, number});
  return at == kept_.end() || at->first.first != owner ? std::nullopt : std::optional(at->first.second);
}

void PictureCache::forget(int owner) {
  const std::lock_guard lock(mutex_);
  auto at = kept_.lower_bound({owner, std::numeric_limits<int64_t>::min()});
  while (at != kept_.end() && at->first.first == owner) drop(at++);
}

}  // namespace glenhaze::desktop
