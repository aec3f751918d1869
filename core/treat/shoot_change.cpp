#include "core/treat/shoot_change.h"

#include <algorithm>

namespace glenhaze {

Shoot withoutClips(const Shoot& shoot) {
  Shoot rest;
  rest.name = shoot.name;
  rest.path = shoot.path;
  rest.references = shoot.references;
  rest.answers = shoot.answers;
  rest.output = shoot.output;
  rest.iso_pattern = shoot.iso_pattern;
  rest.kept_json = shoot.kept_json;
  return rest;
}

ShootChange::ShootChange(const Shoot& before, const Shoot& after) {
  before_.rest = withoutClips(before);
  after_.rest = withoutClips(after);
  const auto& a = before.clips;
  const auto& b = after.clips;
  same_count_ = a.size() == b.size();
  if (same_count_) {
    for (size_t i = 0; i < a.size(); ++i)
      if (a[i] != b[i]) {
        before_.clips.emplace_back(i, a[i]);
        after_.clips.emplace_back(i, b[i]);
      }
    return;
  }
  const size_t least = std::min(a.size(), b.size());
  while (first_ < least && a[first_] == b[first_]) ++first_;
  size_t tail = 0;
  while (tail < least - first_ && a[a.size() - 1 - tail] == b[b.size() - 1 - tail]) ++tail;
  for (size_t i = first_; i < a.size() - tail; ++i) before_.clips.emplace_back(i, a[i]);
  for (size_t i = first_; i < b.size() - tail; ++i) after_.clips.emplace_back(i, b[i]);
}

void ShootChange::put(const Side& from, const Side& to, Shoot& shoot) const {
  std::vector<ShootClip> clips = std::move(shoot.clips);
  if (same_count_) {
    for (const auto& [index, clip] : to.clips) clips[index] = clip;
  } else {
    const auto at = clips.begin() + static_cast<ptrdiff_t>(first_);
    const auto gap = clips.erase(at, at + static_cast<ptrdiff_t>(from.clips.size()));
    std::vector<ShootClip> in;
    for (const auto& [index, clip] : to.clips) in.push_back(clip);
    clips.insert(gap, in.begin(), in.end());
  }
  const auto path = shoot.path;  // saving is no step
  shoot = to.rest;
  shoot.path = path;
  shoot.clips = std::move(clips);
}

void ShootChange::apply(Shoot& shoot) const { put(before_, after_, shoot); }
void ShootChange::revert(Shoot& shoot) const { put(after_, before_, shoot); }

}  // namespace glenhaze
