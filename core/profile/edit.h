#pragma once
// The one way to change a profile's file: what was measured or set by hand goes in, everything else of the
// file stays: other parts, also those changed by somebody else meanwhile, and keys that this version does not
// know.
//
//   changeProfile(file, [&](Profile& p) { p.shutter = part; });

#include <filesystem>
#include <functional>
#include <optional>
#include <string>

#include "core/profile/profile.h"

namespace glenhaze {

/// A profile's file as it was before a change, to the byte; empty text: there was none.
struct ProfileBackup {
  std::filesystem::path path;
  std::optional<std::string> text;
};

struct ProfileChange {
  Profile profile;  ///< as it is in the file now
  ProfileBackup before;
};

/// Reads the file as it is now, changes it and writes it whole or not at all. Throws Error(Unreadable) for a
/// file that cannot be read or is of a newer version (it is then left as it is), Error(Unwritable).
ProfileChange changeProfile(const std::filesystem::path& file, const std::function<void(Profile&)>& change);

enum class ExistingProfile { Refuse, Replace };

/// A new file of exactly this profile. Throws Error(Unwritable), also for a file that is there and may not be
/// replaced, and for one of a newer version in any case.
ProfileChange createProfile(const Profile& profile, const std::filesystem::path& file,
                            ExistingProfile existing);

/// What differs between `before` and `after` goes into the file of `after`, or, where it has none yet, into
/// the one of its camera and mode in `folder`, which is made where it is missing. Throws as changeProfile.
ProfileChange putProfile(const Profile& before, const Profile& after, const std::filesystem::path& folder);

/// Undoes a change exactly: the file gets its bytes back, or goes where there was none. Throws
/// Error(Unwritable).
void restoreProfile(const ProfileBackup& backup);

/// Where a profile of this camera and mode is kept in a folder: the file that holds it already, else a name
/// that nothing has yet.
std::filesystem::path profilePathFor(const CameraMode& camera, const std::filesystem::path& folder);

}  // namespace glenhaze
