#include "core/run/plan.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <set>

#include "core/base/digest.h"
#include "core/treat/iso.h"
#include "core/treat/name_pattern.h"
#include "core/treat/shoot_change.h"

namespace glenhaze {
namespace fs = std::filesystem;

// Names that a run has given already. Compared without case: on cards and shared disks "A.mp4" and "a.mp4"
// are one file.
class TakenNames {
 public:
  bool has(const fs::path& path) const { return names_.contains(folded(path)); }
  void add(const fs::path& path) { names_.insert(folded(path)); }

 private:
  static std::string folded(const fs::path& path) {
    std::string name = path.native();
    std::transform(name.begin(), name.end(), name.begin(),
                   [](char c) { return c >= 'A' && c <= 'Z' ? static_cast<char>(c + 32) : c; });
    return name;
  }
  std::set<std::string> names_;
};

namespace {

// Names are made unique within the run, so that A/clip.mp4 and B/clip.mp4 both come out, and never lead to
// footage.
std::string ownStem(const ClipInfo& info) {
  std::string stem = info.path.stem().string();
  if (info.kind == ClipKind::Sequence) {
    const size_t mark = stem.find('%');
    stem = stem.substr(0, mark);
    while (!stem.empty() && (stem.back() == '_' || stem.back() == '-' || stem.back() == '.')) stem.pop_back();
    if (stem.empty()) stem = "sequence";
  }
  return stem;
}

// As the pattern of the shoot has it, for clip `index` of `count`.
std::string stemOf(const Shoot& shoot, const ShootClip& clip, const ClipInfo& info, size_t index) {
  if (shoot.output.name.empty()) return ownStem(info);
  NameFacts facts;
  facts.name = ownStem(info);
  const std::string said = answerOf(shoot, clip, info).camera;
  facts.camera = said.empty() ? cameraNameOf(info) : said;
  // "2031-04-05T06:07:08Z" in films, "2031:04:05 06:07:08" in stills.
  constexpr size_t kDate = 10;
  if (info.creation_time.size() >= kDate) facts.date = info.creation_time.substr(0, kDate);
  std::replace(facts.date.begin(), facts.date.end(), ':', '-');
  if (const auto iso = isoOf(shoot, clip, info)) facts.iso = std::to_string(std::lround(iso->iso));
  facts.number = static_cast<int>(index) + 1;
  facts.count = static_cast<int>(shoot.clips.size());
  return nameBy(shoot.output.name, facts);
}

// The name that an output has when no other one has it.
fs::path firstName(const fs::path& folder, const std::string& stem, const std::string& ending,
                   const SourceGuard& guard) {
  fs::path name = (folder / (stem + ending)).lexically_normal();
  return guard.forbids(name) ? (folder / (stem + "-corrected" + ending)).lexically_normal() : name;
}

fs::path outputName(const fs::path& folder, const std::string& stem, const ClipInfo& info,
                    const EncodeSettings& encode, const SourceGuard& guard, TakenNames& taken) {
  const std::string ending = outputEnding(info, encode);
  const auto named = [&](const std::string& more) {
    return (folder / (stem + more + ending)).lexically_normal();
  };
  fs::path name = firstName(folder, stem, ending, guard);
  for (int n = 2; taken.has(name) || guard.forbids(name); ++n) name = named("-" + std::to_string(n));
  taken.add(name);
  return name;
}

// What a decision means for the stages: as far as nothing has to be looked for in the pictures.
void fillJob(ClipPlan& plan, const Shoot& shoot) {
  const Treatment& t = plan.decision.treatment;
  RenderJob& job = plan.job;
  job.clip = plan.info;
  job.correction = correctionOf(t);
  job.encode = encodingOf(shoot.output, plan.info);
  job.fields = t.fields;
  job.damage = t.damage;
  job.range = plan.clip.range ? std::optional(t.range) : std::nullopt;
  if (auto motion = motionRequestOf(t, plan.info, tracksFileOf(shoot, plan.clip.path)))
    plan.motion = std::move(*motion);
  const MissingFacts& missing = plan.decision.missing;
  plan.questions = {missing.iso,
                    missing.light,
                    missing.own_noise,
                    missing.own_lens,
                    t.cleaning && t.cleaning->settings.flicker > 0,
                    t.motion.has_value()};
}

}  // namespace

fs::path tracksFileOf(const Shoot& shoot, const fs::path& clip) {
  if (shoot.path.empty()) return {};
  // Clips of one name in two folders get files of their own.
  constexpr size_t kDigits = 8, kLongest = 200;
  const std::string mark =
      digestOf(clip.lexically_relative(shoot.path.parent_path()).native()).substr(0, kDigits);
  return shoot.path.parent_path() / "motion" /
         (clip.stem().native().substr(0, kLongest) + "-" + mark + ".tracks");
}

ClipPlan planClip(const std::shared_ptr<const PlanBasis>& basis, const ShootClip& clip, ClipFacts facts) {
  ClipPlan plan;
  plan.basis = basis;
  plan.clip = clip;
  plan.info = facts.info;
  plan.facts = std::move(facts);
  plan.decision = decide(basis->shoot, clip, plan.facts, basis->profiles);
  plan.match = plan.decision.match;
  static const std::vector<std::string> kNone;
  const auto& doubts =
      plan.match.profile >= 0 ? basis->doubts[static_cast<size_t>(plan.match.profile)] : kNone;
  const Coverages cells = coveragesOf(basis->shoot, clip, plan.facts, plan.decision, basis->profiles, doubts);
  plan.lens = cells.lens;
  plan.shutter = cells.shutter;
  plan.noise = cells.noise;
  plan.stabilization = cells.stabilization;
  plan.finish = cells.finish;
  if (plan.decision.refusal) {
    plan.refusal = plan.decision.refusal->reason;
    plan.failed = plan.decision.refusal->fault;
  }
  if (plan.info.width > 0) fillJob(plan, basis->shoot);
  return plan;
}

ClipPlan planAgain(const ClipPlan& plan, ClipFacts facts) {
  ClipPlan again = planClip(plan.basis, plan.clip, std::move(facts));
  again.job.place = plan.job.place;
  again.stretches = plan.stretches;
  return again;
}

std::vector<ClipPlan> outputsOf(const ClipPlan& plan) {
  if (plan.stretches.empty()) return {plan};
  std::vector<ClipPlan> all;
  for (const StretchPlace& one : plan.stretches) {
    ShootClip clip = plan.clip;
    clip.range = one.stretch.frames;
    clip.stretches.clear();
    all.push_back(planClip(plan.basis, clip, plan.facts));
    all.back().job.place = plan.job.place;
    all.back().job.place.path = one.path;
  }
  return all;
}

namespace {

std::shared_ptr<const PlanBasis> basisOf(const Shoot& shoot, std::span<const Profile> profiles) {
  const auto basis = std::make_shared<PlanBasis>();
  basis->shoot = withoutClips(shoot);
  basis->profiles.assign(profiles.begin(), profiles.end());
  for (const Profile& profile : profiles) basis->doubts.push_back(checkProfile(profile));
  return basis;
}

// Whether its output has the same name as before, in a shoot of which nothing else has changed.
bool isNamedAs(const Shoot& shoot, const ClipPlan& now, const ClipPlan& before, size_t index) {
  if ((now.info.width > 0) != (before.info.width > 0) || now.clip.stretches != before.clip.stretches)
    return false;
  return now.info.width == 0 ||
         (stemOf(shoot, now.clip, now.info, index) == stemOf(shoot, before.clip, before.info, index) &&
          outputEnding(now.info, encodingOf(shoot.output, now.info)) ==
              outputEnding(before.info, encodingOf(shoot.output, before.info)));
}

std::shared_ptr<const SourceGuard> guardOf(const Shoot& shoot) {
  std::vector<fs::path> footage = shoot.references;
  for (const ShootClip& clip : shoot.clips) footage.push_back(clip.path);
  return std::make_shared<SourceGuard>(footage);
}

}  // namespace

PlanList::PlanList(std::vector<ClipPlan> plans) {
  entries_.reserve(plans.size());
  for (ClipPlan& plan : plans)
    entries_.push_back({std::make_shared<const ClipPlan>(std::move(plan)), nullptr});
}

// By their files' text: what a profile says is in there.
bool PlanList::sameBasis(const Shoot& shoot, std::span<const Profile> profiles) const {
  if (!basis_ || basis_->profiles.size() != profiles.size()) return false;
  for (size_t i = 0; i < profiles.size(); ++i)
    if (profiles[i].path != basis_->profiles[i].path || profiles[i].kept_json.empty() ||
        profiles[i].kept_json != basis_->profiles[i].kept_json)
      return false;
  const Shoot& before = basis_->shoot;
  const AskedParts &a = shoot.output.asked, &b = before.output.asked;
  return a.lens == b.lens && a.shutter == b.shutter && a.noise == b.noise &&
         a.stabilization == b.stabilization && a.finish == b.finish && shoot.name == before.name &&
         shoot.path == before.path && shoot.references == before.references &&
         shoot.answers == before.answers && shoot.iso_pattern == before.iso_pattern &&
         shoot.output.folder == before.output.folder &&
         outputToText(shoot.output) == outputToText(before.output);
}

PlanList::PlanList(const PlanList& before, const Shoot& shoot, const KnownFacts& facts,
                   std::span<const Profile> profiles) {
  const bool same_basis = before.sameBasis(shoot, profiles);
  const size_t count = shoot.clips.size();
  bool same_files = same_basis && before.size() == count;
  for (size_t i = 0; i < count && same_files; ++i)
    same_files = before[i].clip.path.native() == shoot.clips[i].path.native();
  basis_ = same_basis ? before.basis_ : basisOf(shoot, profiles);
  guard_ = same_files && before.guard_ ? before.guard_ : guardOf(shoot);
  entries_.reserve(count);
  std::vector<size_t> anew;
  for (size_t i = 0; i < count; ++i) {
    const ShootClip& clip = shoot.clips[i];
    if (same_files && before.entries_[i].facts == facts[i] && before[i].clip == clip) {
      entries_.push_back(before.entries_[i]);
      continue;
    }
    anew.push_back(i);
    ClipFacts known = facts[i] ? *facts[i] : ClipFacts{};
    known.info.path = clip.path;
    entries_.push_back(
        {std::make_shared<const ClipPlan>(planClip(basis_, clip, std::move(known))), facts[i]});
  }
  if (!same_files || !nameKnown(shoot, before, anew)) nameAll(shoot, same_files ? before : PlanList{});
}

// Where nothing has to be named in turn: what was planned anew keeps its name, or is known only now and has
// one that nobody else has. False, and nothing done, where it is otherwise.
bool PlanList::nameKnown(const Shoot& shoot, const PlanList& before, const std::vector<size_t>& anew) {
  if (!before.taken_) return false;
  const fs::path folder = fs::absolute(shoot.outputFolder());
  std::vector<fs::path> names;  // in the order of `anew`; "": as before
  std::shared_ptr<TakenNames> taken;
  for (const size_t i : anew) {
    const ClipPlan& plan = *entries_[i].plan;
    names.emplace_back();
    if (isNamedAs(shoot, plan, before[i], i)) continue;
    if (before[i].info.width > 0 || !plan.clip.stretches.empty() || !before[i].clip.stretches.empty())
      return false;
    if (!taken) taken = std::make_shared<TakenNames>(*before.taken_);
    names.back() = firstName(folder, stemOf(shoot, plan.clip, plan.info, i),
                             outputEnding(plan.info, encodingOf(shoot.output, plan.info)), *guard_);
    if (taken->has(names.back()) || guard_->forbids(names.back())) return false;
    taken->add(names.back());
  }
  for (size_t k = 0; k < anew.size(); ++k) {
    const size_t i = anew[k];
    const auto plan = std::make_shared<ClipPlan>(*entries_[i].plan);
    plan->job.place = before[i].job.place;
    plan->stretches = before[i].stretches;
    if (!names[k].empty()) {
      plan->job.place.guard = guard_;
      plan->job.place.path = names[k];
    }
    entries_[i].plan = plan;
  }
  taken_ = taken ? std::move(taken) : before.taken_;
  return true;
}

// A plan is made anew for its name only where that is another than before.
void PlanList::nameAll(const Shoot& shoot, const PlanList& before) {
  const auto all = std::make_shared<TakenNames>();
  TakenNames& taken = *all;
  taken_ = all;
  // The shoot without its clips knows its folder no more where it is not saved.
  const fs::path folder = fs::absolute(shoot.outputFolder());
  for (size_t i = 0; i < entries_.size(); ++i) {
    const ClipPlan& plan = *entries_[i].plan;
    if (plan.info.width <= 0) continue;
    const std::string stem = stemOf(shoot, plan.clip, plan.info, i);
    const auto named = [&](const std::string& as) {
      return outputName(folder, as, plan.info, encodingOf(shoot.output, plan.info), *guard_, taken);
    };
    std::vector<StretchPlace> stretches;
    for (size_t k = 0; k < plan.clip.stretches.size(); ++k)
      stretches.push_back({plan.clip.stretches[k], named(stem + "_" + std::to_string(k + 1))});
    const fs::path path = stretches.empty() ? named(stem) : stretches.front().path;
    const bool kept = i < before.size() && before.entries_[i].plan == entries_[i].plan;
    if (kept && plan.job.place.path.native() == path.native() && plan.stretches == stretches) continue;
    const auto anew = std::make_shared<ClipPlan>(plan);
    anew->job.place.guard = guard_;
    anew->job.place.path = path;
    anew->stretches = std::move(stretches);
    entries_[i].plan = anew;
  }
}

std::vector<ClipPlan> planShoot(const Shoot& shoot, std::span<const ClipFacts> facts,
                                std::span<const Profile> profiles) {
  KnownFacts known;
  known.reserve(facts.size());
  for (const ClipFacts& one : facts) known.push_back(std::make_shared<const ClipFacts>(one));
  const PlanList list({}, shoot, known, profiles);
  return {list.begin(), list.end()};
}

std::vector<ClipPlan> planShoot(const Shoot& shoot, std::span<const ClipInfo> infos,
                                std::span<const Profile> profiles) {
  std::vector<ClipFacts> facts(infos.size());
  for (size_t i = 0; i < infos.size(); ++i) facts[i].info = infos[i];
  return planShoot(shoot, facts, profiles);
}

uint64_t estimatedBytes(const ClipPlan& plan) {
  const Treatment& t = plan.decision.treatment;
  const PictureSize size = t.delivered({plan.info.width, plan.info.height});
  int64_t frames = plan.stretches.empty() ? t.range.count() : 0;
  for (const StretchPlace& one : plan.stretches) frames += one.stretch.frames.count();
  const double pixels_in_all = static_cast<double>(size.width) * size.height * static_cast<double>(frames);
  if (t.bit_rate)
    return static_cast<uint64_t>(static_cast<double>(*t.bit_rate) * static_cast<double>(frames) /
                                 std::max(1e-3, plan.info.fps.value()) / 8);
  // Bits per pixel by codec; H.264/H.265 by quality. Typical of detailed footage (our own demo shoot).
  static constexpr std::array<double, 3> k264 = {0.12, 0.28, 0.55};
  double bits = 4;
  if (t.codec == Codec::H264) bits = k264[static_cast<size_t>(t.quality)];
  if (t.codec == Codec::H265) bits = 0.6 * k264[static_cast<size_t>(t.quality)];
  if (t.codec == Codec::Ffv1) bits = 5;
  if (t.codec == Codec::Png || t.codec == Codec::Tiff) bits = 12;
  if (t.codec == Codec::Jpeg) bits = 2;
  return static_cast<uint64_t>(pixels_in_all * bits / 8);
}

}  // namespace glenhaze
