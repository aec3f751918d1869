#pragma once
// Where profiles live: a library folder of the user's, and beside each shoot. Also exchange with
// OpenCV's calibration files.

#include <filesystem>
#include <string>
#include <vector>

#include "core/profile/profile.h"

namespace glenhaze {

/// XDG data home, "glenhaze/profiles". Not created here.
std::filesystem::path profileLibraryFolder();

struct ProfileSet {
  std::vector<Profile> profiles;      ///< by folder in the order given, then by name
  std::vector<std::string> problems;  ///< files that could not be read, with the reason
};

/// All profiles directly inside the folders; folders that do not exist are passed over. A profile of
/// an earlier folder hides one of the same camera and mode in a later folder.
ProfileSet loadProfiles(const std::vector<std::filesystem::path>& folders);

/// OpenCV calibration as written by its calibration sample (camera_matrix, distortion_coefficients,
/// image_width, image_height). Kannala–Brandt is marked by `fisheye_model: 1`, as that sample does.
/// Throws Error(BadRequest) for models that OpenCV does not have.
std::string toOpenCvYaml(const Profile& profile);

/// The noise curves as a table: iso,light,level,sigma_y,sigma_cb,sigma_cr, in 8-bit code values. Throws
/// Error(Unreadable) where there are none.
std::string noiseTableCsv(const Profile& profile);

/// Reads such a file (YAML, XML or JSON). `camera`: what to call it. Throws Error(Unreadable).
Profile fromOpenCvFile(const std::filesystem::path& path, const CameraMode& camera);

}  // namespace glenhaze
