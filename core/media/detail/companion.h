#pragma once
// What travels beside the picture: sound, telemetry, tags. Reads the source a second time and hands
// packets to the output in step with the picture.

#include <memory>
#include <string>
#include <vector>

#include "core/media/detail/ffmpeg.h"
#include "core/media/writer.h"

namespace glenhaze::detail {

class Companion {
 public:
  /// Adds output streams for what can be carried over, and copies the tags. `start_s` and `end_s`: the
  /// part of the source that is rendered, in the source's own time; `note` says what is left behind.
  Companion(const ClipInfo& source, const FrameRange& range, const EncodeSettings& settings,
            AVFormatContext& output, AVStream& picture, double start_s, double end_s, std::string& note);
  ~Companion();

  /// Writes all packets up to `until_s` (seconds of the output). Call finish() for the rest.
  void writeUntil(AVFormatContext& output, double until_s);
  void finish(AVFormatContext& output);
  /// Nothing later than this, in the source's own time.
  void endAt(double end_s) { end_s_ = end_s; }

 private:
  struct Track;
  void handle(AVFormatContext& output, AVPacket& packet);
  InputPtr input_;
  PacketPtr packet_;
  std::vector<std::unique_ptr<Track>> tracks_;  ///< by source stream; null: not carried over
  double start_s_, end_s_;
  double reached_s_ = -1e9;
  bool at_end_ = false;
};

}  // namespace glenhaze::detail
