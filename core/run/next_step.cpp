#include "core/run/next_step.h"

#include <map>

namespace glenhaze {

namespace {

std::string clipsText(int count) { return std::to_string(count) + (count == 1 ? " clip" : " clips"); }

std::string nameOf(const ClipPlan& plan, const Shoot& shoot) {
  const std::string said = answerOf(shoot, plan.clip, plan.info).camera;
  return said.empty() ? cameraNameOf(plan.info) : said;
}

bool isKnown(const ClipPlan& plan) { return plan.info.width > 0 && !plan.failed && plan.clip.render; }

// Clips of which nothing says a camera; those that are taken as they are do without.
NextStep naming(const PlanList& plans, const Shoot& shoot) {
  NextStep step{NextStep::Kind::Name, -1, 0, ""};
  for (size_t i = 0; i < plans.size(); ++i) {
    const ClipPlan& plan = plans[i];
    if (!isKnown(plan) || plan.clip.by_itself || plan.match.profile >= 0 || !nameOf(plan, shoot).empty())
      continue;
    if (step.clip < 0) step.clip = static_cast<int>(i);
    ++step.clips;
  }
  step.text = "Name the camera of " + clipsText(step.clips);
  return step;
}

// Of the camera with the most clips that have none.
NextStep measuring(const PlanList& plans, const Shoot& shoot) {
  std::map<std::string, NextStep> cameras;
  for (size_t i = 0; i < plans.size(); ++i) {
    const ClipPlan& plan = plans[i];
    if (!isKnown(plan) || plan.clip.by_itself || plan.lens.kind != Coverage::Missing) continue;
    NextStep& step = cameras[nameOf(plan, shoot)];
    if (step.clip < 0) step.clip = static_cast<int>(i);
    ++step.clips;
  }
  NextStep most;
  for (auto& [name, step] : cameras)
    if (step.clips > most.clips) {
      most = step;
      most.kind = NextStep::Kind::MeasureLens;
      most.text = "Measure the lens of " + name;
    }
  return most;
}

NextStep rendering(const PlanList& plans, std::span<const ClipStatus> status) {
  using Kind = ClipStatus::Kind;
  NextStep step{NextStep::Kind::Render, -1, 0, ""};
  int stale = 0, ready = 0;
  for (size_t i = 0; i < plans.size(); ++i) {
    if (!plans[i].refusal.empty() || plans[i].info.width == 0) continue;
    ++ready;
    const Kind kind = i < status.size() ? status[i].kind : Kind::NotRendered;
    if (kind == Kind::Rendered || kind == Kind::Blocked || kind == Kind::Refused) continue;
    if (step.clip < 0) step.clip = static_cast<int>(i);
    ++step.clips;
    stale += kind == Kind::OutOfDate ? 1 : 0;
  }
  if (step.clips > 0) {
    step.text = (stale == step.clips ? "Render again " : "Render ") + clipsText(step.clips);
    if (stale > 0 && stale < step.clips) step.text += ", " + std::to_string(stale) + " of them again";
    return step;
  }
  if (ready == 0) return {};
  return {NextStep::Kind::Done, -1, ready,
          ready == 1 ? "The clip is rendered and up to date"
                     : "All " + clipsText(ready) + " are rendered and up to date"};
}

}  // namespace

NextStep nextStep(const PlanList& plans, std::span<const ClipStatus> status, const Shoot& shoot) {
  if (const NextStep name = naming(plans, shoot); name.clips > 0) return name;
  if (NextStep lens = measuring(plans, shoot); lens.clips > 0) return lens;
  return rendering(plans, status);
}

}  // namespace glenhaze
