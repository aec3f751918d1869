#pragma once
// What becomes of one clip, as one plain value: everything that its rendered picture and sound depend on, and
// nothing else. Window, console and runs make the same one (see decide.h), the chain of stages is built from
// it alone (see core/pipeline/chain.h), and its fingerprint says whether an output is up to date.

#include <optional>
#include <string>
#include <vector>

#include "core/clip/file_id.h"
#include "core/finish/hot_pixels.h"
#include "core/finish/settings.h"
#include "core/lens/model.h"
#include "core/media/reader.h"
#include "core/media/writer.h"
#include "core/motion/hand.h"
#include "core/motion/stabilize.h"
#include "core/motion/tracks.h"
#include "core/noise/denoise.h"
#include "core/shutter/shutter.h"

namespace glenhaze {

/// Raised whenever a stage's output changes for the same Treatment: outputs made before are out of date then.
///   2: frames at the in and out points are cleaned with the help of those outside.
///   7: places without structure follow the picture's motion when noise is removed; readouts by the
///      clip's own motion know how it was coded.
constexpr int kAlgorithmVersion = 12;

/// Before anything moves.
struct Cleaning {
  std::optional<NoiseCurve> noise;   ///< of the clip's ISO; empty: noise stays
  std::vector<NoiseChange> changes;  ///< where the ISO changes within the clip, by frame
  DenoiseSettings settings;          ///< also of flicker and shadow colour
  std::vector<HotPixel> hot_pixels;
  bool operator==(const Cleaning&) const = default;
};

/// Shutter and stabilization.
struct MotionTreatment {
  Shutter shutter;           ///< in the picture as stored; 0 readout: not corrected
  bool own_shutter = false;  ///< the readout is measured from the clip's own motion
  bool own_motion = false;   ///< also what moves on its own while the rows are read
  StabilizationSettings settings;
  std::vector<MotionMask> masks;
  std::vector<HandKey> hand;  ///< mends the measured path
  std::filesystem::path log;  ///< a motion log; empty: none
  FileId log_id;              ///< its content; of no file where there is none
  bool operator==(const MotionTreatment&) const = default;
};

/// After everything has moved.
struct Finishing {
  FinishSettings settings;
  Sharpening camera;  ///< its own, measured, in px of the clip as stored; amount 0: none
  FileId lut_id;      ///< the look's content; of no file where there is none
  bool operator==(const Finishing&) const = default;
};

struct Treatment {
  std::optional<Cleaning> cleaning;
  std::optional<Lens> lens;               ///< for the clip's own picture size
  double lens_amount = 0;                 ///< 0..1; 0 where only the motion needs the lens
  double fill = 1;                        ///< 0: whole picture, 1: filled frame; 1 where nothing moves
  PictureSize output;                     ///< 0 × 0: the clip's own
  Canvas canvas;                          ///< what of it is delivered; none: all
  std::optional<MotionTreatment> motion;  ///< needs the lens
  std::optional<Finishing> finishing;
  Fields fields = Fields::Keep;
  Damage damage = Damage::PassOver;  ///< PassOver: a damaged clip fails
  FrameRange range;
  Codec codec = Codec::H264;
  Quality quality = Quality::Standard;
  std::optional<int64_t> bit_rate;
  Sound sound = Sound::Keep;
  bool graphics = false;  ///< encoded by a graphics card where there is one

  bool operator==(const Treatment&) const = default;
  /// Whether the picture is changed in any way but by its encoding.
  bool changesPicture() const {
    return cleaning || lens_amount > 0 || motion || finishing || output.width > 0 || canvas.size.width > 0;
  }
  /// Of what is delivered, for a clip of this size.
  PictureSize delivered(PictureSize clip) const {
    return canvas.size.width > 0 ? canvas.size : output.width > 0 ? output : clip;
  }
};

/// The one JSON form, with every field in it; and back. fromJson throws std::exception for a text that is
/// none.
std::string treatmentToJson(const Treatment& treatment);
Treatment treatmentFromJson(const std::string& text);

/// A few digits for each part that an output depends on, as one JSON object: kept with the output, to tell
/// later what has changed since (see whatChanged).
std::string partDigests(const Treatment& treatment, const FileId& clip);

/// 64 hexadecimal digits of what the output of this clip under this Treatment depends on.
std::string fingerprintOf(const Treatment& treatment, const FileId& clip);

}  // namespace glenhaze
