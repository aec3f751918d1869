#include "core/treat/words.h"

#include <algorithm>
#include <cmath>

#include "core/base/json_text.h"
#include "core/base/numbers.h"
#include "core/treat/iso.h"

namespace glenhaze {

namespace {

std::string pixels(double value) { return fixedText(value, 2) + " px"; }

// A lens that no profile has, of a clip that is treated by itself.
void tellOwnLens(const Shoot& shoot, const ShootClip& clip, const std::optional<LensFact>& fact,
                 const Decision& decision, CoverageCell& cell) {
  cell.kind = Coverage::Estimated;
  if (decision.own_lens) {
    cell.figure = "this clip · " + fixedText(fact->lens->fx, 0) + " px";
    cell.reason = "Measured from this clip's own motion: focal length " + focalText(*fact) +
                  (fact->bend_told ? ", and its bend is taken out." : "; no bend that it shows.") +
                  " A lens of the camera, measured once, holds for all its clips.";
    if (fact->bend_told && !(shoot.output.lens_on && clip.lens_on)) cell.kind = Coverage::Off;
    return;
  }
  cell.figure = "assumed";
  cell.reason =
      "Assumed: no bend, 67° across. Good enough to steady by; nothing is straightened. Measure it to "
      "straighten too.";
  if (decision.missing.own_lens)
    cell.reason += " The run looks first whether the clip's own motion tells it.";
  if (fact && !fact->why_not.empty()) cell.reason += " " + fact->why_not;
}

CoverageCell lensCell(const Shoot& shoot, const ShootClip& clip, const ClipFacts& facts,
                      const Decision& decision, std::span<const Profile> profiles,
                      std::span<const std::string> doubts) {
  const ClipInfo& info = facts.info;
  const ProfileMatch& match = decision.match;
  CoverageCell cell;
  cell.reason = match.reason;
  if (!info.readable(damageOf(clip))) {
    cell.reason = info.problems.front().text;
    return cell;
  }
  if (decision.assumed_lens || decision.own_lens) {
    tellOwnLens(shoot, clip, facts.lens, decision, cell);
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

// "ISO 1600 · σ 2.0", "ISO 1250 ≈ 800–1600", "ISO 6400 from 3200".
std::string noiseFigure(double iso, const IsoCurve& found) {
  const auto whole = [](double v) { return std::to_string(std::lround(v)); };
  if (found.kind == IsoKind::Between)
    return isoText(iso) + " ≈ " + whole(found.low) + "–" + whole(found.high);
  if (found.kind == IsoKind::Extended) return isoText(iso) + " from " + whole(found.low);
  return isoText(iso) + " · σ " + fixedText(found.curve.sigmaAt(0, 110), 1);
}

CoverageCell noiseCell(const Shoot& shoot, const ShootClip& clip, const ClipInfo& info, const IsoCurve& found,
                       const Decision& decision) {
  CoverageCell cell;
  cell.reason = found.reason;
  if (!info.readable(damageOf(clip))) {
    cell.reason = info.problems.front().text;
    return cell;
  }
  if (decision.missing.own_noise || (found.kind == IsoKind::Missing && decision.missing.iso)) {
    cell.figure = decision.missing.own_noise ? "by itself" : "ISO by noise";
    cell.kind = Coverage::Estimated;
    return cell;
  }
  if (found.kind == IsoKind::Missing) return cell;
  if (found.kind == IsoKind::OwnClip) {
    cell.figure = "this clip · σ " + fixedText(found.curve.sigmaAt(0, 110), 1);
    cell.kind = shoot.output.noise_on && clip.noise_on ? Coverage::Estimated : Coverage::Off;
    return cell;
  }
  // Nobody but its own noise has said it where isoOf is silent.
  const auto said = isoOf(shoot, clip, info);
  const ClipIso iso = said ? *said : ClipIso{found.curve.iso, ClipIso::From::Noise, isoText(found.curve.iso)};
  cell.figure = noiseFigure(iso.iso, found);
  if (!clip.iso && !info.iso_changes.empty()) {
    const auto [low, high] =
        std::minmax_element(info.iso_changes.begin(), info.iso_changes.end(),
                            [](const auto& a, const auto& b) { return a.second < b.second; });
    cell.figure = isoText(low->second) + "–" + std::to_string(high->second);
    cell.reason += " The ISO changes " + std::to_string(info.iso_changes.size() - 1) +
                   " times within the clip and is followed.";
  }
  if (decision.missing.light)
    cell.reason += " There are curves for several kinds of light: the run picks what fits.";
  if (iso.from == ClipIso::From::Noise) cell.reason = iso.text + " by the clip's own noise. " + cell.reason;
  if (!shoot.output.noise_on || !clip.noise_on)
    cell.kind = Coverage::Off;
  else if (found.kind == IsoKind::Extended || iso.from == ClipIso::From::Noise)
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

std::string milliseconds(double seconds) { return fixedText(seconds * 1000, 1) + " ms"; }

CoverageCell shutterCell(const Shoot& shoot, const ShootClip& clip, const ClipInfo& info,
                         const ProfileMatch& match, std::span<const Profile> profiles) {
  CoverageCell cell;
  cell.reason = info.readable(damageOf(clip)) ? match.reason : info.problems.front().text;
  const Profile* profile = profileOf(match, profiles);
  if (info.readable(damageOf(clip)) && clip.by_itself && (profile == nullptr || !profile->shutter)) {
    cell.figure = "by motion";
    cell.kind = shoot.output.shutter_on && clip.shutter_on ? Coverage::Estimated : Coverage::Off;
    cell.reason = "Measured from the clip's own motion when it is rendered, as far as that tells it.";
    return cell;
  }
  if (!info.readable(damageOf(clip)) || profile == nullptr) return cell;
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

std::string seconds(double s) { return fixedText(s, 1) + " s"; }

CoverageCell steadiedBy(const Shoot& shoot, const ShootClip& clip, const StabilizationSettings& s,
                        Coverage kind) {
  if (s.steadying == Steadying::Off) return {Coverage::Off, "as filmed", "The clip stays as it was filmed."};
  CoverageCell cell;
  const bool still = s.steadying == Steadying::HoldStill;
  cell.figure = still ? "held still" : seconds(s.smoothing_s);
  cell.reason = (still ? "Held still" : "The move is kept and smoothed over " + seconds(s.smoothing_s)) +
                std::string(", crop up to ") + std::to_string(std::lround(s.crop_limit * 100)) + " %.";
  cell.kind = shoot.output.stabilization_on && clip.stabilization_on ? kind : Coverage::Off;
  return cell;
}

CoverageCell stabilizationCell(const Shoot& shoot, const ShootClip& clip, const ClipInfo& info,
                               const ProfileMatch& match, std::span<const Profile> profiles) {
  CoverageCell cell;
  cell.reason = info.readable(damageOf(clip)) ? match.reason : info.problems.front().text;
  const Profile* profile = profileOf(match, profiles);
  if (!info.readable(damageOf(clip))) return cell;
  if (clip.by_itself && (profile == nullptr || !profile->stabilization) && !clip.stabilization)
    return steadiedBy(shoot, clip, StabilizationSettings{}, Coverage::Estimated);
  if (clip.by_itself && clip.stabilization)
    return steadiedBy(shoot, clip, *clip.stabilization, Coverage::ByHand);
  if (profile == nullptr) return cell;
  if (!profile->stabilization && !clip.stabilization) {
    cell.reason = "No stabilization is set for " + profile->camera.name + " yet.";
    return cell;
  }
  const StabilizationSettings s = clip.stabilization ? *clip.stabilization : profile->stabilization->settings;
  cell = steadiedBy(shoot, clip, s, clip.stabilization ? Coverage::ByHand : Coverage::Measured);
  if (!profile->lens && s.steadying != Steadying::Off) {
    cell.kind = Coverage::Doubtful;
    cell.reason += " It needs the lens: measure it first.";
  }
  return cell;
}

// "MTF50 0.31", "crisp 0.5 · colour".
CoverageCell finishCell(const Shoot& shoot, const ShootClip& clip, const ClipInfo& info,
                        const Decision& decision, std::span<const Profile> profiles) {
  CoverageCell cell;
  const Profile* profile = profileOf(decision.match, profiles);
  if (!info.readable(damageOf(clip))) {
    cell.reason = info.problems.front().text;
    return cell;
  }
  const FinishPart* part = profile != nullptr && profile->finish ? &*profile->finish : nullptr;
  if (part == nullptr && !clip.finish && !(clip.by_itself && profile == nullptr)) {
    cell.reason = profile == nullptr ? decision.match.reason
                                     : "Nothing is set for " + profile->camera.name +
                                           " yet: the picture stays as soft or as sharp as it comes.";
    return cell;
  }
  const FinishSettings s = clip.finish ? *clip.finish : part != nullptr ? part->settings : FinishSettings{};
  const bool measured = part != nullptr && part->edges.has_value();
  if (measured) {
    const EdgeSummary& e = part->edges->summary;
    cell.figure = "MTF50 " + fixedText(e.mtf50, 2);
    cell.reason = "Half of the contrast is left at " + fixedText(e.mtf50, 2) + " ± " +
                  fixedText(e.mtf50_sd, 2) + " cycles a pixel; edges overshoot by " +
                  fixedText(100 * e.overshoot, 1) + " ± " + fixedText(100 * e.overshoot_sd, 1) + " %.";
  } else {
    cell.figure = "crisp " + fixedText(s.crisp, 1);
    cell.reason = "Crispness gives back what enlarging takes; how the camera draws edges is not measured.";
  }
  if (s.setsColour()) {
    cell.figure += " · colour";
    cell.reason += " Colour is set.";
  }
  if (!shoot.output.finish_on || !clip.finish_on)
    cell.kind = Coverage::Off;
  else if (clip.finish)
    cell.kind = Coverage::ByHand;
  else if (measured)
    cell.kind = decision.match.kind == MatchKind::Borrowed ? Coverage::Borrowed : Coverage::Measured;
  else
    cell.kind = part != nullptr ? Coverage::ByHand : Coverage::Estimated;
  return cell;
}

}  // namespace

Coverages coveragesOf(const Shoot& shoot, const ShootClip& clip, const ClipFacts& facts,
                      const Decision& decision, std::span<const Profile> profiles,
                      std::span<const std::string> doubts) {
  const ClipInfo& info = facts.info;
  const ProfileMatch& match = decision.match;
  return {lensCell(shoot, clip, facts, decision, profiles, doubts),
          shutterCell(shoot, clip, info, match, profiles),
          noiseCell(shoot, clip, info, noiseCurveFor(shoot, clip, facts, match, profiles), decision),
          stabilizationCell(shoot, clip, info, match, profiles),
          finishCell(shoot, clip, info, decision, profiles)};
}

std::vector<std::string> partsDone(const Treatment& t, const ClipInfo& clip) {
  std::vector<std::string> parts;
  if (t.lens && t.lens_amount > 0)
    parts.push_back(t.lens_amount < 1 ? "lens (" + fixedText(t.lens_amount * 100, 0) + " %)" : "lens");
  if (t.motion && t.motion->own_shutter) parts.emplace_back("shutter (by its own motion)");
  if (t.motion && t.motion->shutter.rolls())
    parts.push_back(t.motion->own_motion ? "shutter (own motion too)" : "shutter");
  if (t.cleaning) {
    const Cleaning& c = *t.cleaning;
    if (c.noise)
      parts.push_back(c.noise->iso > 0 ? "noise (" + isoText(c.noise->iso) +
                                             (c.noise->light.empty() ? "" : ", " + c.noise->light) + ")"
                                       : "noise (the clip's own)");
    if (!c.hot_pixels.empty()) parts.push_back("hot pixels (" + std::to_string(c.hot_pixels.size()) + ")");
    if (c.settings.flicker > 0) parts.push_back("flicker");
    if (c.settings.shadow_colour > 0) parts.push_back("shadow colour");
  }
  if (t.motion && t.motion->settings.steadying != Steadying::Off)
    parts.push_back(t.motion->settings.steadying == Steadying::HoldStill ? "stabilization (held still)"
                                                                         : "stabilization (move kept)");
  if (t.finishing) {
    std::string what;
    const auto add = [&](const char* word) { what += (what.empty() ? "" : ", ") + std::string(word); };
    if (t.finishing->camera.amount > 0) add("calmed");
    if (t.finishing->settings.shimmer > 0) add("fine edges steadied");
    if (t.finishing->settings.crisp > 0) add("crisp");
    if (t.finishing->settings.setsColour()) add("colour");
    parts.push_back("finish (" + what + ")");
  }
  if (PictureSize size = t.delivered({}); size.width > 0) {
    if (clip.rotation % 180 != 0) std::swap(size.width, size.height);
    parts.push_back("size " + std::to_string(size.width) + " × " + std::to_string(size.height));
  }
  if (t.fields == Fields::Deinterlace) parts.push_back("deinterlaced");
  return parts;
}

std::string whatChanged(const std::string& before, const std::string& now) {
  const auto a = parseJsonOrNull(before), b = parseJsonOrNull(now);
  if (!a.is_object() || !b.is_object()) return "";
  std::vector<std::string> parts;
  for (const auto& [key, value] : b.items())
    if (!a.contains(key) || a[key] != value) parts.push_back(key);
  std::string text;
  for (size_t i = 0; i < parts.size(); ++i)
    text += (i == 0 ? "" : i + 1 == parts.size() ? " and " : ", ") + parts[i];
  return text;
}

std::string doneText(const Treatment& treatment, const ClipInfo& clip) {
  const auto parts = partsDone(treatment, clip);
  if (parts.empty()) return "The picture is as it was filmed.";
  std::string text = "Done: ";
  for (size_t i = 0; i < parts.size(); ++i) text += (i > 0 ? ", " : "") + parts[i];
  return text + ".";
}

CorrectionFigures figuresOf(const Treatment& treatment) {
  CorrectionFigures figures;
  if (!treatment.lens) return figures;
  const LensWindow window(*treatment.lens, {treatment.output.width, treatment.output.height,
                                            treatment.lens_amount, treatment.fill});
  const EnlargementMap map = enlargementMap(window, 8, 8);
  const WindowCost cost = windowCost(window, *treatment.lens);
  return {map.corner, map.centre, cost.lost_share, cost.blank_share};
}

}  // namespace glenhaze
