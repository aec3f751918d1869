#pragma once
// Which profile a clip gets, and why.

#include <optional>
#include <span>
#include <string>

#include "core/media/clip_info.h"
#include "core/profile/profile.h"

namespace glenhaze {

/// What the user has said about clips whose files do not say it. Empty strings: nothing said.
struct CameraAnswer {
  std::string camera, view, medium, lens;
  InCamera in_camera;
  bool remembered = false;  ///< from an earlier shoot, not said in this one
  bool operator==(const CameraAnswer&) const = default;
};

/// Camera name in a clip's own tags or telemetry; "" when it says none.
std::string cameraNameOf(const ClipInfo& clip);

/// "29.97", "30".
std::string rateText(const Rational& fps);

enum class MatchKind {
  None,
  Exact,     ///< same camera and mode
  Borrowed,  ///< same camera and view, another mode: the values are carried over
  Assigned   ///< the user said so
};

struct ProfileMatch {
  MatchKind kind = MatchKind::None;
  int profile = -1;          ///< index into the profiles, −1 for None
  std::string reason;        ///< one sentence for the user
  std::optional<Lens> lens;  ///< for the clip's picture size
};

/// The best profile for a clip. Deterministic: ties between profiles that differ in something the file
/// does not say match none, and the reason says what to answer.
ProfileMatch matchProfile(const ClipInfo& clip, const CameraAnswer& answer,
                          std::span<const Profile> profiles);

/// The match when the user gives this profile to the clip, whatever its tags say. Scaled where the
/// picture's shape is the same; None with a reason where that is not sound.
ProfileMatch assignProfile(const ClipInfo& clip, const Profile& profile, int index);

}  // namespace glenhaze
