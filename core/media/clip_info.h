#pragma once
// What a footage file is, without decoding more of it than needed.

#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "core/base/rational.h"
#include "core/frame/frame.h"
#include "core/media/frame_times.h"

namespace glenhaze {

enum class ClipKind { Film, Sequence, Still };

/// What becomes of frames that cannot be decoded, or only with faults.
enum class Damage {
  PassOver,  ///< they do not come, or as the decoder could build them; see damaged()
  Hold       ///< the last good frame comes in their place (at the start the first one); see held()
};

/// Something odd about a clip, in words for the user. `fatal`: nothing can be rendered from it.
struct ClipProblem {
  enum class Kind {
    Unreadable,
    Truncated,
    VariableRate,
    Interlaced,
    Rotated,
    NoSound,
    NonSquarePixels,
    TimeStamps,  ///< they could not be used as they are
    Transparency,
    Other
  };
  Kind kind = Kind::Other;
  std::string text;
  bool fatal = false;
};

struct SoundInfo {
  std::string codec;
  int channels = 0;
  int sample_rate = 0;
};

struct ClipInfo {
  std::filesystem::path path;
  ClipKind kind = ClipKind::Film;
  int width = 0;  ///< as stored, before rotation
  int height = 0;
  Rational fps;          ///< average when the rate varies
  Rational nominal_fps;  ///< what the camera was set to; the same as fps when the rate does not vary
  Rational time_base{1, 1};
  int64_t start_pts = 0;  ///< of the first frame, in time_base
  double container_start_s =
      0;  ///< of the earliest stream; not 0 in transport streams, and behind edit lists
  /// When each frame is shown; null only in values that no probe has made.
  std::shared_ptr<const FrameTimes> times;
  int64_t frames = 0;
  double duration_s = 0;
  std::string codec;
  std::string pixel_format;
  PixelFormat format;
  ColourTags colour;
  Rational sample_aspect{1, 1};
  std::vector<SoundInfo> sound;
  int rotation = 0;          ///< degrees clockwise to turn the stored picture for showing it: 0, 90, 180, 270
  bool mirrored = false;     ///< and swap left and right after turning it
  bool transparent = false;  ///< has a plane of its own for it, which is not read
  bool variable_rate = false;
  bool interlaced = false;
  std::string make, model;  ///< from container tags
  std::string camera_note;  ///< camera name from a telemetry track, "" when there is none
  std::optional<int> iso;   ///< from container tags or telemetry; at the start where it changes
  /// Where telemetry says that the ISO changes within the clip: seconds from the start, rising; empty where
  /// it does not.
  std::vector<std::pair<double, int>> iso_changes;
  std::string creation_time, timecode;
  std::vector<ClipProblem> problems;

  /// Whether anything can be rendered; under Damage::Hold also from what is left of a file that was cut off.
  bool readable(Damage damage = Damage::PassOver) const;
  /// Time stamp of a frame, in time_base.
  int64_t stampAt(int64_t index) const;
  int64_t indexAt(int64_t stamp) const;
  /// The frame that is shown `seconds` after the first one.
  int64_t indexAtSecond(double seconds) const;
  /// Time of frame `index` in seconds from the first frame; of `frames`: the end.
  double frameTime(int64_t index) const;
};

/// Reads headers, the packet index and the first telemetry entry. Never throws for a bad file: the
/// result then has a fatal problem that says why.
ClipInfo probe(const std::filesystem::path& path);

}  // namespace glenhaze
