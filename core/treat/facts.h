#pragma once
// What is known of a clip when it is decided what becomes of it: what its file says, and what was found out
// by looking at its pictures.

#include <map>
#include <optional>
#include <string>

#include "core/clip/fact_store.h"
#include "core/clip/file_id.h"
#include "core/lens/model.h"
#include "core/media/clip_info.h"
#include "core/noise/iso_table.h"

namespace glenhaze {

/// What a clip's own noise says, held against a camera's curves.
struct NoiseFact {
  std::optional<IsoEstimate> iso;  ///< asked where nothing says it
  std::optional<LightPick> light;  ///< asked where the ISO is known and there are several kinds of light
  std::optional<NoiseCurve> own;   ///< asked where no profile has a curve for the clip
  std::string why_not;             ///< a sentence where it cannot be told; then it is not asked again
};

/// What a clip's own motion says of its lens, asked where no profile has one.
struct LensFact {
  std::optional<Lens> lens;
  double focal_uncertainty = 0;  ///< standard deviation, as a share of the focal length
  bool bend_told = false;        ///< otherwise the lens is taken for straight
  std::string why_not;           ///< a sentence where it cannot be told
};

/// "777 ± 4 px" of a lens that is told.
std::string focalText(const LensFact& fact);

struct ClipFacts {
  ClipInfo info;
  FileId id;
  std::map<std::string, NoiseFact> noise;  ///< by what it depends on, see noiseQuestionOf
  std::optional<LensFact> lens;
};

/// Under which the noise that a clip has by itself is kept; raised when it is measured otherwise.
constexpr const char* kOwnNoise = "own 2";

/// What a clip's own noise was measured to be; empty where it was not.
std::optional<NoiseCurve> ownNoiseOf(const ClipFacts& facts);

/// The same of its own lens.
constexpr const char* kOwnLens = "own 1";

/// What the answer of a clip's noise depends on besides the clip.
std::string noiseQuestionOf(std::span<const NoiseCurve> curves, double known_iso);

/// What a store knows of a clip, into its facts; and one fact into the store. Never throw: a store that fails
/// costs another look at the clip.
void recall(FactStore& store, ClipFacts& facts);
void remember(FactStore& store, const ClipFacts& facts, const std::string& question);
void rememberLens(FactStore& store, const ClipFacts& facts);

}  // namespace glenhaze
