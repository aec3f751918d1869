#pragma once
// A clip opened for its time stamps alone. Bringing in a card must not read it: cameras write where each
// frame lies and when it is shown apart from the pictures, so the demuxer is led past what is inside its
// packets.
//
// libavformat reads headers through a small buffer of ours and the contents of larger packets straight to
// where they belong; of those, only the first bytes are fetched from the disk, and the rest is left as it is.
// Nobody may look into such packets.

#include <cstdint>
#include <filesystem>
#include <memory>

#include "core/media/detail/ffmpeg.h"

namespace glenhaze::detail {

/// Not safe for two threads at once.
class LeanInput {
 public:
  /// Whether time stamps of such a clip are the same without what its packets hold. `full`: as opened by
  /// openInput(); `video`: the stream that is meant.
  static bool serves(const AVFormatContext& full, int video);

  /// Null where the file cannot be opened this way. `full`: the same file, as opened by openInput().
  /// `head_bytes`: how much of a packet's contents is real, at the most the size of a page.
  static std::unique_ptr<LeanInput> open(const std::filesystem::path& path, const AVFormatContext& full,
                                         int head_bytes);
  ~LeanInput();

  AVFormatContext& format() { return *format_; }

 private:
  LeanInput() = default;
  static int read(void* opaque, uint8_t* to, int bytes);
  static int64_t seek(void* opaque, int64_t offset, int whence);

  int file_ = -1;
  int64_t position_ = 0, size_ = 0;
  int head_bytes_ = 0;
  bool lean_ = false;  // not before the headers are read
  AVIOContext* io_ = nullptr;
  InputPtr format_;
};

}  // namespace glenhaze::detail
