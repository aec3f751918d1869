#include "core/run/picking.h"

#include <algorithm>

#include "core/base/error.h"

namespace glenhaze {

namespace {

constexpr const char* kTimeline = "timeline";
constexpr const char* kTimelineVersion = "1";  // raised when the same clip would be measured otherwise

// Of what shakes, what is left by steadying: about a tenth at default settings, see docs/accuracy.md.
double shakeLeft(const ClipPlan& plan) {
  constexpr double kSteadied = 0.12;
  const auto& motion = plan.decision.treatment.motion;
  return motion && motion->settings.steadying != Steadying::Off ? kSteadied : 1;
}

}  // namespace

ClipTimeline timelineOf(const ClipPlan& plan, FactStore& store, const Progress& progress) {
  const FileId id = plan.facts.id.exists() ? plan.facts.id : store.identify(plan.info.path);
  if (const auto text = store.find(id, kTimeline, kTimelineVersion))
    if (auto known = timelineFromText(*text)) return std::move(*known);
  ClipTimeline timeline = measureTimeline(plan.info, progress);
  store.put(id, kTimeline, kTimelineVersion, timelineToText(timeline));
  return timeline;
}

std::vector<Suggestion> suggestFor(std::span<const ClipPlan> plans, FactStore& store,
                                   const PickOptions& options, const Progress& progress) {
  std::vector<ClipTimeline> timelines(plans.size());
  std::vector<PickClip> clips;
  for (size_t i = 0; i < plans.size(); ++i) {
    const ClipPlan& plan = plans[i];
    clips.push_back({&plan.info, &timelines[i], shakeLeft(plan)});
    if (!plan.refusal.empty() || plan.info.kind != ClipKind::Film) continue;
    const auto share = [&](size_t k) { return static_cast<double>(k) / static_cast<double>(plans.size()); };
    try {
      timelines[i] = timelineOf(plan, store, partOf(progress, share(i), share(i + 1)));
    } catch (const Error& error) {
      if (error.kind() == ErrorKind::Cancelled) throw;
    }
  }
  return suggestStretches(clips, options);
}

void keepStretch(ShootClip& clip, Stretch stretch) {
  std::erase_if(clip.stretches, [&](const Stretch& s) {
    return s.frames.first < stretch.frames.last && stretch.frames.first < s.frames.last;
  });
  const auto at = std::ranges::upper_bound(clip.stretches, stretch.frames.first, {},
                                           [](const Stretch& s) { return s.frames.first; });
  clip.stretches.insert(at, std::move(stretch));
}

}  // namespace glenhaze
