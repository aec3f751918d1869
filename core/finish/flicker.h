#pragma once
// Flicker: exposure that pulses from frame to frame, and light on mains that beats with the frame rate, which
// a rolling shutter spreads over the rows. Measured against a slow reference that keeps real changes of
// light, evened out by a gain per frame and row.

#include <optional>
#include <string>
#include <vector>

#include "core/base/progress.h"
#include "core/finish/lamps.h"
#include "core/media/reader.h"

namespace glenhaze {

/// Gains of a run of frames, in `bands` down the picture; multiplies code values above black.
struct FlickerPath {
  int64_t first = 0;            ///< frame of the first gains
  int bands = 1;                ///< 1: the whole picture alike
  std::vector<float> gain;      ///< bands values a frame, about 1
  double depth = 0;             ///< RMS of what is evened out, share of the level
  double rate_hz = 0;           ///< strongest rhythm of it; 0: none stands out
  std::vector<LampPath> lamps;  ///< that flicker by themselves

  bool none() const { return depth <= 0 && lamps.empty(); }
  bool operator==(const FlickerPath&) const = default;
  /// Gain at a row (0 top to 1 bottom) of a frame; 1 outside the path.
  double at(int64_t frame, double row) const;
  /// "2.1 % at 10.0 Hz, and of one lamp (8.3 % at 7.0 Hz, left)"; "" when there is none to speak of.
  std::string describe() const;
};

/// Levels of a run of frames, as measureFlicker takes them from a clip: logarithms of the level against the
/// frame before, by band; `cut` frames begin something new.
struct LevelSteps {
  int bands = 1;
  std::vector<float> step, error;  ///< bands values a frame; `error`: standard deviation of each step
  std::vector<bool> cut;           ///< a value a frame
};

/// From levels to the path: `fps` for rhythms.
FlickerPath flickerPath(const LevelSteps& steps, double fps, int64_t first = 0);

/// Reads the clip once, reduced. Throws Error(Unreadable), Error(Cancelled).
FlickerPath measureFlicker(const ClipInfo& clip, Fields fields = Fields::Keep, const Progress& progress = {});

/// For keeping: one line of text, and back; empty for a text that is none.
std::string flickerToText(const FlickerPath& path);
std::optional<FlickerPath> flickerFromText(const std::string& text);

/// Evens a frame out by `strength` (0..1). The frame's samples must be its own.
void evenOut(Frame& frame, const FlickerPath& path, double strength);

}  // namespace glenhaze
