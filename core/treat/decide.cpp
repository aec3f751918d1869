#include "core/treat/decide.h"
#include "core/lens/usual.h"

#include <algorithm>
#include <cmath>

#include "core/treat/iso.h"

namespace glenhaze {

namespace {

// Everything that the steps below look at, so that none of them needs six arguments.
struct Case {
  const Shoot& shoot;
  const ShootClip& clip;
  const ClipFacts& facts;
  const Profile* profile;
  const ProfileMatch& match;
  const ClipInfo& info() const { return facts.info; }
  const OutputSettings& output() const { return shoot.output; }
  bool wantsLens() const { return output().lens_on && clip.lens_on; }
  bool wantsShutter() const { return output().shutter_on && clip.shutter_on; }
  bool wantsNoise() const { return output().noise_on && clip.noise_on; }
  /// What the clip itself has told of its lens; null where a profile says it or nobody looked yet.
  const LensFact* ownLens() const {
    return clip.by_itself && !match.lens && facts.lens ? &*facts.lens : nullptr;
  }
  /// A bend is taken out only by a lens that is known; the motion can do with one that is assumed.
  std::optional<Lens> knownLens() const {
    const LensFact* own = ownLens();
    return own != nullptr && own->bend_told ? own->lens : match.lens;
  }
  bool assumesLens() const {
    const LensFact* own = ownLens();
    return clip.by_itself && !match.lens && !(own != nullptr && own->lens) && info().width > 0 &&
           info().height > 0;
  }
  std::optional<Lens> motionLens() const {
    if (assumesLens()) return assumedLens(info().width, info().height);
    return ownLens() != nullptr ? ownLens()->lens : match.lens;
  }
  bool wantsStabilization() const { return output().stabilization_on && clip.stabilization_on; }
  bool wantsFinish() const { return output().finish_on && clip.finish_on; }
};

const NoisePart* noisePartOf(const Case& c) {
  return c.profile != nullptr && c.profile->noise ? &*c.profile->noise : nullptr;
}

// Whether the profile's noise is that of this clip: another mode processes it differently.
bool noiseFits(const Case& c) {
  return c.match.kind == MatchKind::Exact || c.match.kind == MatchKind::Assigned;
}

// Whether the profile's curves can be used for this clip.
bool hasCurves(const Case& c) {
  const NoisePart* part = noisePartOf(c);
  return part != nullptr && !part->entries.empty() && noiseFits(c);
}

// The question that the clip's own noise would have to answer; nothing where it is answered already.
MissingFacts missingOf(const Case& c, Decision& decision) {
  MissingFacts missing;
  const NoisePart* part = noisePartOf(c);
  if (!c.wantsNoise()) return missing;
  if (!hasCurves(c)) {
    missing.own_noise = c.clip.by_itself && c.facts.noise.find(kOwnNoise) == c.facts.noise.end();
    missing.question = kOwnNoise;
    return missing.own_noise ? missing : MissingFacts{};
  }
  const auto iso = isoOf(c.shoot, c.clip, c.info());
  missing.curves = part->curves();
  missing.iso = !iso;
  missing.known_iso = iso ? iso->iso : 0;
  missing.light = iso && !c.clip.light && !c.clip.iso_estimate && lightsOf(missing.curves).size() > 1;
  if (!missing.noise()) return {};
  missing.question = noiseQuestionOf(missing.curves, missing.known_iso);
  const auto told = c.facts.noise.find(missing.question);
  if (told == c.facts.noise.end()) return missing;
  const NoiseFact& fact = told->second;
  if (fact.iso) decision.notes.push_back(isoByNoise(*fact.iso).text + " by the clip's own noise.");
  if (fact.light) decision.notes.push_back(fact.light->reason);
  if (!fact.why_not.empty()) decision.notes.push_back(fact.why_not);
  return {};
}

// What the clip's own noise has told; null where it was not asked.
const NoiseFact* toldNoise(const Shoot& shoot, const ShootClip& clip, const ClipFacts& facts,
                           std::span<const NoiseCurve> curves) {
  const auto iso = isoOf(shoot, clip, facts.info);
  const auto at = facts.noise.find(noiseQuestionOf(curves, iso ? iso->iso : 0));
  return at == facts.noise.end() ? nullptr : &at->second;
}

// The light that a clip's curves are of; "" for any.
std::string lightOf(const ShootClip& clip, const NoiseFact* told) {
  if (clip.light) return *clip.light;
  if (clip.iso_estimate) return clip.iso_estimate->light;
  if (told != nullptr && told->light) return told->light->light;
  return told != nullptr && told->iso ? told->iso->light : "";
}

// Where the ISO changes within the clip, each with its curve; nothing where one ISO was said by hand.
std::vector<NoiseChange> changesOf(const Case& c, std::span<const NoiseCurve> curves,
                                   const std::string& light) {
  std::vector<NoiseChange> changes;
  if (c.clip.iso) return changes;
  for (const auto& [seconds, iso] : c.info().iso_changes) {
    IsoCurve at = curveForIso(curves, iso, light);
    if (at.kind == IsoKind::Missing) continue;
    changes.push_back({c.info().indexAtSecond(seconds), std::move(at.curve)});
  }
  return changes;
}

std::optional<Cleaning> cleaningOf(const Case& c, const IsoCurve& curve) {
  if (!c.wantsNoise()) return std::nullopt;
  const NoisePart* part = noisePartOf(c);
  Cleaning cleaning;
  cleaning.settings = c.clip.denoise.value_or(part != nullptr ? part->denoise : DenoiseSettings{});
  // A place on the sensor is known for this picture size only.
  const bool same_size = c.profile != nullptr && c.profile->camera.width == c.info().width &&
                         c.profile->camera.height == c.info().height;
  if (part != nullptr && same_size && noiseFits(c)) cleaning.hot_pixels = part->hot_pixels;
  if (curve.kind != IsoKind::Missing) {
    cleaning.noise = curve.curve;
  }
  if (curve.kind != IsoKind::Missing && curve.kind != IsoKind::OwnClip) {
    const std::vector<NoiseCurve> curves = part->curves();
    cleaning.changes = changesOf(c, curves, lightOf(c.clip, toldNoise(c.shoot, c.clip, c.facts, curves)));
  }
  if (c.info().kind == ClipKind::Still) cleaning.settings.flicker = 0;
  const bool does = cleaning.noise || !cleaning.hot_pixels.empty() || cleaning.settings.flicker > 0 ||
                    cleaning.settings.shadow_colour > 0;
  return does ? std::optional(cleaning) : std::nullopt;
}

std::optional<MotionTreatment> motionOf(const Case& c) {
  if (!c.motionLens() || c.info().kind == ClipKind::Still || c.info().frames < 2) return std::nullopt;
  MotionTreatment m;
  if (c.wantsShutter() && c.profile != nullptr && c.profile->shutter) {
    m.shutter = c.profile->shutter->shutter;
    m.shutter.direction = turnedClockwise(m.shutter.direction, c.clip.turned);
    if (!m.shutter.rolls()) m.shutter = {};
  }
  m.settings.steadying = Steadying::Off;
  if (c.wantsStabilization()) {
    if (c.profile != nullptr && c.profile->stabilization)
      m.settings = c.profile->stabilization->settings;
    else if (c.output().asked.stabilization || c.clip.by_itself)
      m.settings = StabilizationSettings{};
    if (c.clip.stabilization) m.settings = *c.clip.stabilization;
  }
  m.own_shutter = c.clip.by_itself && c.wantsShutter() && (c.profile == nullptr || !c.profile->shutter);
  if (m.settings.steadying == Steadying::Off && !m.shutter.rolls() && !m.own_shutter) return std::nullopt;
  m.own_motion = c.clip.shutter_local && m.shutter.rolls();
  if (c.profile != nullptr && c.profile->stabilization) m.masks = c.profile->stabilization->masks;
  m.masks.insert(m.masks.end(), c.clip.masks.begin(), c.clip.masks.end());
  m.hand = c.clip.hand;
  m.log = c.clip.motion_log;
  if (!m.log.empty()) m.log_id = fileIdOf(m.log);
  return m;
}

std::optional<Finishing> finishingOf(const Case& c) {
  if (!c.wantsFinish()) return std::nullopt;
  const FinishPart* part = c.profile != nullptr && c.profile->finish ? &*c.profile->finish : nullptr;
  const bool by_itself = c.clip.by_itself && c.profile == nullptr;
  const bool wanted = part != nullptr || c.clip.finish || c.output().asked.finish || by_itself;
  if (!wanted) return std::nullopt;
  Finishing f;
  f.settings = c.clip.finish.value_or(part != nullptr ? part->settings : FinishSettings{});
  // Another mode sharpens differently.
  const bool fits = c.match.kind == MatchKind::Exact || c.match.kind == MatchKind::Assigned;
  if (part != nullptr && part->edges && fits && f.settings.calm > 0)
    f.camera = part->edges->summary.sharpening;
  if (!f.settings.lut.empty()) f.lut_id = fileIdOf(f.settings.lut);
  const bool does =
      f.settings.crisp > 0 || f.settings.shimmer > 0 || f.camera.amount > 0 || f.settings.setsColour();
  return does ? std::optional(f) : std::nullopt;
}

void encode(const EncodeSettings& encode, Treatment& t) {
  t.codec = encode.codec;
  t.sound = encode.sound;
  // What a codec has no use for must not make an output out of date.
  const bool rated = encode.codec == Codec::H264 || encode.codec == Codec::H265;
  if (rated) t.bit_rate = encode.bit_rate;
  t.graphics = rated && encode.graphics;
  if ((rated && !encode.bit_rate) || encode.codec == Codec::Jpeg) t.quality = encode.quality;
  if (isStillCodec(encode.codec)) t.sound = Sound::None;
}

Treatment treatmentOf(const Case& c, const IsoCurve& curve) {
  Treatment t;
  t.cleaning = cleaningOf(c, curve);
  if (c.wantsLens()) t.lens = c.knownLens();
  t.motion = motionOf(c);
  // The lens may be off, but turning the camera needs to know it.
  if (t.lens) t.lens_amount = c.clip.lens_amount.value_or(c.output().lens_amount);
  if (t.motion) t.lens = c.motionLens();
  if (t.lens) t.fill = c.clip.fill.value_or(c.output().fill);
  t.finishing = finishingOf(c);
  const Delivery delivery = deliveryOf(c.output(), c.info());
  t.output = delivery.picture;
  t.canvas = delivery.canvas;
  t.fields = c.clip.deinterlace ? Fields::Deinterlace : Fields::Keep;
  t.damage = damageOf(c.clip);
  t.range = c.clip.range.value_or(FrameRange{0, c.info().frames});
  t.range.last = std::min(t.range.last, c.info().frames);
  encode(encodingOf(c.output(), c.info()), t);
  return t;
}

// Parts that were asked for by name and cannot be done; "" when there are none.
std::string impossible(const Case& c, const Treatment& t, const IsoCurve& curve) {
  const AskedParts& asked = c.output().asked;
  if (c.match.kind == MatchKind::None && asked.any() && !c.clip.by_itself) return c.match.reason;
  if (asked.lens && c.clip.by_itself && !c.match.lens && !c.knownLens())
    return "No profile has its lens, and the clip's own motion shows no bend that could be taken out.";
  if (asked.lens && !c.knownLens()) return "The profile has no lens yet. Measure it, or leave the lens out.";
  if (asked.shutter && !(t.motion && (t.motion->shutter.rolls() || t.motion->own_shutter))) {
    if (c.profile == nullptr) return "A still has no motion.";
    if (!c.profile->shutter) return "The shutter of " + c.profile->camera.name + " is not measured yet.";
    if (!c.match.lens) return "The shutter can be put right only with the lens: measure it first.";
    if (!(c.profile->shutter->shutter.readout_s > 0))
      return "All rows are read at once: there is nothing to put right.";
    return c.info().kind == ClipKind::Still || c.info().frames < 2
               ? "A still has no motion."
               : "The direction of the readout is not known: say it first.";
  }
  if (asked.finish && !t.finishing) return "Everything of the finish is set to leave the picture as it is.";
  if (asked.noise && curve.kind == IsoKind::Missing && !t.cleaning) return curve.reason;
  if (asked.stabilization && !(t.motion && t.motion->settings.steadying != Steadying::Off)) {
    if (!c.motionLens()) return "Stabilization needs the lens: measure it first.";
    return c.info().kind == ClipKind::Still || c.info().frames < 2
               ? "A still has no motion."
               : "Stabilization is set to leave the clip as filmed.";
  }
  return "";
}

std::optional<Refusal> refusalOf(const Case& c, const Treatment& t, const IsoCurve& curve, bool missing) {
  if (!c.info().readable(damageOf(c.clip))) {
    for (const ClipProblem& p : c.info().problems)
      if (p.fatal) return Refusal{p.text, true};
  }
  if (!c.clip.render) return Refusal{"Left out by hand."};
  if (!c.clip.by_itself && c.wantsLens() && c.match.kind == MatchKind::None) return Refusal{c.match.reason};
  if (!c.clip.by_itself && c.wantsLens() && !c.match.lens)
    return Refusal{"The profile has no lens yet. Measure it, or switch the lens off."};
  if (c.info().interlaced && !c.clip.deinterlace && (t.lens || t.motion))
    return Refusal{
        "The clip is interlaced. Switch on deinterlacing for it: a lens correction would tear its fields."};
  if (t.range.first >= t.range.last)
    return Refusal{"The in point lies behind the end of the clip, which has " +
                   std::to_string(c.info().frames) + " frames. Set it again."};
  if (missing) return std::nullopt;
  if (const std::string why = impossible(c, t, curve); !why.empty()) return Refusal{why};
  // Noise may be missing beside a lens; not where it is all that the whole shoot asks for.
  const bool only_noise = !c.output().lens_on && c.wantsNoise();
  if (only_noise && !t.changesPicture()) return Refusal{curve.reason};
  return std::nullopt;
}

// The curve that was measured in the clip itself.
IsoCurve ownCurveOf(const ClipFacts& facts) {
  IsoCurve own;
  const auto told = facts.noise.find(kOwnNoise);
  if (told == facts.noise.end()) {
    own.reason = "The noise is measured in the clip itself, when it is rendered.";
  } else if (!told->second.own) {
    own.reason = told->second.why_not;
  } else {
    own.kind = IsoKind::OwnClip;
    own.curve = *told->second.own;
    own.reason = "Measured in this clip, on even places that it shows. A curve of the camera is surer.";
  }
  return own;
}

}  // namespace

Lens assumedLens(int width, int height) { return usualLens(width, height); }

const Profile* profileOf(const ProfileMatch& match, std::span<const Profile> profiles) {
  return match.kind == MatchKind::None ? nullptr : &profiles[static_cast<size_t>(match.profile)];
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

IsoCurve noiseCurveFor(const Shoot& shoot, const ShootClip& clip, const ClipFacts& facts,
                       const ProfileMatch& match, std::span<const Profile> profiles) {
  IsoCurve none;
  const Profile* profile = profileOf(match, profiles);
  const Case c{shoot, clip, facts, profile, match};
  if (clip.by_itself && !hasCurves(c)) return ownCurveOf(facts);
  if (profile == nullptr) {
    none.reason = match.reason;
    return none;
  }
  if (!profile->noise || profile->noise->entries.empty()) {
    none.reason = "The noise of " + profile->camera.name + " is not measured yet.";
    return none;
  }
  if (match.kind == MatchKind::Borrowed) {
    none.reason = "The noise was measured in another mode, which processes it differently.";
    return none;
  }
  const std::vector<NoiseCurve> curves = profile->noise->curves();
  const NoiseFact* told = toldNoise(shoot, clip, facts, curves);
  const auto iso = isoOf(shoot, clip, facts.info);
  if (!iso && !(told != nullptr && told->iso)) {
    none.reason =
        told != nullptr
            ? told->why_not
            : "The clip does not say its ISO. The run tells it by the clip's own noise, unless it is "
              "said by hand.";
    return none;
  }
  return curveForIso(curves, iso ? iso->iso : told->iso->iso, lightOf(clip, told));
}

Decision decide(const Shoot& shoot, const ShootClip& clip, const ClipFacts& facts,
                std::span<const Profile> profiles) {
  Decision d;
  d.match = matchClip(shoot, clip, facts.info, profiles);
  const Case c{shoot, clip, facts, profileOf(d.match, profiles), d.match};
  if (facts.info.readable(damageOf(clip)) && facts.info.width > 0) d.missing = missingOf(c, d);
  const IsoCurve curve = noiseCurveFor(shoot, clip, facts, d.match, profiles);
  if (facts.info.width > 0) d.treatment = treatmentOf(c, curve);
  d.assumed_lens = c.assumesLens() && d.treatment.motion.has_value();
  d.own_lens = c.ownLens() != nullptr && c.ownLens()->lens.has_value() && d.treatment.lens.has_value();
  if (d.own_lens) d.notes.push_back("Focal length " + focalText(*c.ownLens()) + " by the clip's own motion.");
  const bool films = facts.info.kind != ClipKind::Still && facts.info.frames > 1;
  d.missing.own_lens = c.assumesLens() && c.ownLens() == nullptr && films &&
                       (d.treatment.motion || (shoot.output.asked.lens && c.wantsLens()));
  d.refusal = refusalOf(c, d.treatment, curve, d.missing.any());
  if (clip.range && clip.range->last > facts.info.frames && facts.info.frames > 0 && !d.refusal)
    d.notes.push_back("The out point lay behind the end of the clip; it is rendered to its end.");
  return d;
}

}  // namespace glenhaze
