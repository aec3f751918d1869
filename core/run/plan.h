#pragma once
// What a run would do to each clip of a shoot: the decision of each, its words, and names for the outputs.

#include <filesystem>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "core/pipeline/chain.h"
#include "core/pipeline/render.h"
#include "core/treat/decide.h"
#include "core/treat/shoot.h"
#include "core/treat/words.h"

namespace glenhaze {

/// What all clips of a shoot are decided from; shared by their plans.
struct PlanBasis {
  Shoot shoot;  ///< without its clips
  std::vector<Profile> profiles;
  std::vector<std::vector<std::string>> doubts;  ///< checkProfile of each
};

/// What only the footage itself can say before a clip is rendered (see ask.h).
struct ClipQuestions {
  bool iso = false;        ///< nothing says it
  bool light = false;      ///< the ISO is known, but there are curves for several kinds of light
  bool own_noise = false;  ///< no profile has a curve
  bool own_lens = false;   ///< no profile has one, and motion needs it
  bool flicker = false;    ///< it is to be evened out, and is not measured yet
  bool motion = false;     ///< the camera's path is needed
  bool any() const { return iso || light || own_noise || own_lens || flicker || motion; }
};

/// An output of a clip of which stretches are kept.
struct StretchPlace {
  Stretch stretch;
  std::filesystem::path path;
};

struct ClipPlan {
  std::shared_ptr<const PlanBasis> basis;
  ClipInfo info;
  ShootClip clip;
  ClipFacts facts;
  Decision decision;
  ProfileMatch match;
  CoverageCell lens;
  CoverageCell shutter;
  CoverageCell noise;
  CoverageCell stabilization;
  CoverageCell finish;
  MotionRequest motion;  ///< meaningful when questions.motion
  std::optional<MotionRequest> motionWanted() const {
    return questions.motion ? std::optional(motion) : std::nullopt;
  }
  RenderJob job;  ///< as far as it is known without looking at the pictures
  ClipQuestions questions;
  std::vector<StretchPlace> stretches;  ///< where several are kept: what is rendered in place of `job`
  std::string refusal;                  ///< why the clip will not be rendered, "" when it will
  bool failed = false;                  ///< the refusal is a fault of the file, not a choice
};

/// Plans all clips of a shoot. `facts` of shoot.clips, in the same order.
std::vector<ClipPlan> planShoot(const Shoot& shoot, std::span<const ClipFacts> facts,
                                std::span<const Profile> profiles);
/// With nothing known but what the files say.
std::vector<ClipPlan> planShoot(const Shoot& shoot, std::span<const ClipInfo> infos,
                                std::span<const Profile> profiles);

/// One clip, without a name for its output.
ClipPlan planClip(const std::shared_ptr<const PlanBasis>& basis, const ShootClip& clip, ClipFacts facts);
/// The same clip with more known of it; its output keeps its name.
ClipPlan planAgain(const ClipPlan& plan, ClipFacts facts);

/// One plan for each output: the clip's own, or one for each stretch of it.
std::vector<ClipPlan> outputsOf(const ClipPlan& plan);

/// Where the tracks of a clip are kept: in "motion" beside the shoot; empty for a shoot that is not saved.
std::filesystem::path tracksFileOf(const Shoot& shoot, const std::filesystem::path& clip);

/// Bytes that rendering will need, roughly: from codec, size, length and quality.
uint64_t estimatedBytes(const ClipPlan& plan);

}  // namespace glenhaze
