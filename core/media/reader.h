#pragma once
// A clip as a stream of frames, in order of presentation, in one of our planar formats.

#include <cstdint>
#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/base/progress.h"
#include "core/frame/frame.h"
#include "core/media/clip_info.h"

namespace glenhaze {

enum class Fields { Keep, Deinterlace };

struct ReadOptions {
  int threads = 0;               ///< decoder threads; 0: as many as there are workers
  Fields fields = Fields::Keep;  ///< Deinterlace: libavfilter's bwdif, one frame out per frame in
  Damage damage = Damage::PassOver;
  /// All threads work on one picture, as far as it is coded in parts, instead of one on each of several: the
  /// first one comes sooner, many of them later. For key pictures.
  bool by_parts = false;
};

/// Frames that another one stands in for.
struct HeldFrames {
  int64_t count = 0;
  int64_t first = -1;
};

/// Not safe for two threads at once; a reader may move between threads.
///
///   ClipReader reader(probe(path));
///   while (auto frame = reader.next()) use(*frame);
class ClipReader {
 public:
  /// Throws Error(Unreadable) when the clip cannot be opened or no decoder is there for it.
  explicit ClipReader(const ClipInfo& info, const ReadOptions& options = {});
  ~ClipReader();
  ClipReader(ClipReader&&) noexcept;
  ClipReader& operator=(ClipReader&&) noexcept;

  /// The next frame; empty at the end, and where the size of the picture changes (see sizeChange()). On the
  /// way to a frame that was sought it throws Error(Cancelled) once `progress` is stopped; the reader may
  /// then be sent elsewhere.
  std::optional<Frame> next(const Progress& progress = {});

  /// Makes next() return frame `index` (0-based). Out of range: the nearest.
  void seek(int64_t index);

  /// After seek(): the frame that the way there begins with, quickly; often a key frame before the one
  /// that was asked for (see its index). next() then goes on to that one, or behind it where the landing is
  /// on it already. Empty when nothing was sought.
  std::optional<Frame> landing();

  /// The key picture that the way to a frame begins with, as quickly as can be: decoded alone, without those
  /// that a decoder looks at before it gives one out. Empty where it cannot be built alone or is not known
  /// (as under Deinterlace). Before next() the reader has to be sent somewhere.
  std::optional<Frame> keyFrame(int64_t index);

  /// Which group of pictures the way to a frame begins with, as the container's index says: frames with the
  /// same number have the same landing when they are jumped to. Empty where there is no index.
  std::optional<int64_t> groupOf(int64_t index) const;

  /// Frames that the decoder marked as damaged, and packets it refused.
  int64_t damaged() const;

  /// Under Damage::Hold: so far.
  HeldFrames held() const;
  /// Why a graphics card that decoded it at first does not any more; empty where nothing of the kind
  /// happened.
  const std::string& cardTrouble() const;

  /// Where and to what the picture's size changes; nothing while no such frame was met. What follows is not
  /// read: no correction fits two sizes.
  struct SizeChange {
    int64_t index = 0;
    PictureSize to;
  };
  std::optional<SizeChange> sizeChange() const;

  const ClipInfo& info() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

/// One frame. Throws Error(Unreadable) when there is none.
Frame readFrame(const ClipInfo& info, int64_t index, const ReadOptions& options = {});

/// A frame with up to so many frames before and after it, in order, and where among them it stands.
struct FramesAround {
  std::vector<Frame> frames;
  size_t middle = 0;
};
/// Throws Error(Unreadable) when there is no such frame, Error(Cancelled).
FramesAround framesAround(const ClipInfo& info, int64_t index, int before, int after,
                          const ReadOptions& options = {}, const Progress& progress = {});

}  // namespace glenhaze
