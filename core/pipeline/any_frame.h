#pragma once
// Any frame of a clip as a render of it would show it, bit for bit: for looking before rendering.

#include <deque>
#include <functional>
#include <optional>

#include "core/media/recent_frames.h"
#include "core/pipeline/chain.h"

namespace glenhaze {

enum class OwnMotionUse {
  AsSet,    ///< measured only where it is taken back
  Measured  ///< measured wherever that is possible, taken back only where that is set
};

/// A frame at each stage; parts share their samples where a stage does nothing.
struct StagedFrame {
  Frame source, clean, corrected;
  std::shared_ptr<const OwnMotion> own;
  double own_seconds = 0;
};

/// Not safe for two threads at once.
class AnyFrame {
 public:
  AnyFrame(const ClipInfo& clip, const Correction& correction, const ReadOptions& options = {},
           OwnMotionUse use = OwnMotionUse::AsSet);

  /// Frames in rising order without a gap cost one frame each; any other begins anew with its neighbours.
  /// `decoded` is told of the frame as it was filmed, as soon as it is there, which may be long before.
  /// Throws Error(Unreadable) where there is no such frame, Error(Cancelled).
  StagedFrame make(int64_t index, const Progress& progress = {},
                   const std::function<void(const Frame&)>& decoded = {});
  /// Whether a frame is the next one in that order.
  bool goesOn(int64_t index) const { return source_ && index == next_; }
  /// Whether it is decoded already: of those made last, some are kept as they were filmed.
  bool isDecoded(int64_t index) const { return source_ && source_->find(index) != nullptr; }

 private:
  void begin(int64_t index);
  std::optional<FinishedFrame> nextOut(const Progress& progress);
  ChainOptions from(int64_t index) const;

  ClipInfo clip_;
  Correction correction_;
  ReadOptions options_;
  OwnMotionUse use_;
  std::optional<RecentFrames> source_;
  std::optional<Chain> chain_;
  std::deque<Frame> sources_;  // pushed, and not come out yet
  int64_t next_ = -1;          // that the chain gives
  int64_t asked_ = -1;         // last
  bool draining_ = false;
};

}  // namespace glenhaze
