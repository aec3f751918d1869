#pragma once
// What a clip is like from moment to moment: how much it shakes, whether it is blurred, too dark or too
// bright, what moves in it, how loud it is. Looked at in small, all frames, once; for choosing the good
// parts.

#include <optional>
#include <string>
#include <vector>

#include "core/base/progress.h"
#include "core/media/clip_info.h"

namespace glenhaze {

/// Silence, or no sound.
constexpr float kSilent_db = -90;

struct Moment {
  float shake = 0;     ///< motion of the whole picture above 1 Hz, RMS, % of its width
  float travel = 0;    ///< motion of the whole picture below that, % of its width a second
  float blur = 0;      ///< 0: as sharp as the moments around it, 1: nothing is left of their fine detail
  float dark = 0;      ///< share of the picture that is black
  float bright = 0;    ///< share of the picture that is burnt out
  float activity = 0;  ///< share of the picture that changes otherwise than by the camera's motion
  float sound_db = kSilent_db;  ///< RMS, full scale is 0
  bool operator==(const Moment&) const = default;
};

struct ClipTimeline {
  double step_s = 0;  ///< length of a moment
  bool sound = false;
  std::vector<Moment> moments;

  /// The moment that a frame is in; 0 for an empty timeline.
  size_t at(double seconds) const;
  bool operator==(const ClipTimeline&) const = default;
};

/// Throws Error(Unreadable), Error(Cancelled).
ClipTimeline measureTimeline(const ClipInfo& clip, const Progress& progress = {});

/// For the fact store; empty for a text that is none.
std::string timelineToText(const ClipTimeline& timeline);
std::optional<ClipTimeline> timelineFromText(const std::string& text);

}  // namespace glenhaze
