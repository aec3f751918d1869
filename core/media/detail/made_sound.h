#pragma once
// Sound that is made for an output, on its way into the file: silence, or what several clips are mixed into.

#include "core/media/detail/ffmpeg.h"
#include "core/media/writer.h"

namespace glenhaze::detail {

class MadeSoundTrack {
 public:
  /// Adds a stream to an output whose header is not written yet: AAC in MP4, PCM elsewhere. Throws
  /// Error(Unwritable).
  MadeSoundTrack(AVFormatContext& output, MadeSound sound, bool pcm);

  /// Writes what is heard until then, seconds of the output.
  void writeUntil(AVFormatContext& output, double until_s);
  void finish(AVFormatContext& output, double end_s);

 private:
  void writeSamples(AVFormatContext& output, int count);
  void encode(AVFormatContext& output, const AVFrame* frame);
  MadeSound sound_;
  AVStream* stream_;
  CodecPtr encoder_;
  std::vector<float> samples_;
  int64_t written_ = 0;  // samples of each channel
};

}  // namespace glenhaze::detail
