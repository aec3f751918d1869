#include "core/run/batch.h"

#include <algorithm>

#include "core/base/digest.h"
#include "core/base/error.h"
#include "core/base/numbers.h"
#include "core/clip/file_id.h"
#include "core/run/ask.h"
#include "core/run/render_plan.h"

namespace glenhaze {
namespace fs = std::filesystem;

namespace {

// Looking at the pictures first takes a share of the time, or so.
constexpr double kAsking = 0.05;

void takeResult(RunItem& item, const RenderResult& rendered) {
  item.frames = rendered.written.frames;
  item.bytes = rendered.written.bytes;
  item.checked = rendered.written.checked;
  item.seconds = rendered.seconds;
  item.fps = rendered.fps;
}

}  // namespace

Existing existingAllowed(Standing standing, Replace replace, const fs::path& output) {
  std::error_code code;
  const bool folder = fs::is_directory(fs::symlink_status(output, code));
  if (standing == Standing::Free) return Existing::Refuse;
  if ((standing == Standing::Stale || standing == Standing::Current) && replace != Replace::Nothing)
    return Existing::ReplaceAny;
  if (replace == Replace::Files && !folder) return Existing::ReplaceFile;
  if (standing == Standing::Stale)
    throw Error(ErrorKind::Unwritable, "The output exists already", output.string(),
                "made with other settings, or of other footage",
                "Choose another folder or name, or allow replacing");
  throw Error(ErrorKind::Unwritable, "The output exists already", output.string(),
              standing == Standing::Changed ? "it was changed since it was rendered"
              : folder                      ? "there is a folder of that name that is not ours"
                                            : "it is not one of our own outputs",
              replace == Replace::Nothing && !folder ? "Choose another folder or name, or allow replacing"
                                                     : "Move it away or rename it, then render again");
}

void takeAsThere(RunItem& item, const ClipPlan& plan, const std::string& by) {
  const Treatment& treatment = plan.decision.treatment;
  item.state = RunState::Done;
  item.was_there = true;
  item.share = 1;
  item.frames = treatment.range.count();
  item.why = "Rendered by " + by + ". " + doneText(treatment, plan.info);
}

std::string runStateName(RunState state) {
  switch (state) {
    case RunState::Waiting:
      return "waiting";
    case RunState::Running:
      return "running";
    case RunState::Done:
      return "done";
    case RunState::Failed:
      return "failed";
    case RunState::Skipped:
      return "skipped";
    default:
      return "cancelled";
  }
}

Batch::Batch(const PlanList& plans, Replace replace) : replace_(replace) {
  const auto add = [&](std::shared_ptr<const ClipPlan> plan) {
    RunItem item;
    if (!plan->refusal.empty()) {
      item.state = plan->failed ? RunState::Failed : RunState::Skipped;
      item.why = plan->refusal;
    }
    item.plan = std::move(plan);
    items_.push_back(std::move(item));
  };
  for (size_t i = 0; i < plans.size(); ++i) {
    if (plans[i].stretches.empty()) {
      add(plans.share(i));
      continue;
    }
    for (ClipPlan& output : outputsOf(plans[i])) add(std::make_shared<const ClipPlan>(std::move(output)));
  }
}

void Batch::setListener(std::function<void()> listener) {
  const std::lock_guard lock(mutex_);
  listener_ = std::move(listener);
}

void Batch::change(const std::function<void()>& edit) {
  std::function<void()> listener;
  {
    const std::lock_guard lock(mutex_);
    edit();
    listener = listener_;
  }
  wake_.notify_all();
  if (listener) listener();
}

std::shared_ptr<const RenderWatch> Batch::watch() const {
  const std::lock_guard lock(mutex_);
  return watch_;
}

std::vector<RunItem> Batch::items() const {
  const std::lock_guard lock(mutex_);
  return items_;
}

RunSummary Batch::summary() const {
  const std::lock_guard lock(mutex_);
  RunSummary s;
  double frames_done = 0, frames_all = 0, pixels_done = 0, pixels_left = 0, seconds = 0;
  for (const RunItem& item : items_) {
    int* counts[] = {&s.waiting, &s.running, &s.done, &s.failed, &s.skipped, &s.cancelled};
    ++*counts[static_cast<size_t>(item.state)];
    if (item.plan->refusal.empty() && item.state != RunState::Cancelled) {
      const auto frames = static_cast<double>(item.plan->decision.treatment.range.count());
      const double pixels = frames * item.plan->info.width * item.plan->info.height;
      const bool open = item.state == RunState::Waiting || item.state == RunState::Running;
      const double share = open ? item.share : 1.0;
      frames_all += frames;
      frames_done += frames * share;
      if (!item.was_there && item.state != RunState::Failed) pixels_done += pixels * share;
      if (open) pixels_left += pixels * (1 - share);
      seconds += item.seconds;
    }
  }
  if (current_ >= 0)
    seconds += std::chrono::duration<double>(std::chrono::steady_clock::now() - current_started_).count();
  if (pixels_done > 0 && seconds > 0.5) s.seconds_left = pixels_left / pixels_done * seconds;
  s.share = frames_all > 0 ? frames_done / frames_all : 1;
  return s;
}

int Batch::nextWaiting() const {
  for (size_t i = 0; i < items_.size(); ++i)
    if (items_[i].state == RunState::Waiting) return static_cast<int>(i);
  return -1;
}

void Batch::run(std::stop_token stop) {
  const std::stop_callback on_stop(stop, [this] {
    {
      const std::lock_guard lock(mutex_);
      current_stop_.request_stop();
    }
    wake_.notify_all();
  });
  while (!stop.stop_requested()) {
    int index = -1;
    std::stop_token token;
    {
      std::unique_lock lock(mutex_);
      wake_.wait(lock, [&] { return !paused_ || stop.stop_requested(); });
      if (stop.stop_requested()) return;
      index = nextWaiting();
      if (index < 0) return;
      current_ = index;
      current_stop_ = std::stop_source();
      token = current_stop_.get_token();
      current_started_ = std::chrono::steady_clock::now();
      items_[static_cast<size_t>(index)].state = RunState::Running;
    }
    renderItem(index, token);
  }
}

RunRecord& Batch::recordOf(const fs::path& folder) {
  auto& record = records_[folder];
  if (!record) {
    record = std::make_unique<RunRecord>(folder);
    record->clearLeftovers();
  }
  return *record;
}

Progress Batch::progressOf(int index, std::stop_token stop, double from, double to) {
  Progress progress;
  progress.stop = stop;
  progress.report = [this, index, from, to, stop](double share) {
    change([&] { items_[static_cast<size_t>(index)].share = from + (to - from) * share; });
    // While paused the running clip waits too, and this is where.
    std::unique_lock lock(mutex_);
    wake_.wait(lock, [&] { return !paused_ || stop.stop_requested(); });
  };
  return progress;
}

FactStore& Batch::factsOf(const fs::path& shoot) {
  auto& store = facts_[shoot];
  if (!store)
    store = shoot.empty() ? std::make_unique<FactStore>()
                          : std::make_unique<FactStore>(shoot.parent_path() / kFactsName);
  return *store;
}

void Batch::renderInto(RunItem& item, int index, const std::stop_token& stop) {
  const auto made = std::make_shared<ClipPlan>(
      answered(*item.plan, factsOf(item.plan->basis->shoot.path), progressOf(index, stop, 0, kAsking)));
  ClipPlan& plan = *made;
  item.plan = made;
  if (!plan.refusal.empty()) {
    item.state = plan.failed ? RunState::Failed : RunState::Skipped;
    item.why = plan.refusal;
    return;
  }
  RenderJob& job = plan.job;
  const Treatment& treatment = plan.decision.treatment;
  const fs::path output = job.place.path;
  RunRecord& record = recordOf(output.parent_path());
  const std::string fingerprint = fingerprintOf(treatment, plan.facts.id);
  const Standing standing = record.standingOf(output, fingerprint);
  item.state = RunState::Done;
  if (standing == Standing::Current && replace_ != Replace::Files) {
    takeAsThere(item, plan, "an earlier run with the same settings");
    return;
  }
  job.place.existing = existingAllowed(standing, replace_, output);
  try {
    renderAs(item, plan, index, stop, fingerprint, standing);
  } catch (const Error& error) {
    // Another run into this folder, of the same settings, was quicker: there is nothing left to do.
    if (error.kind() == ErrorKind::Cancelled || record.standingOf(output, fingerprint) != Standing::Current)
      throw;
    takeAsThere(item, plan, "another run at the same time");
  }
}

void Batch::renderAs(RunItem& item, ClipPlan& plan, int index, const std::stop_token& stop,
                     const std::string& fingerprint, Standing standing) {
  const Treatment& treatment = plan.decision.treatment;
  const RecordEntry entry{standing, fingerprint, plan.job.clip.path.native(),
                          partDigests(treatment, plan.facts.id)};
  makeRecorded(recordOf(plan.job.place.path.parent_path()), plan.job.place, entry, [&] {
    const auto watch = std::make_shared<RenderWatch>();
    const Rendered rendered =
        renderPlan(plan, factsOf(plan.basis->shoot.path), progressOf(index, stop, kAsking, 1), watch.get(),
                   [&] { change([&] { watch_ = watch; }); });
    takeResult(item, rendered.result);
    item.why = rendered.words;
  });
}

void Batch::renderItem(int index, std::stop_token stop) {
  RunItem result;
  {
    const std::lock_guard lock(mutex_);
    result = items_[static_cast<size_t>(index)];
  }
  // The plan of the item stays as it was made, for another try.
  RunItem worked = result;
  try {
    renderInto(worked, index, stop);
    result = std::move(worked);
    result.share = 1;
  } catch (const Error& error) {
    result.state = error.kind() == ErrorKind::Cancelled ? RunState::Cancelled : RunState::Failed;
    result.why = error.kind() == ErrorKind::Cancelled ? "Stopped by hand." : error.what();
  } catch (const std::exception& error) {
    result.state = RunState::Failed;
    result.why = std::string("Unexpected trouble: ") + error.what();
  }
  change([&] {
    items_[static_cast<size_t>(current_)] = result;
    current_ = -1;
  });
}

void Batch::pause(bool paused) {
  change([&] { paused_ = paused; });
}

bool Batch::paused() const {
  const std::lock_guard lock(mutex_);
  return paused_;
}

void Batch::retry(int index) {
  change([&] {
    for (size_t i = 0; i < items_.size(); ++i) {
      RunItem& item = items_[i];
      if (index >= 0 && static_cast<size_t>(index) != i) continue;
      if (item.state == RunState::Done || item.state == RunState::Running || !item.plan->refusal.empty())
        continue;
      item.state = RunState::Waiting;
      item.share = 0;
      item.why.clear();
    }
  });
}

void Batch::cancel(int index) {
  change([&] {
    RunItem& item = items_[static_cast<size_t>(index)];
    if (item.state == RunState::Running) current_stop_.request_stop();
    if (item.state == RunState::Waiting) {
      item.state = RunState::Cancelled;
      item.why = "Taken out by hand.";
    }
  });
}

void Batch::report(int index, const std::function<void(RunItem&)>& edit) {
  change([&] { edit(items_[static_cast<size_t>(index)]); });
}

void Batch::move(int from, int to) {
  change([&] {
    const auto count = static_cast<int>(items_.size());
    if (from < 0 || from >= count || to < 0 || to >= count || from == to) return;
    // The running item must keep its place: its index is in use.
    if (current_ >= 0 && (from <= current_ || to <= current_)) return;
    if (items_[static_cast<size_t>(from)].state != RunState::Waiting) return;
    RunItem item = std::move(items_[static_cast<size_t>(from)]);
    items_.erase(items_.begin() + from);
    items_.insert(items_.begin() + to, std::move(item));
  });
}

}  // namespace glenhaze
