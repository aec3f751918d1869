#pragma once
// The correction profile: what was measured of one camera in one mode, with where every value came
// from. Kept as a JSON file that people can read, mail and put under version control; parts and keys
// that this version does not know are kept as they are.

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "core/base/rational.h"
#include "core/lens/model.h"
#include "core/profile/evidence.h"
#include "core/profile/finish_part.h"
#include "core/profile/motion_parts.h"
#include "core/profile/noise_part.h"

namespace glenhaze {

/// What people type, for comparing: lower case (ASCII), no blanks at the ends, one blank between words.
std::string folded(const std::string& text);

/// What the camera itself does to the picture; "" where nobody has said.
struct InCamera {
  std::string stabilization, sharpening, denoising, tone;
  bool operator==(const InCamera&) const = default;
};

/// A body as used. A different mode reads other sensor rows and bends light differently.
struct CameraMode {
  std::string name;  ///< "Skerrel D3"
  int width = 0;
  int height = 0;
  std::optional<Rational> fps;  ///< empty: measured from stills, fits any rate
  std::string view;             ///< field-of-view setting, "" when there is only one or nobody has said
  std::string medium = "air";   ///< "air", "flat-port-fresh", "flat-port-sea"
  std::string lens;             ///< exchangeable lens and focal length, "" for a fixed one
  InCamera in_camera;

  bool operator==(const CameraMode&) const = default;
  /// "1920 × 1080 · 29.97 · wide · air"
  std::string describe() const;
};

struct LensPart {
  Lens lens;
  Origin origin = Origin::Measured;
  double rms_px = -1;          ///< reprojection (chart) or straightness (edges) RMS; −1 when there is none
  std::string method;          ///< "chart", "edges", "footage", "typed", "imported"
  double coverage = 0;         ///< share of the picture that the evidence covers, 0..1
  std::vector<double> stddev;  ///< of fx fy cx cy and the coefficients, in this order; may be empty
  std::vector<Evidence> evidence;
};

struct Profile {
  CameraMode camera;
  std::optional<LensPart> lens;
  std::optional<ShutterPart> shutter;
  std::optional<NoisePart> noise;
  std::optional<StabilizationPart> stabilization;
  std::optional<FinishPart> finish;
  std::string note;            ///< the user's own remark
  std::filesystem::path path;  ///< file it was read from or written to, may be empty
  std::string kept_json;       ///< the file as read, so that unknown keys survive

  /// True when a part with this name ("shutter", "noise", …) is in the file, also if unknown here.
  bool hasPart(const std::string& name) const;
};

constexpr const char* kProfileEnding = ".glenhaze.json";

/// Throws Error(Unreadable) with the key that is wrong.
Profile parseProfile(const std::string& json_text, const std::string& where);
Profile loadProfile(const std::filesystem::path& path);
/// The text of its file. How files are changed: see edit.h.
std::string profileToJson(const Profile& profile);

/// Noise settings as JSON text, for files that hold them; values out of range are held to it.
std::string denoiseToText(const DenoiseSettings& settings);
DenoiseSettings denoiseFromText(const std::string& text);

/// A sound file name that carries the whole camera and mode:
/// "skerrel-d3-1920x1080-29.97-wide-air.glenhaze.json". Two that differ in anything but case and blanks get
/// two names.
std::string suggestedFileName(const CameraMode& camera);

/// What is missing or odd in a profile, as sentences; empty when all is well.
std::vector<std::string> checkProfile(const Profile& profile);

}  // namespace glenhaze
