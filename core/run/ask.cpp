#include "core/run/ask.h"

#include <algorithm>
#include <cmath>

#include "core/base/error.h"
#include "core/base/numbers.h"
#include "core/motion/self_calibration.h"
#include "core/noise/measure.h"

namespace glenhaze {

NoiseFact askNoise(const ClipPlan& plan, const Progress& progress) {
  const MissingFacts& missing = plan.decision.missing;
  NoiseFact fact;
  try {
    const std::vector<NoiseShot> shots{{plan.info, {}}};
    const NoiseFinding measured = measurePatches(shots, 0, progress);
    const auto& points = measured.points;
    if (missing.own_noise)
      fact.own = measured.curve;
    else if (missing.iso)
      fact.iso = isoOfPoints(points, missing.curves);
    else
      fact.light = lightOfPoints(points, missing.curves, missing.known_iso);
  } catch (const Error& error) {
    if (error.kind() != ErrorKind::Evidence) throw;
    if (missing.own_noise)
      fact.why_not =
          "Noise was not removed: nothing in the clip is even enough to measure it on (" + error.why() + ").";
    else
      fact.why_not =
          missing.iso
              ? "Noise was not removed: the clip does not say its ISO, and its noise cannot tell it (" +
                    error.why() + "). Say the ISO by hand."
              : "The light cannot be told by the clip's noise (" + error.why() + ").";
  }
  return fact;
}

LensFact askLens(const ClipPlan& plan, const Progress& progress) {
  LensFact fact;
  std::string why;
  try {
    // Where the motion is needed as well, its tracks are kept.
    const TrackRecord tracks = plan.questions.motion ? tracksFor(plan.motion, partOf(progress, 0, 0.5))
                                                     : trackClip(plan.info, {}, partOf(progress, 0, 0.5));
    const FootageLens found =
        measureLensFrom(tracks, 1 / plan.info.fps.value(), codingOf(plan.info, partOf(progress, 0.5, 0.5)),
                        partOf(progress, 0.5, 1));
    if (found.usable) {
      fact.lens = found.lens;
      fact.focal_uncertainty = found.focal_uncertainty;
      fact.bend_told = found.bend_told;
    }
    why = found.why;
  } catch (const Error& error) {
    if (error.kind() != ErrorKind::Evidence) throw;
    why = error.why();
  }
  if (!fact.lens) fact.why_not = "The clip's own motion does not tell its lens (" + why + ").";
  return fact;
}

FlickerPath flickerOf(const ClipPlan& plan, FactStore& store, const Progress& progress) {
  constexpr const char* kFlicker = "flicker and lamps";
  // Raised when the same clip would be measured otherwise.
  const std::string question = plan.job.fields == Fields::Deinterlace ? "1 deinterlaced" : "1";
  const FileId id = plan.facts.id.exists() ? plan.facts.id : store.identify(plan.info.path);
  if (const auto text = store.find(id, kFlicker, question))
    if (auto known = flickerFromText(*text)) return std::move(*known);
  FlickerPath found = measureFlicker(plan.info, plan.job.fields, progress);
  store.put(id, kFlicker, question, flickerToText(found));
  return found;
}

std::string noiseDoubt(const ClipPlan& plan, FactStore& store, const Progress& progress) {
  constexpr const char* kAgainst = "noise against curve";
  constexpr double kMuch = 1.5;  // times, of sigma; places found by themselves may be 15 % off
  const auto& cleaning = plan.decision.treatment.cleaning;
  // A curve of the clip itself says no ISO; where the ISO changes, so does the curve.
  if (!cleaning || !cleaning->noise || !(cleaning->noise->iso > 0) || !cleaning->changes.empty() ||
      plan.info.kind == ClipKind::Still)
    return "";
  const NoiseCurve& curve = *cleaning->noise;
  // An ISO that the clip's own noise has told fits it already.
  constexpr double kSame = 0.05;  // stops
  const bool told_by_it = std::ranges::any_of(plan.facts.noise, [&](const auto& known) {
    const auto& iso = known.second.iso;
    return iso && std::abs(std::log2(iso->iso / curve.iso)) < kSame;
  });
  if (told_by_it) return "";
  const std::string question = "1 " + noiseQuestionOf({&curve, 1}, curve.iso);
  const FileId id = plan.facts.id.exists() ? plan.facts.id : store.identify(plan.info.path);
  double times = 0;
  if (const auto text = store.find(id, kAgainst, question)) {
    times = parseNumber(*text).value_or(0);
  } else {
    try {
      const std::vector<NoiseShot> shots{{plan.info, {}}};
      times = noiseAgainst(measurePatches(shots, 0, progress).points, curve).value_or(0);
    } catch (const Error& error) {
      if (error.kind() != ErrorKind::Evidence) throw;
    }
    store.put(id, kAgainst, question, exactText(times));
  }
  if (!(times > 0) || (times < kMuch && times > 1 / kMuch)) return "";
  return "On its even places the clip's own noise is " + fixedText(times, 1) +
         " times what the profile says at ISO " + fixedText(curve.iso, 0) + ": " +
         (times > 1 ? "too little of it was removed" : "detail may have been taken for noise") +
         ". The profile's curve may be of footage that was set or coded otherwise; measure the noise of this "
         "clip.";
}

ClipPlan answered(const ClipPlan& plan, FactStore& store, const Progress& progress) {
  ClipFacts facts = plan.facts;
  if (!facts.id.exists()) facts.id = fileIdOf(plan.info.path);
  const MissingFacts& missing = plan.decision.missing;
  if (!missing.any()) return planAgain(plan, std::move(facts));
  recall(store, facts);
  if (missing.noise() && !facts.noise.contains(missing.question)) {
    facts.noise[missing.question] = askNoise(plan, partOf(progress, 0, missing.own_lens ? 0.5 : 1));
    remember(store, facts, missing.question);
  }
  if (missing.own_lens && !facts.lens) {
    facts.lens = askLens(plan, partOf(progress, missing.noise() ? 0.5 : 0, 1));
    rememberLens(store, facts);
  }
  return planAgain(plan, std::move(facts));
}

Prepared prepare(const ClipPlan& plan, FactStore& store, std::vector<std::string>& notes,
                 const Progress& progress) {
  Prepared prepared;
  const bool both = plan.questions.flicker && plan.questions.motion;
  if (plan.questions.flicker) {
    prepared.flicker = flickerOf(plan, store, partOf(progress, 0, both ? 0.5 : 1));
    const std::string found = prepared.flicker->describe();
    notes.push_back(found.empty() ? "No flicker to speak of." : "Flicker of " + found + " evened out.");
  }
  if (plan.questions.motion) {
    const TrackRecord tracks = tracksFor(plan.motion, partOf(progress, both ? 0.5 : 0, 1));
    const MotionAnswer answer = answerMotion(plan.motion, tracks);
    prepared.motion = answer.motion;
    if (answer.own_shutter && !answer.own_shutter->global)
      notes.push_back("Readout " + fixedText(answer.shutter.readout_s * 1000, 1) + " ± " +
                      fixedText(answer.own_shutter->uncertainty_s * 1000, 1) + " ms, " +
                      scanDirectionName(answer.shutter.direction) + ", by the clip's own motion.");
    else if (plan.motion.own_shutter)
      notes.emplace_back("The clip's own motion tells no readout: rows stay as they were read.");
    if (plan.motion.settings.steadying != Steadying::Off) notes.push_back(describeMotion(answer));
  }
  return prepared;
}

}  // namespace glenhaze
