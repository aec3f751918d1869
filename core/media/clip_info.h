#pragma once
// What a footage file is, without decoding more of it than needed.

#include <filesystem>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "core/base/rational.h"
#include "core/frame/frame.h"

namespace glenhaze {

enum class ClipKind { Film, Sequence, Still };

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
  int64_t start_pts = 0;         ///< of the first frame, in time_base
  double container_start_s = 0;  ///< of the earliest stream; above 0 in transport streams
  int64_t frames = 0;
  double duration_s = 0;
  std::string codec;
  std::string pixel_format;
  PixelFormat format;
  ColourTags colour;
  Rational sample_aspect{1, 1};
  std::vector<SoundInfo> sound;
  int rotation = 0;  ///< degrees clockwise to turn the stored picture for showing it: 0, 90, 180, 270
  bool variable_rate = false;
  bool interlaced = false;
  std::string make, model;  ///< from container tags
  std::string camera_note;  ///< camera name from a telemetry track, "" when there is none
  std::optional<int> iso;   ///< from container tags or telemetry; at the start where it changes
  /// Where telemetry says that the ISO changes within the clip: seconds from the start, rising; empty where it
  /// does not.
  std::vector<std::pair<double, int>> iso_changes;
  std::string creation_time, timecode;
  std::vector<ClipProblem> problems;

  bool readable() const;
  /// Time of frame `index` in seconds from the first frame, for clips of constant rate.
  double frameTime(int64_t index) const { return static_cast<double>(index) / fps.value(); }
};

/// Reads headers, the packet index and the first telemetry entry. Never throws for a bad file: the
/// result then has a fatal problem that says why.
ClipInfo probe(const std::filesystem::path& path);

/// The ISO and the camera name in a line of telemetry ("iso=400", "ISO: 400", "camera=Skerrel D3").
struct TelemetryNote {
  std::optional<int> iso;
  std::string camera;
};
TelemetryNote parseTelemetry(const std::string& text);

/// The ISOs in a subtitle file's text (SubRip or WebVTT) by the time their entries begin, s.
std::vector<std::pair<double, int>> isosOverTime(const std::string& text);

}  // namespace glenhaze
