#pragma once
// What cameras write beside the picture as text: timed words in a track of the clip or in a subtitle file of
// the same name (SubRip, WebVTT), read by libavformat.

#include <filesystem>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace glenhaze {

/// The ISO and the camera name in a piece of telemetry ("iso=400", "ISO: 400", "camera=Skerrel D3").
struct TelemetryNote {
  std::optional<int> iso;
  std::string camera;
};
/// Time grows with the length of the text only.
TelemetryNote parseTelemetry(std::string_view text);

/// A file of timed words.
struct TimedNotes {
  TelemetryNote first;                       ///< what the first entries say
  std::vector<std::pair<double, int>> isos;  ///< by the time that their entries begin, s
};
/// Empty when there is no such file, or it holds nothing of use. Never throws for a bad file.
TimedNotes readTimedNotes(const std::filesystem::path& path);

/// The subtitle file of the same name beside a clip; "" when there is none.
std::filesystem::path subtitlesBeside(const std::filesystem::path& clip);

}  // namespace glenhaze
