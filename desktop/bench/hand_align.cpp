#include "desktop/bench/hand_align.h"

#include <QPointF>
#include <algorithm>

namespace glenhaze::desktop {

void HandAlign::setKeys(const std::vector<HandKey>& keys) {
  if (keys == keys_) return;
  const int64_t before = frozenFrame();
  keys_ = keys;
  if (frozenFrame() != before) frozen_ = {};
  if (frame_.width > 0) now_ = handAt(keys_, static_cast<double>(frame_.index));
  Q_EMIT changed();
}

void HandAlign::setLeftOut(const std::vector<MotionMask>& masks) {
  if (masks == left_out_) return;
  left_out_ = masks;
  Q_EMIT changed();
}

void HandAlign::setFrame(const Frame& frame) {
  const bool other = frame.index != frame_.index;
  frame_ = frame;
  if (other) {
    now_ = handAt(keys_, static_cast<double>(frame.index));
    now_.frame = frame.index;
  }
  Q_EMIT changed();
}

void HandAlign::nudge(QPointF by_px, double turn_deg, double scale) {
  if (frame_.width == 0) return;
  now_.shift = now_.shift + Point{by_px.x(), by_px.y()} * (1.0 / frame_.width);
  now_.turn_deg += turn_deg;
  now_.scale = std::clamp(now_.scale * scale, 0.2, 5.0);
  Q_EMIT changed();
}

void HandAlign::setPivot(QPointF at_px) {
  if (frame_.width == 0) return;
  // The picture stays where it is; only later turns are about the new place.
  const Point pivot{(at_px.x() + 0.5) / frame_.width, (at_px.y() + 0.5) / frame_.width};
  HandKey other = now_;
  other.pivot = pivot;
  other.shift = {};
  const Point a = placeUnder(now_, pivot), b = placeUnder(other, pivot);
  other.shift = a - b;
  now_ = other;
  Q_EMIT changed();
}

std::optional<Difference> HandAlign::difference() const {
  if (!ready() || frame_.width != frozen_.width || frame_.height != frozen_.height) return std::nullopt;
  return differenceUnder(frozen_, frame_, now_, left_out_);
}

std::vector<HandKey> HandAlign::frozenHere() const {
  HandKey first;
  first.frame = frame_.index;
  first.pivot.y = frame_.width > 0 ? 0.5 * frame_.height / frame_.width : first.pivot.y;
  return {first};
}

std::vector<HandKey> HandAlign::withNow() const {
  std::vector<HandKey> keys = withoutNow();
  HandKey key = now_;
  key.frame = frame_.index;
  keys.insert(std::upper_bound(keys.begin(), keys.end(), key,
                               [](const HandKey& a, const HandKey& b) { return a.frame < b.frame; }),
              key);
  return keys;
}

std::vector<HandKey> HandAlign::withoutNow() const {
  std::vector<HandKey> keys = keys_;
  std::erase_if(keys, [&](const HandKey& k) { return k.frame == frame_.index; });
  return keys;
}

bool HandAlign::isKey() const {
  return std::any_of(keys_.begin(), keys_.end(), [&](const HandKey& k) { return k.frame == frame_.index; });
}

}  // namespace glenhaze::desktop
