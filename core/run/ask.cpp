#include "core/run/ask.h"

#include <algorithm>
#include <cmath>

#include "core/base/error.h"
#include "core/noise/measure.h"

namespace glenhaze {

namespace {

std::string isoNote(const IsoEstimate& e) {
  return "ISO ≈ " + std::to_string(std::lround(e.iso)) + " (" + std::to_string(std::lround(e.low)) + " to " +
         std::to_string(std::lround(e.high)) + ") by the clip's own noise.";
}

// Each question that is asked gets an equal share of the progress.
class Shares {
 public:
  Shares(const Progress& progress, int count) : progress_(progress), count_(std::max(1, count)) {}
  Progress next() {
    const double from = static_cast<double>(at_) / count_, to = static_cast<double>(++at_) / count_;
    return partOf(progress_, from, to);
  }

 private:
  const Progress& progress_;
  int count_, at_ = 0;
};

void askNoise(const ClipPlan& plan, ClipFindings& findings, const Progress& progress) {
  const ClipQuestions& q = plan.questions;
  try {
    const std::vector<NoiseShot> shots{{plan.info, {}}};
    const auto points = measurePatches(shots, 0, progress).points;
    if (q.iso) {
      findings.iso = isoOfPoints(points, q.curves);
      findings.notes.push_back(isoNote(*findings.iso));
    } else {
      findings.light = lightOfPoints(points, q.curves, q.known_iso);
      findings.notes.push_back(findings.light->reason);
    }
  } catch (const Error& error) {
    if (error.kind() != ErrorKind::Evidence) throw;
    findings.notes.push_back(
        q.iso ? "Noise was not removed: the clip does not say its ISO, and its noise cannot tell it (" +
                    error.why() + "). Say the ISO by hand."
              : "The light cannot be told by the clip's noise (" + error.why() + ").");
  }
}

}  // namespace

ClipFindings askClip(const ClipPlan& plan, const Progress& progress) {
  ClipFindings findings;
  const ClipQuestions& q = plan.questions;
  Shares shares(progress, (q.iso || q.light ? 1 : 0) + (q.flicker ? 1 : 0) + (q.motion ? 1 : 0));
  if (q.iso || q.light) askNoise(plan, findings, shares.next());
  if (q.flicker) {
    findings.flicker = measureFlicker(plan.info, plan.job.fields, shares.next());
    const std::string found = findings.flicker->describe();
    findings.notes.push_back(found.empty() ? "No flicker to speak of."
                                           : "Flicker of " + found + " evened out.");
  }
  if (q.motion) {
    const TrackRecord tracks = tracksFor(plan.motion, shares.next());
    findings.motion = answerMotion(plan.motion, tracks);
    if (plan.motion.settings.steadying != Steadying::Off)
      findings.notes.push_back(describeMotion(*findings.motion));
  }
  return findings;
}

void answerQuestions(ClipPlan& plan, const ClipFindings& findings) {
  Correction& c = plan.job.correction;
  const std::string light = findings.light ? findings.light->light : findings.iso ? findings.iso->light : "";
  if (findings.iso || findings.light) {
    const double iso = findings.iso ? findings.iso->iso : plan.questions.known_iso;
    IsoCurve found = curveForIso(plan.questions.curves, iso, light);
    if (found.kind != IsoKind::Missing) c.noise = std::move(found.curve);
    for (NoiseChange& change : c.noise_changes)
      if (IsoCurve at = curveForIso(plan.questions.curves, change.curve.iso, light);
          at.kind != IsoKind::Missing)
        change.curve = std::move(at.curve);
  }
  if (findings.flicker) c.flicker = findings.flicker;
  if (findings.motion) c.motion = findings.motion->motion;
  plan.questions = {};
}

}  // namespace glenhaze
