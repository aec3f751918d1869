#pragma once
// A clip's frames for somebody who moves about in it: what was given last is kept, so that a step back costs
// no way from the key picture.

#include <deque>
#include <optional>

#include "core/media/reader.h"

namespace glenhaze {

/// Not safe for two threads at once.
///
///   RecentFrames frames(probe(path));
///   frames.goTo(40);
///   while (auto frame = frames.next()) use(*frame);
class RecentFrames {
 public:
  static constexpr size_t kUsualBytes = size_t{400} << 20;

  /// Gaps are filled as under Damage::Hold, whatever `options` say. Throws as ClipReader.
  explicit RecentFrames(const ClipInfo& clip, ReadOptions options = {}, size_t bytes = kUsualBytes);

  /// next() gives frame `index`. `backwards`: who goes on back from there; a few of those before it are
  /// decoded as well where it has to be.
  void goTo(int64_t index, bool backwards = false);
  /// Empty at the end. Throws Error(Cancelled), as ClipReader; it may be called again then.
  std::optional<Frame> next(const Progress& progress = {});
  /// Decodes as far as a frame that comes later, which next() then gives in its turn. Null where the clip
  /// ends before. Throws as next().
  const Frame* reach(int64_t index, const Progress& progress = {});
  /// A frame that is kept; null where it is not.
  const Frame* find(int64_t index) const;

 private:
  int64_t end() const { return first_ + static_cast<int64_t>(kept_.size()); }
  int64_t room() const;
  bool readOne(const Progress& progress);

  ClipReader reader_;
  const size_t bytes_;
  std::deque<Frame> kept_;            // one after another; the reader gives the one behind them
  int64_t first_ = 0, position_ = 0;  // of the kept ones; that comes next
};

}  // namespace glenhaze
