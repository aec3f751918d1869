#pragma once
// Any frame of a clip as a render of it would show it, bit for bit: for looking before rendering.

#include <deque>
#include <optional>

#include "core/media/reader.h"
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
  /// Throws Error(Unreadable) where there is no such frame, Error(Cancelled).
  StagedFrame make(int64_t index, const Progress& progress = {});

  /// Whether a frame is finished by itself; then one that was decoded already needs no second time.
  bool alone() const { return alone_; }
  /// `frame` of the clip; only where alone().
  StagedFrame finish(const Frame& frame, const Progress& progress = {});

 private:
  void begin(int64_t index);
  std::optional<FinishedFrame> nextOut(const Progress& progress);
  ChainOptions from(int64_t index) const;

  ClipInfo clip_;
  Correction correction_;
  ReadOptions options_;
  OwnMotionUse use_;
  std::optional<ClipReader> reader_;
  std::optional<Chain> chain_;
  std::deque<Frame> sources_;  // pushed, and not come out yet
  int64_t next_ = -1;          // that the chain gives
  bool draining_ = false, alone_ = false;
};

}  // namespace glenhaze
