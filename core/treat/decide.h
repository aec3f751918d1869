#pragma once
// The one decision: what becomes of a clip, from what is set, what is known of it, and the profiles. Nobody
// else decides anything: window, console, previews and runs all ask here.

#include <span>
#include <string>

#include "core/profile/match.h"
#include "core/treat/facts.h"
#include "core/treat/shoot.h"
#include "core/treat/treatment.h"

namespace glenhaze {

/// Why a clip will not be rendered.
struct Refusal {
  std::string reason;
  bool fault = false;  ///< of the file, not a choice
};

/// What has to be found out from the pictures first (see core/run/ask.h).
struct MissingFacts {
  bool iso = false;        ///< nothing says it
  bool light = false;      ///< the ISO is known, but there are curves for several kinds of light
  bool own_noise = false;  ///< no profile has a curve for the clip, which is to be treated by itself
  bool own_lens = false;   ///< nor a lens, and its motion needs one
  double known_iso = 0;
  std::vector<NoiseCurve> curves;
  std::string question;  ///< under which the noise's answer is kept
  bool noise() const { return iso || light || own_noise; }
  bool any() const { return noise() || own_lens; }
};

/// One of three holds: a refusal, facts that are missing, or a treatment that is complete.
struct Decision {
  ProfileMatch match;
  std::optional<Refusal> refusal;
  MissingFacts missing;
  /// Complete when ready(); else as far as it is decided, for looking at meanwhile.
  Treatment treatment;
  bool assumed_lens = false;  ///< nothing tells it: the motion is worked out with a usual one
  bool own_lens = false;      ///< the clip itself has told it
  /// Sentences about what was asked for and is not done, or was told by the clip's own noise.
  std::vector<std::string> notes;

  bool ready() const { return !refusal && !missing.any(); }
};

/// A pure function, but that a motion log's content is looked at. `clip` is one of the shoot's, or an edited
/// copy.
Decision decide(const Shoot& shoot, const ShootClip& clip, const ClipFacts& facts,
                std::span<const Profile> profiles);

/// The match of one clip of a shoot, with the user's answers and assignments taken into account.
ProfileMatch matchClip(const Shoot& shoot, const ShootClip& clip, const ClipInfo& info,
                       std::span<const Profile> profiles);

/// The curve that a clip's noise is removed by; Missing with the reason where there is none.
IsoCurve noiseCurveFor(const Shoot& shoot, const ShootClip& clip, const ClipFacts& facts,
                       const ProfileMatch& match, std::span<const Profile> profiles);

/// A lens without a bend and of a usual field of view, where nothing is known: good enough to steady by. A
/// focal length that is 15 % off leaves a hundredth of the shake, a bend that is not known a fortieth
/// (measured on rendered footage).
Lens assumedLens(int width, int height);

/// The profile of a match; null for none.
const Profile* profileOf(const ProfileMatch& match, std::span<const Profile> profiles);

}  // namespace glenhaze
