#pragma once
// From a clip to its corrected motion: tracks (slow, kept beside the shoot), path and steadied path (quick).

#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/media/reader.h"
#include "core/media/writer.h"
#include "core/motion/frame_map.h"
#include "core/motion/hand.h"
#include "core/motion/log.h"
#include "core/motion/readout.h"
#include "core/motion/solve.h"
#include "core/motion/stabilize.h"
#include "core/motion/tracks.h"
#include "core/motion/unexplained.h"

namespace glenhaze {

/// Everything that a clip's motion depends on.
struct MotionRequest {
  ClipInfo clip;
  Fields fields = Fields::Keep;
  Lens lens;
  Shutter shutter;           ///< in the picture as stored; 0 readout where it is not known or not corrected
  bool own_shutter = false;  ///< measure it from the clip's own motion instead
  StabilizationSettings settings;
  std::vector<MotionMask> masks;
  WindowSettings window;
  std::optional<FrameRange> range;
  std::vector<HandKey> hand;          ///< mends the path over the range of its keys
  std::filesystem::path log;          ///< a motion log (see log.h); empty: none
  std::filesystem::path tracks_file;  ///< where tracks are kept; empty: nowhere
};

/// What tells whether kept tracks are of this clip as it is now and were made in the same way.
std::string tracksKey(const MotionRequest& request);

/// Settings that the motion of a render depends on, for its fingerprint.
std::string motionFingerprint(const MotionRequest& request);

/// Tracks that are kept already; empty when the clip is yet to be analysed.
std::optional<TrackRecord> keptTracks(const MotionRequest& request);

/// Kept ones, or analysed now and kept. An analysis that was stopped goes on where it was. Throws
/// Error(Unreadable), Error(Cancelled); that tracks cannot be kept is no error.
TrackRecord tracksFor(const MotionRequest& request, const Progress& progress = {});

struct MotionAnswer {
  PathFinding finding;
  Shutter shutter;                            ///< that the path was solved with
  std::optional<ShutterFinding> own_shutter;  ///< where it was asked for and can be told
  UnexplainedMotion unexplained;              ///< by the path; the same under all settings
  SteadiedPart part = SteadiedPart::Most;     ///< what the path follows: as asked for, or far by itself
  double moving_share = 0;    ///< of the picture, that moves on its own and was left out by itself, 0..1
  std::optional<LogFit> log;  ///< how the motion log fits; empty without one
  std::shared_ptr<const StabilizationRoom> room;
  WindowSettings room_window;  ///< that the room was worked out for
  StabilizedClip stabilized;   ///< its shake left includes what the path itself may be off
  std::shared_ptr<const ClipMotion> motion;
};

/// Throws Error(BadRequest) for settings out of range, Error(Unreadable) for the motion log,
/// Error(Cancelled). A log that does not fit the picture is left out, and the finding's warnings say so.
MotionAnswer answerMotion(const MotionRequest& request, const TrackRecord& record,
                          const Progress& progress = {});

/// The same clip, lens and shutter under other settings: at once.
void steadyAgain(MotionAnswer& answer, const MotionRequest& request);

/// What was left out of the path by itself, "" where nothing was.
std::string leftOutNote(const MotionAnswer& answer);

/// "0.31° of shake to 0.01°, crop 7 %."
std::string describeMotion(const MotionAnswer& answer);

}  // namespace glenhaze
