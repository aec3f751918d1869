#pragma once
// The kept stretches of a shoot, one after the other, for programs that put films together: as an edit
// decision list (CMX 3600, the form that every such program reads; from memory, no published standard) and as
// OpenTimelineIO JSON (its published schemas Timeline.1, Stack.1, Track.1, Clip.1, Transition.1). Both lead
// to the rendered files.

#include <filesystem>
#include <span>
#include <string>
#include <vector>

#include "core/run/plan.h"

namespace glenhaze {

/// One rendered file, used from its first frame to its last.
struct CutEvent {
  std::string name;             ///< of the clip, for people
  std::filesystem::path media;  ///< the rendered file
  std::string timecode;         ///< of its first frame; "" for none
  int64_t frames = 0;
  bool sound = false;
  std::filesystem::path source;
  int64_t first = 0;   ///< frame of the source
  std::string reason;  ///< why it was suggested, "" for none
};

struct CutList {
  std::string title;
  Rational fps;  ///< of all events
  std::vector<CutEvent> events;
  int64_t dissolve = 0;  ///< frames in which one event goes over into the next; 0: none

  /// With the frames that two events share counted once.
  int64_t frames() const;
};

/// Whether an output of a run is a part of its cut list: films that are rendered as films.
bool isCutInto(const ClipPlan& output);

/// 30 and 29.97, 24 and 23.976: a frame stays a frame, and in a stretch of ten seconds sound is off by a
/// hundredth of one at its end.
bool canShareRate(const Rational& a, const Rational& b);

/// Of every output that a run makes, in its order; films only. Throws Error(BadRequest) when there is none,
/// when they have frame rates that differ by more than 30 and 29.97 do, or one is too short to go over into
/// both neighbours.
CutList cutListOf(std::span<const ClipPlan> plans, const std::string& title, double dissolve_s = 0);

std::string edlOf(const CutList& list);
std::string otioOf(const CutList& list);

}  // namespace glenhaze
