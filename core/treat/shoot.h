#pragma once
// The shoot: a set of clips, what the user has said about them, output settings, and the profiles
// beside it. One JSON file next to the footage; clips are named relative to it where possible.

#include <filesystem>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "core/finish/settings.h"
#include "core/media/writer.h"
#include "core/motion/hand.h"
#include "core/motion/stabilize.h"
#include "core/motion/tracks.h"
#include "core/profile/answers.h"
#include "core/profile/match.h"

namespace glenhaze {

/// Parts that were asked for by name: one that cannot be done is then a refusal, not left out.
struct AskedParts {
  bool lens = false, shutter = false, noise = false, stabilization = false, finish = false;
  bool any() const { return lens || shutter || noise || stabilization || finish; }
};

/// How a clip comes into an output of another shape.
enum class OutputShape {
  Fill,    ///< so large that it fills it; what reaches beyond is cut off
  Bars,    ///< all of it, with black beside it
  Pixels,  ///< one pixel for each of the clip's, cut off or with black around it
};

struct OutputSettings {
  std::filesystem::path folder;  ///< empty: "rendered" beside the shoot
  EncodeSettings encode;
  /// Stills and sequences stay what they are where `encode` is for films; else they become such films.
  bool stills_stay = true;
  std::string name;  ///< pattern of the outputs' names (see name_pattern.h); "": the clips' own
  PictureSize size;  ///< as shown; 0 × 0: each clip's own
  OutputShape shape = OutputShape::Fill;
  /// Where the clip lies in what is larger than it, or what of it is shown: −1 left or top, 0 the middle, 1
  /// right or bottom.
  Point place;
  double fill = 1;         ///< 0..1
  double lens_amount = 1;  ///< 0..1
  bool lens_on = true;
  bool shutter_on = true;
  bool noise_on = true;
  bool stabilization_on = true;
  bool finish_on = true;
  AskedParts asked;  ///< not kept in the file
};

/// What one clip is encoded as.
EncodeSettings encodingOf(const OutputSettings& output, const ClipInfo& clip);

/// A part of a clip that is to be kept, rendered as an output of its own.
struct Stretch {
  FrameRange frames;
  std::string reason;  ///< why it was suggested; "" where it was chosen by hand
  bool operator==(const Stretch&) const = default;
};

struct ShootClip {
  std::filesystem::path path;          ///< absolute
  std::string assigned_profile;        ///< file name of a profile given by hand, "" for matching
  std::optional<CameraAnswer> answer;  ///< what the user said of this clip alone; wins over the shoot's
  bool lens_on = true;                 ///< the clip's own switch
  std::optional<double> fill;          ///< overrides the shoot's
  std::optional<double> lens_amount;
  bool noise_on = true;
  std::optional<double> iso;                ///< as the user said; wins over the file's
  std::optional<IsoEstimate> iso_estimate;  ///< by the clip's own noise, where nothing else says it
  std::optional<std::string> light;         ///< variant of the noise curves, as said or told by its noise
  std::optional<DenoiseSettings> denoise;   ///< overrides the profile's
  std::optional<FrameRange> range;          ///< in and out points
  std::vector<Stretch> stretches;           ///< kept ones, by time; where there are any, they are rendered
  std::vector<Point> pins;                  ///< places to look at, as shares of the finished picture's sides
  bool shutter_on = true;
  bool shutter_local = false;  ///< also what moves on its own while the rows are read
  bool stabilization_on = true;
  std::optional<StabilizationSettings> stabilization;  ///< overrides the profile's
  bool finish_on = true;
  std::optional<FinishSettings> finish;  ///< overrides the profile's
  std::vector<MotionMask> masks;         ///< besides the profile's, for this clip alone
  std::vector<HandKey> hand;             ///< mends the measured path
  std::filesystem::path motion_log;      ///< absolute; empty: none
  int turned = 0;  ///< by how much the camera itself turned the picture clockwise: 0, 90, 180, 270
  bool deinterlace = false;
  bool hold_damage = false;  ///< what can be read of a damaged clip is rendered, the last good frame held
  bool by_itself = false;    ///< what no profile says is assumed, or taken from the clip itself
  bool render = true;        ///< false: left out of runs
  std::string kept_json;     ///< as read, so that unknown keys survive
  bool operator==(const ShootClip&) const = default;
};

struct Shoot {
  std::string name;
  std::filesystem::path path;  ///< empty until saved
  std::vector<ShootClip> clips;
  std::vector<std::filesystem::path> references;  ///< reference shots, absolute
  std::map<std::string, CameraAnswer> answers;    ///< by answerKey
  OutputSettings output;
  /// How file or folder names say the ISO, e.g. "ISO####": '#' is a digit of a number of any length, '*'
  /// stands for anything, case does not matter. "": they do not.
  std::string iso_pattern;
  std::string kept_json;

  /// The output folder as an absolute path.
  std::filesystem::path outputFolder() const;
  /// Where profiles of this shoot are kept: "profiles" beside the shoot file; empty until saved.
  std::filesystem::path profileFolder() const;
  /// Folders to look for profiles in, nearest first.
  std::vector<std::filesystem::path> profileFolders() const;
};

inline Damage damageOf(const ShootClip& clip) { return clip.hold_damage ? Damage::Hold : Damage::PassOver; }

/// How large a clip becomes for an output, and where that lies in it, as stored; the size is 0 × 0 where it
/// is the clip's own, and there is no canvas where the picture is the output. The output's size and place are
/// those of the picture as it is shown: a clip that is turned for showing is asked for the turned ones.
struct Delivery {
  PictureSize picture;
  Canvas canvas;
};
Delivery deliveryOf(const OutputSettings& output, const ClipInfo& clip);

/// Output sizes that can be rendered: each clip's own (0 × 0), or 16 to 16384 px each way.
bool isOutputSize(const PictureSize& size);
/// ISOs that exist, 1 to under ten million.
bool isIso(double iso);

/// What the user has said about a clip's camera and mode: its own answer, else that of its kind.
CameraAnswer answerOf(const Shoot& shoot, const ShootClip& clip, const ClipInfo& info);

/// Takes what earlier shoots were told of clips that look like this one, where nothing is said of it here.
/// `clip`: index into the shoot's.
void takeRemembered(Shoot& shoot, size_t clip, const ClipInfo& info, const AnswerBook& book);

constexpr const char* kShootEnding = ".glenhaze-shoot.json";

Shoot loadShoot(const std::filesystem::path& path);
void saveShoot(Shoot& shoot, const std::filesystem::path& path);
std::string shootToJson(const Shoot& shoot, const std::filesystem::path& beside);
Shoot parseShoot(const std::string& json_text, const std::filesystem::path& path);

/// Output settings alone, as JSON text, for keeping what new shoots start with. Text that cannot be read
/// gives the built-in settings.
std::string outputToText(const OutputSettings& output);
OutputSettings outputFromText(const std::string& text);

/// A new shoot of all footage in a folder, named after it.
Shoot shootFromFolder(const std::filesystem::path& folder);

}  // namespace glenhaze
