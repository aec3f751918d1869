#pragma once
// What a run would do to each clip: the one place where matching, switches and output names are put
// together, for the window and the console alike.

#include <filesystem>
#include <set>
#include <span>
#include <string>
#include <vector>

#include "core/pipeline/clip_motion.h"
#include "core/pipeline/render.h"
#include "core/run/shoot.h"

namespace glenhaze {

/// How a part of the correction stands for one clip.
enum class Coverage { Measured, ByHand, Borrowed, Estimated, Missing, Off, Doubtful };

struct CoverageCell {
  Coverage kind = Coverage::Missing;
  std::string figure;  ///< "0.31 px"; "" when there is none
  std::string reason;  ///< a sentence
};

/// What only the footage itself can say before a clip is rendered (see ask.h).
struct ClipQuestions {
  bool iso = false;      ///< nothing says it
  bool light = false;    ///< the ISO is known, but there are curves for several kinds of light
  bool flicker = false;  ///< it is to be evened out, and is not measured yet
  bool motion = false;   ///< the camera's path is needed
  double known_iso = 0;
  std::vector<NoiseCurve> curves;
  bool any() const { return iso || light || flicker || motion; }
};

struct ClipPlan {
  ClipInfo info;
  ShootClip clip;
  ProfileMatch match;
  CoverageCell lens;
  CoverageCell shutter;
  CoverageCell noise;
  CoverageCell stabilization;
  MotionRequest motion;  ///< meaningful when questions.motion
  RenderJob job;         ///< meaningful when `refusal` is empty
  ClipQuestions questions;
  std::string refusal;  ///< why the clip will not be rendered, "" when it will
  bool failed = false;  ///< the refusal is a fault of the file, not a choice
};

/// Plans all clips of a shoot. `infos` are the probes of shoot.clips, in the same order.
std::vector<ClipPlan> planShoot(const Shoot& shoot, std::span<const ClipInfo> infos,
                                std::span<const Profile> profiles);

/// The match of one clip of a shoot, with the user's answers and assignments taken into account.
ProfileMatch matchClip(const Shoot& shoot, const ShootClip& clip, const ClipInfo& info,
                       std::span<const Profile> profiles);

/// The ISO that a clip is treated with, and who says so; empty when nobody does.
struct ClipIso {
  double iso = 0;
  enum class From { Hand, File, Name, Noise } from = From::File;
  std::string text;  ///< "ISO 1250", "ISO ≈ 1250 (1000 to 1500)"
};
/// In this order: by hand, the file and its telemetry, its name by the shoot's pattern, its own noise.
std::optional<ClipIso> isoOf(const Shoot& shoot, const ShootClip& clip, const ClipInfo& info);

/// The ISO that a pattern (Shoot::iso_pattern) finds in a file's name or in the nearest folder's that has
/// one.
std::optional<int> isoFromName(const std::filesystem::path& path, const std::string& pattern);

/// Correction of one clip as the shoot's settings, the clip's own and its match say.
Correction correctionFor(const Shoot& shoot, const ShootClip& clip, const ClipInfo& info,
                         const ProfileMatch& match);

/// What a clip's motion is worked out from; nothing where neither shutter nor stabilization is wanted, or the
/// lens is not known. `under`: these settings instead of the clip's and the profile's.
std::optional<MotionRequest> motionRequestOf(const Shoot& shoot, const ShootClip& clip, const ClipInfo& info,
                                             const ProfileMatch& match, std::span<const Profile> profiles,
                                             const std::optional<StabilizationSettings>& under);

/// Where the tracks of a clip are kept: in "motion" beside the shoot; empty for a shoot that is not saved.
std::filesystem::path tracksFileOf(const Shoot& shoot, const std::filesystem::path& clip);

/// Figures of what a correction does to a clip's picture.
struct CorrectionFigures {
  double corner_enlargement = 1;
  double centre_enlargement = 1;
  double lost_share = 0;
  double blank_share = 0;
};
CorrectionFigures figuresOf(const Correction& correction);

/// Bytes that rendering will need, roughly: from codec, size, length and quality.
uint64_t estimatedBytes(const ClipPlan& plan);

}  // namespace glenhaze
