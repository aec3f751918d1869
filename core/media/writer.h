#pragma once
// A rendered clip on its way to the disk: encodes frames, carries sound, telemetry, tags, rotation,
// creation time and timecode over from the source, and appears under its name only when complete.

#include <array>
#include <cstdint>
#include <filesystem>
#include <functional>
#include <memory>
#include <optional>
#include <span>
#include <string>

#include "core/frame/frame.h"
#include "core/media/clip_info.h"
#include "core/media/source_guard.h"

namespace glenhaze {

enum class Codec { H264, H265, ProRes422HQ, Ffv1, Png, Tiff, Jpeg };
enum class Quality { Small, Standard, High };
/// As they are written in files and on the command line.
inline constexpr std::array kQualityNames = {"small", "standard", "high"};
enum class Sound {
  Keep,
  Pcm,
  None,
  Silent  ///< a track of the same length with nothing on it, for places that refuse films without one
};
struct EncodeSettings {
  Codec codec = Codec::H264;
  Quality quality = Quality::Standard;  ///< for H.264, H.265 and JPEG; the others have one quality
  std::optional<int64_t> bit_rate;      ///< bits per second instead of a quality; H.264 and H.265 only
  Sound sound = Sound::Keep;
  bool graphics = false;  ///< by a graphics card where one can (see graphics.h); H.264 and H.265 only
};

/// Names used in files and on the command line: "keep", "pcm", "none", "silent".
std::optional<Sound> soundFromName(const std::string& name);
std::string soundName(Sound sound);

/// Names used in files and on the command line: "h264", "h265", "prores", "ffv1", "png", "tiff", "jpeg".
std::optional<Codec> codecFromName(const std::string& name);
std::string codecName(Codec codec);
bool isStillCodec(Codec codec);

/// The file ending (with dot) that holds this codec together with the source's sound.
std::string outputEnding(const ClipInfo& source, const EncodeSettings& settings);

/// The format that frames for this codec should have, nearest to `source`.
PixelFormat outputFormat(Codec codec, const PixelFormat& source);

/// Source frames [first, last) are rendered; time stamps are moved so that `first` starts the clip.
struct FrameRange {
  int64_t first = 0;
  int64_t last = 0;
  int64_t count() const { return last - first; }
  bool operator==(const FrameRange&) const = default;
};

/// What becomes of something that has the output's name when it is finished.
enum class Existing {
  Refuse,       ///< it stays, and writing fails
  ReplaceFile,  ///< a file is replaced; a folder stays
  ReplaceAny    ///< a folder too: only for one that is known to be our own, and unchanged
};

/// Where a rendered clip goes, and what is never to be touched on the way.
struct OutputPlace {
  std::filesystem::path path;       ///< final name; for still codecs of sequences a folder
  std::filesystem::path temporary;  ///< where it grows, in the same folder; empty: a hidden name of its own
  Existing existing = Existing::Refuse;
  std::shared_ptr<const SourceGuard> guard;  ///< null: the clip itself is guarded in any case
  /// Called when the output is whole, checked, and still at its temporary name, right before it gets its own;
  /// may throw, and then it gets none. A folder that is replaced is at the temporary name afterwards until
  /// `replaced` has been called with it, which may keep it by renaming; else it is removed.
  std::function<void(const std::filesystem::path& temporary)> complete;
  std::function<void(const std::filesystem::path& old_folder)> replaced;
};

struct WriteResult {
  std::filesystem::path path;
  int64_t frames = 0;
  uint64_t bytes = 0;
  std::string note;     ///< what could not be carried over, "" when all was
  std::string checked;  ///< how the output was looked over: "all frames decoded", …
};

/// Gives a whole output, which is at place.temporary, its name: place.complete is called, and what may be
/// replaced is. `clip`: never touched, whatever the guard says. Throws Error(Unwritable); it stays where it
/// is then.
void publishOutput(const OutputPlace& place, const std::filesystem::path& clip);

/// Sound that is made for an output in place of its source's.
struct MadeSound {
  int sample_rate = 48000, channels = 2;
  /// The next samples, channels side by side, −1 to 1, from the output's first frame on; empty: silence.
  /// Called in the thread that writes.
  std::function<void(std::span<float>)> fill;
};

/// Used by one thread at a time. If it is destroyed before finish() has returned, nothing is left
/// behind under the final name, and no temporary file either.
class ClipWriter {
 public:
  /// `first_frame` gives size, format and tags. Throws Error(Unwritable) when the name is taken, belongs to
  /// footage, or the folder cannot be written to.
  ClipWriter(const OutputPlace& place, const ClipInfo& source, const FrameRange& range,
             const EncodeSettings& settings, const Frame& first_frame,
             std::optional<MadeSound> sound = std::nullopt);
  ~ClipWriter();
  ClipWriter(const ClipWriter&) = delete;
  ClipWriter& operator=(const ClipWriter&) = delete;

  /// Frames in order, with the source's time stamps. Throws Error(Unwritable); GraphicsFailure where that is
  /// what went wrong, also from the constructor and finish().
  void write(const Frame& frame);

  /// Flushes, checks frame count and duration of what is on the disk, and renames.
  WriteResult finish();

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace glenhaze
