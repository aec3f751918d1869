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
  bool operator==(const StretchPlace&) const = default;
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

/// What is known of the clips of a shoot; null where nothing is yet.
using KnownFacts = std::vector<std::shared_ptr<const ClipFacts>>;

class TakenNames;

/// The plans of a shoot in the order of its clips. Copies share them.
class PlanList {
 public:
  PlanList() = default;
  PlanList(std::vector<ClipPlan> plans);  // NOLINT(google-explicit-constructor): the same, shared
  /// Of a shoot, with `facts` in the order of its clips. What nothing has changed for since `before` is taken
  /// from there, so that one change in a large shoot costs little.
  PlanList(const PlanList& before, const Shoot& shoot, const KnownFacts& facts,
           std::span<const Profile> profiles);

  size_t size() const { return entries_.size(); }
  bool empty() const { return entries_.empty(); }
  const ClipPlan& operator[](size_t i) const { return *entries_[i].plan; }
  const ClipPlan& front() const { return *entries_.front().plan; }
  const std::shared_ptr<const ClipPlan>& share(size_t i) const { return entries_[i].plan; }

  class Iterator {
   public:
    using difference_type = std::ptrdiff_t;
    using value_type = ClipPlan;
    Iterator() = default;
    const ClipPlan& operator*() const { return *list_->entries_[at_].plan; }
    const ClipPlan* operator->() const { return &**this; }
    Iterator& operator++() { return ++at_, *this; }
    Iterator operator++(int) { return {list_, at_++}; }
    bool operator==(const Iterator&) const = default;

   private:
    friend class PlanList;
    Iterator(const PlanList* list, size_t at) : list_(list), at_(at) {}
    const PlanList* list_ = nullptr;
    size_t at_ = 0;
  };
  Iterator begin() const { return {this, 0}; }
  Iterator end() const { return {this, size()}; }

 private:
  struct Entry {
    std::shared_ptr<const ClipPlan> plan;
    std::shared_ptr<const ClipFacts> facts;  // as they were given; null: none
  };
  bool sameBasis(const Shoot& shoot, std::span<const Profile> profiles) const;
  void nameAll(const Shoot& shoot, const PlanList& before);
  bool nameKnown(const Shoot& shoot, const PlanList& before, const std::vector<size_t>& anew);
  std::vector<Entry> entries_;
  std::shared_ptr<const PlanBasis> basis_;
  std::shared_ptr<const SourceGuard> guard_;
  std::shared_ptr<const TakenNames> taken_;
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
