#include "core/run/status.h"

#include <algorithm>
#include <array>

#include "core/clip/info_text.h"
#include "core/media/telemetry.h"

namespace glenhaze {

std::string statusName(ClipStatus::Kind kind) {
  switch (kind) {
    case ClipStatus::Kind::Rendered:
      return "rendered";
    case ClipStatus::Kind::OutOfDate:
      return "out of date";
    case ClipStatus::Kind::NotRendered:
      return "not rendered";
    case ClipStatus::Kind::MissingFacts:
      return "facts missing";
    case ClipStatus::Kind::Refused:
      return "refused";
    default:
      return "blocked";
  }
}

namespace {

// Of one output.
ClipStatus outputStatus(const ClipPlan& plan, RunRecord* record) {
  using Kind = ClipStatus::Kind;
  if (!plan.refusal.empty()) return {Kind::Refused, plan.refusal};
  if (plan.decision.missing.any())
    return {Kind::MissingFacts,
            plan.decision.missing.own_noise  ? "Its noise is measured in the clip itself, by the run."
            : plan.decision.missing.own_lens ? "Its lens is sought in the clip's own motion, by the run."
            : plan.decision.missing.iso
                ? "Its ISO is not said: the run tells it by the clip's own noise."
                : "There are curves for several kinds of light: the run picks what fits."};
  const FileId id = plan.facts.id.exists() ? plan.facts.id : fileIdOf(plan.info.path);
  const auto& output = plan.job.place.path;
  std::error_code code;
  if (record == nullptr)
    return std::filesystem::exists(std::filesystem::symlink_status(output, code))
               ? ClipStatus{Kind::Blocked, "Something that is not ours has the output's name."}
               : ClipStatus{};
  const Treatment& t = plan.decision.treatment;
  switch (record->standingOf(output, fingerprintOf(t, id))) {
    case Standing::Free:
      return {};
    case Standing::Current:
      return {Kind::Rendered, ""};
    case Standing::Stale: {
      const std::string changed = whatChanged(record->partsOf(output), partDigests(t, id));
      return {Kind::OutOfDate, changed.empty() ? "" : "Changed since: " + changed + "."};
    }
    case Standing::Changed:
      return {Kind::Blocked, "The output was changed since it was rendered. Move it away or rename it."};
    default:
      return {Kind::Blocked, "Something that is not ours has the output's name. Move it away or rename it."};
  }
}

// The first of these is what has to be known of several.
constexpr std::array kMostUrgent = {ClipStatus::Kind::Blocked,      ClipStatus::Kind::Refused,
                                    ClipStatus::Kind::OutOfDate,    ClipStatus::Kind::NotRendered,
                                    ClipStatus::Kind::MissingFacts, ClipStatus::Kind::Rendered};

}  // namespace

ClipStatus statusOf(const ClipPlan& plan, RunRecord* record) {
  if (plan.stretches.empty()) return outputStatus(plan, record);
  std::vector<ClipStatus> all;
  for (const ClipPlan& output : outputsOf(plan)) all.push_back(outputStatus(output, record));
  for (const ClipStatus::Kind kind : kMostUrgent)
    for (const ClipStatus& one : all) {
      if (one.kind != kind) continue;
      const auto same = std::count_if(all.begin(), all.end(), [&](const auto& s) { return s.kind == kind; });
      ClipStatus status = one;
      if (same < std::ssize(all))
        status.why = std::to_string(same) + " of " + std::to_string(all.size()) + " stretches." +
                     (one.why.empty() ? "" : " " + one.why);
      return status;
    }
  return {};
}

ClipFacts knownFacts(const std::filesystem::path& clip, FactStore& store) {
  ClipFacts facts;
  facts.id = store.identify(clip);
  // What lies beside a clip is part of what a probe finds.
  constexpr const char* kProbe = "probe";
  // Raised when a probe finds more than it did: what an older one found is asked again.
  constexpr const char* kProbeVersion = "2 ";
  const auto subtitles = subtitlesBeside(clip);
  const std::string question =
      std::string(kProbeVersion) + (subtitles.empty() ? "" : store.identify(subtitles).text());
  if (const auto known = store.find(facts.id, kProbe, question))
    if (auto info = clipInfoFromText(*known)) {
      facts.info = std::move(*info);
      facts.info.path = clip;
      recall(store, facts);
      return facts;
    }
  facts.info = probe(clip);
  // What cannot be read may be a fault of the moment: a card pulled out, no permission.
  if (facts.info.readable()) store.put(facts.id, kProbe, question, clipInfoToText(facts.info));
  recall(store, facts);
  return facts;
}

}  // namespace glenhaze
