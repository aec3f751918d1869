#include "core/run/batch.h"

#include <algorithm>
#include <nlohmann/json.hpp>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/run/ask.h"

namespace glenhaze {
namespace fs = std::filesystem;
using nlohmann::json;

namespace {

constexpr const char* kRecordName = ".glenhaze-run.json";

// The run's record in the output folder: which output came from which source with which settings.
class RunRecord {
 public:
  explicit RunRecord(const fs::path& folder) : path_(folder / kRecordName) {
    std::error_code code;
    if (!fs::exists(path_, code)) return;
    try {
      entries_ = json::parse(readFile(path_)).value("outputs", json::object());
    } catch (const std::exception&) {
      // A record that cannot be read only means that nothing is known of earlier runs.
      entries_ = json::object();
    }
  }

  /// Written before rendering starts, so that an output that appears just before a kill is known.
  void expect(const RenderJob& job, const std::string& fingerprint) {
    entries_[job.output.filename().string()] = fingerprint;
    const json all = {{"format", "glenhaze-run"}, {"version", 1}, {"outputs", entries_}};
    writeFileAtomically(path_, all.dump(1) + "\n");
  }

  /// True when the output is there, complete, and from the same source and settings.
  bool holds(const RenderJob& job, const std::string& fingerprint) const {
    std::error_code code;
    const auto entry = entries_.find(job.output.filename().string());
    if (entry == entries_.end() || *entry != fingerprint || !fs::exists(job.output, code)) return false;
    if (fs::is_directory(job.output, code)) return true;
    const int64_t wanted = job.range ? job.range->count() : job.clip.frames;
    return probe(job.output).frames == wanted;
  }

 private:
  fs::path path_;
  json entries_ = json::object();
};

}  // namespace

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

std::string renderFingerprint(const ClipPlan& plan) {
  const RenderJob& job = plan.job;
  std::error_code code;
  json key;
  key["source"] = job.clip.path.string();
  if (job.clip.kind == ClipKind::Film) {
    key["bytes"] = fs::file_size(job.clip.path, code);
    key["modified"] = fs::last_write_time(job.clip.path, code).time_since_epoch().count();
  }
  const Correction& c = job.correction;
  if (c.lens) {
    key["lens"] = {lensModelName(c.lens->model), c.lens->fx, c.lens->fy, c.lens->cx, c.lens->cy, c.lens->k};
    key["amount"] = c.lens_amount;
  }
  if (c.noise) {
    key["noise"] = {c.noise->iso, c.noise->light, c.noise->level, c.noise->sigma, c.noise->octaves};
    for (const NoiseChange& change : c.noise_changes)
      key["noise_changes"].push_back({change.first, change.curve.iso, change.curve.sigma});
  }
  if (c.cleans()) {
    key["denoise"] = denoiseToText(c.denoise);
    for (const HotPixel& p : c.hot_pixels) key["hot_pixels"].push_back({p.x, p.y});
  }
  if (c.shutter_local) key["shutter_local"] = true;
  key["fill"] = c.fill;
  key["size"] = {c.output.width, c.output.height};
  key["codec"] = codecName(job.encode.codec);
  key["quality"] = static_cast<int>(job.encode.quality);
  if (job.encode.bit_rate) key["bit_rate"] = *job.encode.bit_rate;
  key["sound"] = static_cast<int>(job.encode.sound);
  key["fields"] = static_cast<int>(job.fields);
  if (job.range) key["range"] = {job.range->first, job.range->last};
  const ClipQuestions& q = plan.questions;
  if (q.iso || q.light) {
    key["asked"] = {q.iso, q.light};
    for (const NoiseCurve& curve : q.curves) key["curves"].push_back({curve.iso, curve.light, curve.sigma});
  }
  if (q.motion) key["motion"] = motionFingerprint(plan.motion);
  return key.dump();
}

Batch::Batch(std::vector<ClipPlan> plans) {
  for (ClipPlan& plan : plans) {
    RunItem item;
    if (!plan.refusal.empty()) {
      item.state = plan.failed ? RunState::Failed : RunState::Skipped;
      item.why = plan.refusal;
    }
    item.plan = std::move(plan);
    items_.push_back(std::move(item));
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
    if (item.plan.refusal.empty() && item.state != RunState::Cancelled) {
      const auto frames = static_cast<double>(item.plan.info.frames);
      const double pixels = frames * item.plan.info.width * item.plan.info.height;
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
  std::set<fs::path> cleaned;
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
      const fs::path folder = items_[static_cast<size_t>(index)].plan.job.output.parent_path();
      if (cleaned.insert(folder).second) removeUnfinishedOutputs(folder);
    }
    renderItem(index, token);
  }
}

void Batch::renderItem(int index, std::stop_token stop) {
  RunItem result;
  {
    const std::lock_guard lock(mutex_);
    result = items_[static_cast<size_t>(index)];
  }
  const RenderJob& job = result.plan.job;
  const auto progressTo = [&](double from, double to) {
    Progress progress;
    progress.stop = stop;
    progress.report = [this, index, from, to, stop](double share) {
      change([&] { items_[static_cast<size_t>(index)].share = from + (to - from) * share; });
      // While paused the running clip waits too, and this is where.
      std::unique_lock lock(mutex_);
      wake_.wait(lock, [&] { return !paused_ || stop.stop_requested(); });
    };
    return progress;
  };
  try {
    std::error_code code;
    std::string notes;
    // Asking reads part of the clip, or once all of it: counted as a tenth of the work.
    const double asked = result.plan.questions.any() ? 0.1 : 0;
    fs::create_directories(job.output.parent_path(), code);
    RunRecord record(job.output.parent_path());
    const std::string fingerprint = renderFingerprint(result.plan);
    const bool there = job.encode.existing == Existing::Refuse && record.holds(job, fingerprint);
    if (!there && result.plan.questions.any()) {
      const ClipFindings findings = askClip(result.plan, progressTo(0, asked));
      for (const std::string& note : findings.notes) notes += note + " ";
      answerQuestions(result.plan, findings);
    }
    if (there) {
      result.was_there = true;
      result.why = "Rendered by an earlier run with the same settings.";
      result.frames = job.range ? job.range->count() : job.clip.frames;
    } else {
      if (job.encode.existing == Existing::Replace || !fs::exists(job.output, code))
        record.expect(job, fingerprint);
      const RenderResult rendered = renderClip(job, progressTo(asked, 1));
      result.frames = rendered.written.frames;
      result.bytes = rendered.written.bytes;
      result.seconds = rendered.seconds;
      result.fps = rendered.fps;
      result.why = notes + rendered.written.note;
    }
    result.state = RunState::Done;
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
      if (item.state == RunState::Done || item.state == RunState::Running || !item.plan.refusal.empty())
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
