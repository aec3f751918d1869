#include "core/run/render_plan.h"

#include "core/base/numbers.h"
#include "core/run/ask.h"

namespace glenhaze {

namespace {

std::string timeText(double seconds) {
  const auto whole = static_cast<int64_t>(seconds);
  const std::string s = fixedText(seconds - static_cast<double>(whole / 60 * 60), 2);
  return std::to_string(whole / 60) + ":" + (s.find('.') < 2 ? "0" : "") + s;
}

// What only came out while the clip was read.
std::vector<std::string> footageNotes(const ClipInfo& clip, const RenderResult& rendered) {
  std::vector<std::string> notes;
  if (const HeldFrames& held = rendered.held; held.count > 0)
    notes.push_back(std::to_string(held.count) +
                    (held.count == 1 ? " frame could not be read, at " : " frames could not be read, from ") +
                    timeText(clip.frameTime(held.first)) + " on; the one before stands in.");
  if (const auto& change = rendered.size_change)
    notes.push_back("The picture changes to " + std::to_string(change->to.width) + " × " +
                    std::to_string(change->to.height) + " at " + timeText(clip.frameTime(change->index)) +
                    "; rendered up to there.");
  return notes;
}

}  // namespace

std::string renderedWords(const ClipPlan& plan, const std::vector<std::string>& notes,
                          const RenderResult& rendered) {
  std::string words = doneText(plan.decision.treatment, plan.info);
  for (const std::string& note : notes) words += " " + note;
  for (const std::string& note : footageNotes(plan.job.clip, rendered)) words += " " + note;
  if (!rendered.written.note.empty()) words += " Also: " + rendered.written.note + ".";
  return words;
}

Rendered renderPlan(ClipPlan& plan, FactStore& store, const Progress& progress, RenderWatch* watch,
                    const std::function<void()>& begins) {
  constexpr double kPreparing = 0.05;  // of the time, or so
  std::vector<std::string> notes = plan.decision.notes;
  const Prepared prepared = prepare(plan, store, notes, partOf(progress, 0, kPreparing));
  if (const std::string doubt = noiseDoubt(plan, store, {{}, progress.stop}); !doubt.empty())
    notes.push_back(doubt);
  plan.job.correction = correctionOf(plan.decision.treatment, prepared);
  if (begins) begins();
  Rendered rendered;
  rendered.result = renderClip(plan.job, partOf(progress, plan.questions.any() ? kPreparing : 0, 1), watch);
  rendered.words = renderedWords(plan, notes, rendered.result);
  return rendered;
}

}  // namespace glenhaze
