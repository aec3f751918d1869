#include "core/profile/edit.h"

#include <array>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/json_text.h"
#include "core/profile/history.h"

namespace glenhaze {
namespace fs = std::filesystem;
using nlohmann::json;

namespace {

constexpr std::array<const char*, 7> kParts = {"camera",        "lens",   "shutter", "noise",
                                               "stabilization", "finish", "note"};

bool isThere(const fs::path& path) {
  std::error_code code;
  return fs::exists(fs::symlink_status(path, code));
}

ProfileChange write(Profile profile, const fs::path& file, std::optional<std::string> before) {
  const std::string text = profileToJson(profile);
  std::error_code code;
  if (file.has_parent_path()) fs::create_directories(file.parent_path(), code);
  if (before) keepStep(file, *before, text);
  writeFileAtomically(file, text);
  profile.path = file;
  profile.kept_json = text;
  return {std::move(profile), {file, std::move(before)}};
}

// Which parts two profiles differ in, by what would stand in the file.
std::array<bool, kParts.size()> differences(const Profile& a, const Profile& b) {
  const json in_a = parseJson(profileToJson(a)), in_b = parseJson(profileToJson(b));
  std::array<bool, kParts.size()> differ{};
  for (size_t i = 0; i < kParts.size(); ++i)
    differ[i] = in_a.value(kParts[i], json()) != in_b.value(kParts[i], json());
  return differ;
}

}  // namespace

ProfileChange changeProfile(const fs::path& file, const std::function<void(Profile&)>& change) {
  const std::string before = readFile(file);
  Profile profile = parseProfile(before, file.string());
  profile.path = file;
  change(profile);
  return write(std::move(profile), file, before);
}

ProfileChange createProfile(const Profile& profile, const fs::path& file, ExistingProfile existing) {
  std::optional<std::string> before;
  if (isThere(file)) {
    if (existing == ExistingProfile::Refuse)
      throw Error(ErrorKind::Unwritable, "The profile exists already", file.string(), "",
                  "Choose another name, add to it with --into, or allow replacing with --overwrite");
    before = readFile(file);
    const json there = parseJsonOrNull(*before);
    const bool ours = there.is_object() && there.value("format", json()) == "glenhaze-profile";
    // What is no profile, or one of a newer version, would be lost for good.
    if (!ours)
      throw Error(ErrorKind::Unwritable, "The file is no profile", file.string(), "", "Choose another name");
    parseProfile(*before, file.string());
  }
  return write(profile, file, std::move(before));
}

ProfileChange putProfile(const Profile& before, const Profile& after, const fs::path& folder) {
  const fs::path file = after.path.empty() ? profilePathFor(after.camera, folder) : after.path;
  if (!isThere(file)) return write(after, file, std::nullopt);
  const auto changed = differences(before, after);
  return changeProfile(file, [&](Profile& now) {
    if (changed[0]) now.camera = after.camera;
    if (changed[1]) now.lens = after.lens;
    if (changed[2]) now.shutter = after.shutter;
    if (changed[3]) now.noise = after.noise;
    if (changed[4]) now.stabilization = after.stabilization;
    if (changed[5]) now.finish = after.finish;
    if (changed[6]) now.note = after.note;
  });
}

void restoreProfile(const ProfileBackup& backup) {
  if (backup.text) return writeFileAtomically(backup.path, *backup.text);
  std::error_code code;
  fs::remove(backup.path, code);
  if (code && isThere(backup.path))
    throw Error(ErrorKind::Unwritable, "Cannot take the profile away again", backup.path.string(),
                code.message(), "Check the folder's permissions");
}

fs::path profilePathFor(const CameraMode& camera, const fs::path& folder) {
  const std::string name = suggestedFileName(camera);
  const std::string stem = name.substr(0, name.size() - std::string(kProfileEnding).size());
  for (int n = 1;; ++n) {
    const fs::path file = folder / (n == 1 ? name : stem + "-" + std::to_string(n) + kProfileEnding);
    if (!isThere(file)) return file;
    try {
      if (loadProfile(file).camera == camera) return file;
    } catch (const Error&) {
      // Somebody's file all the same: the next name.
    }
  }
}

}  // namespace glenhaze
