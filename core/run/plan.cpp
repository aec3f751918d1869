#include "core/run/plan.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <cmath>
#include <cstdio>

#include "core/base/error.h"

namespace glenhaze {
namespace fs = std::filesystem;

namespace {

std::string pixels(double value) {
  std::array<char, 32> text{};
  std::snprintf(text.data(), text.size(), "%.2f px", value);
  return text.data();
}

CoverageCell lensCell(const Shoot& shoot, const ShootClip& clip, const ClipInfo& info,
                      const ProfileMatch& match, std::span<const Profile> profiles) {
  CoverageCell cell;
  cell.reason = match.reason;
  if (!info.readable()) {
    cell.reason = info.problems.front().text;
    return cell;
  }
  if (match.kind == MatchKind::None) return cell;
  const Profile& profile = profiles[static_cast<size_t>(match.profile)];
  if (!profile.lens) {
    cell.reason = "The lens of " + profile.camera.name + " is not measured yet.";
    return cell;
  }
  const LensPart& lens = *profile.lens;
  cell.figure = lens.rms_px >= 0 ? pixels(lens.rms_px) : lens.method == "typed" ? "typed" : "by hand";
  const bool off = !shoot.output.lens_on || !clip.lens_on;
  const std::vector<std::string> doubts = checkProfile(profile);
  if (off)
    cell.kind = Coverage::Off;
  else if (match.kind == MatchKind::Borrowed)
    cell.kind = Coverage::Borrowed;
  else if (!doubts.empty())
    cell.kind = Coverage::Doubtful;
  else
    cell.kind = lens.origin == Origin::Measured ? Coverage::Measured : Coverage::ByHand;
  for (const std::string& doubt : doubts) cell.reason += " " + doubt;
  return cell;
}

// Names that a run has given already. Compared without case: on cards and shared disks "A.mp4" and "a.mp4" are one
// file.
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

// Names are made unique within the run, so that A/clip.mp4 and B/clip.mp4 both come out, and never lead to footage.
fs::path outputName(const fs::path& folder, const ClipInfo& info, const EncodeSettings& encode,
                    const SourceGuard& guard, TakenNames& taken) {
  std::string stem = info.path.stem().string();
  if (info.kind == ClipKind::Sequence) {
    const size_t mark = stem.find('%');
    stem = stem.substr(0, mark);
    while (!stem.empty() && (stem.back() == '_' || stem.back() == '-' || stem.back() == '.')) stem.pop_back();
    if (stem.empty()) stem = "sequence";
  }
  const std::string ending = outputEnding(info, encode);
  const auto named = [&](const std::string& more) {
    return (folder / (stem + more + ending)).lexically_normal();
  };
  fs::path name = named("");
  if (guard.forbids(name)) name = named("-corrected");
  for (int n = 2; taken.has(name) || guard.forbids(name); ++n) name = named("-" + std::to_string(n));
  taken.add(name);
  return name;
}

std::string isoText(double iso) { return "ISO " + std::to_string(std::lround(iso)); }

// The light that a clip's curves are of; "" for any.
std::string lightOf(const ShootClip& clip) {
  return clip.light ? *clip.light : clip.iso_estimate ? clip.iso_estimate->light : "";
}

// The curve that a clip gets; Missing with the reason where there is none.
IsoCurve noiseCurveFor(const Shoot& shoot, const ShootClip& clip, const ClipInfo& info,
                       const ProfileMatch& match, std::span<const Profile> profiles) {
  IsoCurve none;
  if (match.kind == MatchKind::None) {
    none.reason = match.reason;
    return none;
  }
  const Profile& profile = profiles[static_cast<size_t>(match.profile)];
  if (!profile.noise || profile.noise->entries.empty()) {
    none.reason = "The noise of " + profile.camera.name + " is not measured yet.";
    return none;
  }
  if (match.kind == MatchKind::Borrowed) {
    none.reason = "The noise was measured in another mode, which processes it differently.";
    return none;
  }
  const auto iso = isoOf(shoot, clip, info);
  if (!iso) {
    none.reason =
        "The clip does not say its ISO. The run tells it by the clip's own noise, unless it is said by hand.";
    return none;
  }
  return curveForIso(profile.noise->curves(), iso->iso, lightOf(clip));
}

// Where the ISO changes within the clip, each with its curve; nothing where one ISO was said by hand.
std::vector<NoiseChange> changesOf(const ShootClip& clip, const ClipInfo& info,
                                   std::span<const NoiseCurve> curves) {
  std::vector<NoiseChange> changes;
  if (clip.iso) return changes;
  for (const auto& [seconds, iso] : info.iso_changes) {
    IsoCurve at = curveForIso(curves, iso, lightOf(clip));
    if (at.kind == IsoKind::Missing) continue;
    changes.push_back({info.indexAtSecond(seconds), std::move(at.curve)});
  }
  return changes;
}

const NoisePart* noisePartOf(const ProfileMatch& match, std::span<const Profile> profiles) {
  if (match.kind == MatchKind::None) return nullptr;
  const auto& part = profiles[static_cast<size_t>(match.profile)].noise;
  return part ? &*part : nullptr;
}

ClipQuestions questionsOf(const Shoot& shoot, const ShootClip& clip, const ClipInfo& info,
                          const ProfileMatch& match, std::span<const Profile> profiles,
                          const DenoiseSettings& settings) {
  ClipQuestions q;
  if (!info.readable() || !shoot.output.noise_on || !clip.noise_on) return q;
  q.flicker = settings.flicker > 0 && info.kind != ClipKind::Still;
  if (match.kind == MatchKind::None || match.kind == MatchKind::Borrowed) return q;
  const Profile& profile = profiles[static_cast<size_t>(match.profile)];
  if (!profile.noise || profile.noise->entries.empty()) return q;
  q.curves = profile.noise->curves();
  const auto iso = isoOf(shoot, clip, info);
  q.iso = !iso;
  q.known_iso = iso ? iso->iso : 0;
  q.light = iso && !clip.light && !clip.iso_estimate && lightsOf(q.curves).size() > 1;
  return q;
}

// "ISO 1600 · σ 2.0", "ISO 1250 ≈ 800–1600", "ISO 6400 from 3200".
std::string noiseFigure(double iso, const IsoCurve& found) {
  const auto whole = [](double v) { return std::to_string(std::lround(v)); };
  if (found.kind == IsoKind::Between)
    return isoText(iso) + " ≈ " + whole(found.low) + "–" + whole(found.high);
  if (found.kind == IsoKind::Extended) return isoText(iso) + " from " + whole(found.low);
  char sigma[32];
  std::snprintf(sigma, sizeof sigma, " · σ %.1f", found.curve.sigmaAt(0, 110));
  return isoText(iso) + sigma;
}

CoverageCell noiseCell(const Shoot& shoot, const ShootClip& clip, const ClipInfo& info, const IsoCurve& found,
                       const ClipQuestions& questions) {
  CoverageCell cell;
  cell.reason = found.reason;
  if (!info.readable()) {
    cell.reason = info.problems.front().text;
    return cell;
  }
  if (found.kind == IsoKind::Missing && questions.iso) {
    cell.figure = "ISO by noise";
    cell.kind = Coverage::Estimated;
    return cell;
  }
  if (found.kind == IsoKind::Missing) return cell;
  const auto iso = isoOf(shoot, clip, info);
  cell.figure = noiseFigure(iso->iso, found);
  if (!clip.iso && !info.iso_changes.empty()) {
    const auto [low, high] =
        std::minmax_element(info.iso_changes.begin(), info.iso_changes.end(),
                            [](const auto& a, const auto& b) { return a.second < b.second; });
    cell.figure = isoText(low->second) + "–" + std::to_string(high->second);
    cell.reason += " The ISO changes " + std::to_string(info.iso_changes.size() - 1) +
                   " times within the clip and is followed.";
  }
  if (questions.light)
    cell.reason += " There are curves for several kinds of light: the run picks what fits.";
  if (iso->from == ClipIso::From::Noise) cell.reason = iso->text + " by the clip's own noise. " + cell.reason;
  if (!shoot.output.noise_on || !clip.noise_on)
    cell.kind = Coverage::Off;
  else if (found.kind == IsoKind::Extended || iso->from == ClipIso::From::Noise)
    cell.kind = Coverage::Estimated;
  else if (found.kind == IsoKind::Between && found.gap_stops > 1 + 1e-6)
    cell.kind = Coverage::Doubtful;
  else
    cell.kind = Coverage::Measured;
  if (found.kind == IsoKind::Between && found.gap_stops > 1 + 1e-6)
    cell.reason += " They are more than a stop apart: measure one between.";
  if (found.kind == IsoKind::Extended && found.gap_stops > 1 + 1e-6)
    cell.reason += " It is more than a stop away.";
  return cell;
}

const Profile* profileOf(const ProfileMatch& match, std::span<const Profile> profiles) {
  return match.kind == MatchKind::None ? nullptr : &profiles[static_cast<size_t>(match.profile)];
}

std::string milliseconds(double seconds) {
  std::array<char, 32> text{};
  std::snprintf(text.data(), text.size(), "%.1f ms", seconds * 1000);
  return text.data();
}

CoverageCell shutterCell(const Shoot& shoot, const ShootClip& clip, const ClipInfo& info,
                         const ProfileMatch& match, std::span<const Profile> profiles) {
  CoverageCell cell;
  cell.reason = info.readable() ? match.reason : info.problems.front().text;
  const Profile* profile = profileOf(match, profiles);
  if (!info.readable() || profile == nullptr) return cell;
  if (!profile->shutter) {
    cell.reason = "The shutter of " + profile->camera.name + " is not measured yet.";
    return cell;
  }
  const ShutterPart& part = *profile->shutter;
  const double interval = info.fps.value() > 0 ? 1 / info.fps.value() : 0;
  cell.figure = part.shutter.readout_s > 0 ? milliseconds(part.shutter.readout_s) : "global";
  cell.reason = "Read " + std::string(part.shutter.readout_s > 0 ? "in " + cell.figure : "all at once");
  if (interval > 0 && part.shutter.readout_s > 0)
    cell.reason += ", " + std::to_string(std::lround(part.shutter.readout_s / interval * 100)) +
                   " % of the frame interval, " + scanDirectionName(part.shutter.direction);
  cell.reason += ".";
  const std::vector<std::string> doubts = plausibilityOf(part.shutter, interval);
  for (const std::string& doubt : doubts) cell.reason += " " + doubt;
  const bool unknown = part.shutter.readout_s > 0 && part.shutter.direction == ScanDirection::Unknown;
  const bool blind = !match.lens && part.shutter.rolls();
  if (blind) cell.reason += " Rows can be put right only with the lens: measure it first.";
  if (unknown) cell.reason += " Its direction is not known: say it, or nothing is corrected.";
  if (!shoot.output.shutter_on || !clip.shutter_on)
    cell.kind = Coverage::Off;
  else if (match.kind == MatchKind::Borrowed)
    cell.kind = Coverage::Borrowed;
  else if (unknown || blind || (interval > 0 && part.shutter.readout_s > 1.02 * interval))
    cell.kind = Coverage::Doubtful;
  else
    cell.kind = part.origin == Origin::Measured ? Coverage::Measured : Coverage::ByHand;
  return cell;
}

std::string seconds(double s) {
  std::array<char, 32> text{};
  std::snprintf(text.data(), text.size(), "%.1f s", s);
  return text.data();
}

CoverageCell stabilizationCell(const Shoot& shoot, const ShootClip& clip, const ClipInfo& info,
                               const ProfileMatch& match, std::span<const Profile> profiles) {
  CoverageCell cell;
  cell.reason = info.readable() ? match.reason : info.problems.front().text;
  const Profile* profile = profileOf(match, profiles);
  if (!info.readable() || profile == nullptr) return cell;
  if (!profile->stabilization && !clip.stabilization) {
    cell.reason = "No stabilization is set for " + profile->camera.name + " yet.";
    return cell;
  }
  const StabilizationSettings s = clip.stabilization ? *clip.stabilization : profile->stabilization->settings;
  if (s.steadying == Steadying::Off) {
    cell.kind = Coverage::Off;
    cell.figure = "as filmed";
    cell.reason = "The clip stays as it was filmed.";
    return cell;
  }
  const bool still = s.steadying == Steadying::HoldStill;
  cell.figure = still ? "held still" : seconds(s.smoothing_s);
  cell.reason = (still ? "Held still" : "The move is kept and smoothed over " + seconds(s.smoothing_s)) +
                std::string(", crop up to ") + std::to_string(std::lround(s.crop_limit * 100)) + " %.";
  if (!profile->lens) {
    cell.kind = Coverage::Doubtful;
    cell.reason += " It needs the lens: measure it first.";
    return cell;
  }
  if (!shoot.output.stabilization_on || !clip.stabilization_on)
    cell.kind = Coverage::Off;
  else
    cell.kind = clip.stabilization ? Coverage::ByHand : Coverage::Measured;
  return cell;
}

std::string refusalOf(const ShootClip& clip, const ClipInfo& info, const ProfileMatch& match,
                      const Shoot& shoot, const CoverageCell& noise, bool& failed) {
  if (!info.readable()) {
    failed = true;
    for (const ClipProblem& p : info.problems)
      if (p.fatal) return p.text;
  }
  if (!clip.render) return "Left out by hand.";
  const bool wants_lens = shoot.output.lens_on && clip.lens_on;
  if (wants_lens && match.kind == MatchKind::None) return match.reason;
  // Noise may be missing beside a lens; not where it is all that the whole shoot asks for.
  if (!shoot.output.lens_on && shoot.output.noise_on && clip.noise_on && noise.kind == Coverage::Missing)
    return noise.reason;
  if (wants_lens && !match.lens) return "The profile has no lens yet. Measure it, or switch the lens off.";
  if (info.interlaced && !clip.deinterlace && wants_lens)
    return "The clip is interlaced. Switch on deinterlacing for it: a lens correction would tear its fields.";
  return "";
}

}  // namespace

fs::path tracksFileOf(const Shoot& shoot, const fs::path& clip) {
  if (shoot.path.empty()) return {};
  // Clips of one name in two folders get files of their own.
  std::array<char, 32> mark{};
  std::snprintf(
      mark.data(), mark.size(), "-%08zx.tracks",
      std::hash<std::string>{}(clip.lexically_relative(shoot.path.parent_path()).string()) & 0xffffffffU);
  return shoot.path.parent_path() / "motion" / (clip.stem().string() + mark.data());
}

std::optional<MotionRequest> motionRequestOf(const Shoot& shoot, const ShootClip& clip, const ClipInfo& info,
                                             const ProfileMatch& match, std::span<const Profile> profiles,
                                             const std::optional<StabilizationSettings>& under) {
  const Profile* profile = profileOf(match, profiles);
  if (profile == nullptr || !match.lens || info.kind == ClipKind::Still || info.frames < 2)
    return std::nullopt;
  MotionRequest r;
  if (shoot.output.shutter_on && clip.shutter_on && profile->shutter) {
    r.shutter = profile->shutter->shutter;
    r.shutter.direction = turnedClockwise(r.shutter.direction, clip.turned);
    if (!r.shutter.rolls()) r.shutter.readout_s = 0;
  }
  r.settings.steadying = Steadying::Off;
  if (shoot.output.stabilization_on && clip.stabilization_on) {
    if (profile->stabilization) r.settings = profile->stabilization->settings;
    if (clip.stabilization) r.settings = *clip.stabilization;
  }
  if (under) r.settings = *under;
  if (r.settings.steadying == Steadying::Off && !r.shutter.rolls()) return std::nullopt;
  if (profile->stabilization) r.masks = profile->stabilization->masks;
  r.masks.insert(r.masks.end(), clip.masks.begin(), clip.masks.end());
  r.hand = clip.hand;
  r.log = clip.motion_log;
  r.clip = info;
  r.fields = clip.deinterlace ? Fields::Deinterlace : Fields::Keep;
  r.lens = *match.lens;
  r.range = clip.range;
  if (r.range) r.range->last = std::min(r.range->last, info.frames);
  r.tracks_file = tracksFileOf(shoot, clip.path);
  const bool straight = shoot.output.lens_on && clip.lens_on;
  r.window = {shoot.output.size.width, shoot.output.size.height,
              straight ? clip.lens_amount.value_or(shoot.output.lens_amount) : 0,
              clip.fill.value_or(shoot.output.fill)};
  return r;
}

ProfileMatch matchClip(const Shoot& shoot, const ShootClip& clip, const ClipInfo& info,
                       std::span<const Profile> profiles) {
  if (!clip.assigned_profile.empty()) {
    for (size_t i = 0; i < profiles.size(); ++i)
      if (profiles[i].path.filename() == clip.assigned_profile)
        return assignProfile(info, profiles[i], static_cast<int>(i));
    ProfileMatch missing;
    missing.reason = "The assigned profile " + clip.assigned_profile + " is not there any more.";
    return missing;
  }
  return matchProfile(info, answerOf(shoot, clip, info), profiles);
}

namespace {

char foldedCase(char c) { return c >= 'A' && c <= 'Z' ? static_cast<char>(c + 32) : c; }
bool isDigit(char c) { return c >= '0' && c <= '9'; }

// The number that '#' stands for in the first place of `name` where the pattern fits; '*' takes as little as it
// can. Time grows with the product of the lengths: each (pattern, name) pair of places is tried once.
class PatternSearch {
 public:
  PatternSearch(const std::string& pattern, const std::string& name)
      : pattern_(pattern), name_(name), failed_((pattern.size() + 1) * (name.size() + 1)) {}

  std::optional<std::string> number() {
    for (size_t start = 0; start <= name_.size(); ++start)
      if (fits(start)) return number_;
    return std::nullopt;
  }

 private:
  // Walks with a stack of its own: patterns may be long.
  bool fits(size_t start) {
    struct Place {
      size_t p, n;
      std::optional<std::string> number;
    };
    std::vector<Place> open{{0, start, std::nullopt}};
    while (!open.empty()) {
      Place at = std::move(open.back());
      open.pop_back();
      if (at.p == pattern_.size()) {
        number_ = at.number;
        return true;
      }
      const size_t key = at.p * (name_.size() + 1) + at.n;
      // Whether the rest fits does not depend on the number found before.
      if (failed_[key]) continue;
      failed_[key] = true;
      const char c = pattern_[at.p];
      if (c == '*') {
        if (at.n < name_.size()) open.push_back({at.p, at.n + 1, at.number});
        open.push_back({at.p + 1, at.n, at.number});
      } else if (c == '#') {
        size_t end = at.n, p = at.p;
        while (end < name_.size() && isDigit(name_[end])) ++end;
        while (p < pattern_.size() && pattern_[p] == '#') ++p;
        if (end == at.n) continue;
        // A number is taken whole, and only the first one counts.
        open.push_back({p, end, at.number ? at.number : name_.substr(at.n, end - at.n)});
      } else if (at.n < name_.size() && foldedCase(name_[at.n]) == foldedCase(c)) {
        open.push_back({at.p + 1, at.n + 1, std::move(at.number)});
      }
    }
    return false;
  }

  const std::string& pattern_;
  const std::string& name_;
  std::vector<bool> failed_;
  std::optional<std::string> number_;
};

}  // namespace

std::optional<int> isoFromName(const fs::path& path, const std::string& pattern) {
  constexpr size_t kLongestPattern = 256;
  if (pattern.find('#') == std::string::npos || pattern.size() > kLongestPattern) return std::nullopt;
  for (fs::path at = path; !at.empty() && at != at.root_path(); at = at.parent_path()) {
    const std::string name = at == path ? at.stem().string() : at.filename().string();
    const auto number = PatternSearch(pattern, name).number();
    if (number && number->size() < 8)
      if (const int iso = std::stoi(*number); iso > 0) return iso;
  }
  return std::nullopt;
}

std::optional<ClipIso> isoOf(const Shoot& shoot, const ShootClip& clip, const ClipInfo& info) {
  if (clip.iso) return ClipIso{*clip.iso, ClipIso::From::Hand, isoText(*clip.iso)};
  if (info.iso) return ClipIso{static_cast<double>(*info.iso), ClipIso::From::File, isoText(*info.iso)};
  if (const auto named = isoFromName(clip.path, shoot.iso_pattern))
    return ClipIso{static_cast<double>(*named), ClipIso::From::Name, isoText(*named)};
  if (clip.iso_estimate)
    return ClipIso{clip.iso_estimate->iso, ClipIso::From::Noise,
                   "ISO ≈ " + std::to_string(std::lround(clip.iso_estimate->iso)) + " (" +
                       std::to_string(std::lround(clip.iso_estimate->low)) + " to " +
                       std::to_string(std::lround(clip.iso_estimate->high)) + ")"};
  return std::nullopt;
}

Correction correctionFor(const Shoot& shoot, const ShootClip& clip, const ClipInfo&,
                         const ProfileMatch& match) {
  Correction correction;
  if (shoot.output.lens_on && clip.lens_on) correction.lens = match.lens;
  correction.lens_amount = clip.lens_amount.value_or(shoot.output.lens_amount);
  correction.fill = clip.fill.value_or(shoot.output.fill);
  correction.output = shoot.output.size;
  correction.shutter_local = clip.shutter_local && shoot.output.shutter_on && clip.shutter_on;
  return correction;
}

std::vector<ClipPlan> planShoot(const Shoot& shoot, std::span<const ClipInfo> infos,
                                std::span<const Profile> profiles) {
  std::vector<ClipPlan> plans;
  TakenNames taken;
  std::vector<fs::path> footage = shoot.references;
  for (const ShootClip& clip : shoot.clips) footage.push_back(clip.path);
  const auto guard = std::make_shared<SourceGuard>(footage);
  for (size_t i = 0; i < shoot.clips.size(); ++i) {
    ClipPlan plan;
    plan.clip = shoot.clips[i];
    plan.info = infos[i];
    plan.match = matchClip(shoot, plan.clip, plan.info, profiles);
    plan.lens = lensCell(shoot, plan.clip, plan.info, plan.match, profiles);
    plan.shutter = shutterCell(shoot, plan.clip, plan.info, plan.match, profiles);
    plan.stabilization = stabilizationCell(shoot, plan.clip, plan.info, plan.match, profiles);
    const IsoCurve curve = noiseCurveFor(shoot, plan.clip, plan.info, plan.match, profiles);
    const NoisePart* part = noisePartOf(plan.match, profiles);
    const DenoiseSettings settings =
        plan.clip.denoise.value_or(part != nullptr ? part->denoise : DenoiseSettings{});
    plan.questions = questionsOf(shoot, plan.clip, plan.info, plan.match, profiles, settings);
    plan.noise = noiseCell(shoot, plan.clip, plan.info, curve, plan.questions);
    plan.refusal = refusalOf(plan.clip, plan.info, plan.match, shoot, plan.noise, plan.failed);
    if (plan.info.width > 0) {
      RenderJob& job = plan.job;
      job.clip = plan.info;
      job.correction = correctionFor(shoot, plan.clip, plan.info, plan.match);
      if (shoot.output.noise_on && plan.clip.noise_on) {
        job.correction.denoise = settings;
        if (part != nullptr && plan.match.kind != MatchKind::Borrowed)
          job.correction.hot_pixels = part->hot_pixels;
        if (curve.kind != IsoKind::Missing) {
          job.correction.noise = curve.curve;
          job.correction.noise_changes = changesOf(plan.clip, plan.info, part->curves());
        }
      }
      if (auto motion = motionRequestOf(shoot, plan.clip, plan.info, plan.match, profiles, std::nullopt)) {
        Correction& c = job.correction;
        if (!c.lens) {
          // The lens is off, but turning the camera needs to know it.
          c.lens = plan.match.lens;
          c.lens_amount = 0;
        }
        plan.motion = std::move(*motion);
        plan.questions.motion = true;
      }
      job.encode = shoot.output.encode;
      job.fields = plan.clip.deinterlace ? Fields::Deinterlace : Fields::Keep;
      job.range = plan.clip.range;
      if (job.range) job.range->last = std::min(job.range->last, plan.info.frames);
      job.place.guard = guard;
      job.place.path = outputName(fs::absolute(shoot.outputFolder()), plan.info, job.encode, *guard, taken);
    }
    plans.push_back(std::move(plan));
  }
  return plans;
}

CorrectionFigures figuresOf(const Correction& correction) {
  CorrectionFigures figures;
  if (!correction.lens) return figures;
  const LensWindow window(*correction.lens, {correction.output.width, correction.output.height,
                                             correction.lens_amount, correction.fill});
  const EnlargementMap map = enlargementMap(window, 8, 8);
  const WindowCost cost = windowCost(window, *correction.lens);
  return {map.corner, map.centre, cost.lost_share, cost.blank_share};
}

uint64_t estimatedBytes(const ClipPlan& plan) {
  const PictureSize size = plan.job.correction.output.width > 0
                               ? plan.job.correction.output
                               : PictureSize{plan.info.width, plan.info.height};
  const double pixels_in_all =
      static_cast<double>(size.width) * size.height *
      static_cast<double>(plan.job.range ? plan.job.range->count() : plan.info.frames);
  const EncodeSettings& encode = plan.job.encode;
  if (encode.bit_rate)
    return static_cast<uint64_t>(static_cast<double>(*encode.bit_rate) * plan.info.duration_s / 8);
  // Bits per pixel by codec; H.264/H.265 by quality. Typical of detailed footage (our own demo shoot).
  static constexpr std::array<double, 3> k264 = {0.12, 0.28, 0.55};
  double bits = 4;
  if (encode.codec == Codec::H264) bits = k264[static_cast<size_t>(encode.quality)];
  if (encode.codec == Codec::H265) bits = 0.6 * k264[static_cast<size_t>(encode.quality)];
  if (encode.codec == Codec::Ffv1) bits = 5;
  if (encode.codec == Codec::Png || encode.codec == Codec::Tiff) bits = 12;
  if (encode.codec == Codec::Jpeg) bits = 2;
  return static_cast<uint64_t>(pixels_in_all * bits / 8);
}

}  // namespace glenhaze
