#include "core/profile/match.h"

#include <algorithm>
#include <cmath>
#include <vector>

#include "core/base/numbers.h"

namespace glenhaze {

namespace {

bool sameText(const std::string& a, const std::string& b) { return folded(a) == folded(b); }

// An empty text on either side is "not said" and fits everything.
bool fitsText(const std::string& a, const std::string& b) { return a.empty() || b.empty() || sameText(a, b); }

bool sameShape(int w1, int h1, int w2, int h2) {
  return std::abs(static_cast<double>(w1) / h1 - static_cast<double>(w2) / h2) < 0.01;
}

bool sameRate(const ClipInfo& clip, const CameraMode& mode) {
  if (!mode.fps || clip.kind != ClipKind::Film) return true;
  // Where the rate varies, what the camera was set to counts, as far as the file still tells.
  return std::abs(clip.nominal_fps.value() / mode.fps->value() - 1) < (clip.variable_rate ? 0.02 : 0.002);
}

std::string sizeText(int w, int h) { return std::to_string(w) + " × " + std::to_string(h); }

std::optional<Lens> lensFor(const ClipInfo& clip, const Profile& profile) {
  if (!profile.lens) return std::nullopt;
  if (clip.width == profile.camera.width && clip.height == profile.camera.height) return profile.lens->lens;
  return scaledLens(profile.lens->lens, clip.width, clip.height);
}

struct Candidate {
  int index = -1;
  bool exact = false;
  int said = 0;  ///< how many answers agree word for word
  std::string difference;
};

std::optional<Candidate> judge(const ClipInfo& clip, const CameraAnswer& answer, const Profile& profile,
                               int index) {
  const CameraMode& mode = profile.camera;
  const std::string camera = answer.camera.empty() ? cameraNameOf(clip) : answer.camera;
  if (camera.empty() || !sameText(camera, mode.name)) return std::nullopt;
  if (!fitsText(answer.view, mode.view) || !fitsText(answer.lens, mode.lens)) return std::nullopt;
  // Where nothing is said the clip was filmed in air: a housing's profile would bend it wrongly.
  if (!sameText(answer.medium.empty() ? "air" : answer.medium, mode.medium)) return std::nullopt;
  const InCamera &a = answer.in_camera, &b = mode.in_camera;
  // In-camera stabilization moves the picture over the sensor, so the lens is another one then.
  if (!fitsText(a.stabilization, b.stabilization)) return std::nullopt;
  if (!sameShape(clip.width, clip.height, mode.width, mode.height)) return std::nullopt;
  Candidate candidate;
  candidate.index = index;
  const bool same_size = clip.width == mode.width && clip.height == mode.height;
  // What the camera does to the picture makes its noise another one; the lens stays the same.
  const bool same_processing =
      fitsText(a.tone, b.tone) && fitsText(a.sharpening, b.sharpening) && fitsText(a.denoising, b.denoising);
  candidate.exact = same_size && sameRate(clip, mode) && same_processing;
  for (const auto& [said, has] : {std::pair{answer.view, mode.view},
                                  {answer.medium, mode.medium},
                                  {answer.lens, mode.lens},
                                  {a.stabilization, b.stabilization},
                                  {a.tone, b.tone},
                                  {a.sharpening, b.sharpening},
                                  {a.denoising, b.denoising}})
    candidate.said += !said.empty() && sameText(said, has) ? 1 : 0;
  if (!same_size)
    candidate.difference = "measured at " + sizeText(mode.width, mode.height) + ", scaled to " +
                           sizeText(clip.width, clip.height);
  else if (!sameRate(clip, mode))
    candidate.difference = "measured at " + rateText(*mode.fps) + " frames/s";
  else if (!candidate.exact)
    candidate.difference = !fitsText(a.tone, b.tone) ? "measured with tone " + b.tone
                           : !fitsText(a.sharpening, b.sharpening)
                               ? "measured with sharpening " + b.sharpening
                               : "measured with denoising " + b.denoising;
  return candidate;
}

}  // namespace

std::string rateText(const Rational& fps) {
  std::string text = fixedText(fps.value(), 2);
  text.erase(text.find_last_not_of('0') + 1);
  if (text.back() == '.') text.pop_back();
  return text;
}

std::string cameraNameOf(const ClipInfo& clip) {
  if (clip.model.empty() && clip.make.empty()) return clip.camera_note;
  if (clip.make.empty()) return clip.model;
  if (clip.model.empty()) return clip.make;
  return folded(clip.model).starts_with(folded(clip.make)) ? clip.model : clip.make + " " + clip.model;
}

ProfileMatch matchProfile(const ClipInfo& clip, const CameraAnswer& answer,
                          std::span<const Profile> profiles) {
  ProfileMatch match;
  const std::string camera = answer.camera.empty() ? cameraNameOf(clip) : answer.camera;
  if (clip.width <= 0) {
    match.reason = "The clip cannot be read.";
    return match;
  }
  std::vector<Candidate> candidates;
  for (size_t i = 0; i < profiles.size(); ++i)
    if (auto c = judge(clip, answer, profiles[i], static_cast<int>(i))) candidates.push_back(*c);
  if (candidates.empty()) {
    const bool known = std::any_of(profiles.begin(), profiles.end(),
                                   [&](const Profile& p) { return sameText(p.camera.name, camera); });
    match.reason = camera.empty() ? "The file does not say which camera it is from. Assign a profile by hand."
                   : known        ? "There is a profile of " + camera +
                                 ", but for another mode or medium that cannot be "
                                 "carried over. Measure this mode, or say which one was used."
                           : "There is no profile of " + camera + " yet.";
    return match;
  }
  const auto better = [](const Candidate& a, const Candidate& b) {
    return std::pair(a.exact, a.said) > std::pair(b.exact, b.said);
  };
  std::stable_sort(candidates.begin(), candidates.end(), better);
  if (candidates.size() > 1 && !better(candidates[0], candidates[1])) {
    const CameraMode& a = profiles[static_cast<size_t>(candidates[0].index)].camera;
    const CameraMode& b = profiles[static_cast<size_t>(candidates[1].index)].camera;
    match.reason = "Several profiles of " + camera + " fit (" + a.describe() + "; " + b.describe() +
                   "). Say which mode was used.";
    return match;
  }
  const Candidate& best = candidates.front();
  const Profile& profile = profiles[static_cast<size_t>(best.index)];
  match.profile = best.index;
  match.kind = best.exact ? MatchKind::Exact : MatchKind::Borrowed;
  match.lens = lensFor(clip, profile);
  match.reason = best.exact
                     ? "Same camera and mode: " + profile.camera.name + ", " + profile.camera.describe() + "."
                     : "Borrowed from " + profile.camera.name + ", " + profile.camera.describe() + ": " +
                           best.difference + ".";
  if (best.exact && answer.view.empty() && !profile.camera.view.empty())
    match.reason += " The file does not say its view; taken as " + profile.camera.view + ".";
  return match;
}

ProfileMatch assignProfile(const ClipInfo& clip, const Profile& profile, int index) {
  ProfileMatch match;
  if (clip.width <= 0 || !sameShape(clip.width, clip.height, profile.camera.width, profile.camera.height)) {
    match.reason = "The profile is for " + sizeText(profile.camera.width, profile.camera.height) +
                   ", which has another shape than this clip: it cannot be used.";
    return match;
  }
  match.kind = MatchKind::Assigned;
  match.profile = index;
  match.lens = lensFor(clip, profile);
  match.reason = "Assigned by hand: " + profile.camera.name + ", " + profile.camera.describe() + ".";
  return match;
}

}  // namespace glenhaze
