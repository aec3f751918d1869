#pragma once
// The sound of a clip as samples, in step with its picture.

#include <memory>
#include <span>

#include "core/media/clip_info.h"

namespace glenhaze {

/// The first sound stream, at a rate and with as many channels as asked for. Sample 0 belongs to the moment
/// in which the first frame is shown. Not safe for two threads at once.
class SoundReader {
 public:
  /// Throws Error(Unreadable) where the clip has no sound or nothing here decodes it.
  SoundReader(const ClipInfo& clip, int sample_rate, int channels);
  ~SoundReader();
  SoundReader(SoundReader&&) noexcept;
  SoundReader& operator=(SoundReader&&) noexcept;

  /// The next samples, channels side by side, −1 to 1; silence where the clip has none. False once nothing
  /// but silence is left.
  bool read(std::span<float> samples);
  /// Makes read() go on at this sample; as exactly as the container says where its samples are (Matroska:
  /// half a millisecond).
  void seek(int64_t sample);

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace glenhaze
