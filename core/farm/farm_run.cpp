#include "core/farm/farm_run.h"

#include <algorithm>
#include <chrono>
#include <condition_variable>
#include <mutex>
#include <set>
#include <thread>

#include "core/base/error.h"
#include "core/farm/results.h"
#include "core/run/status.h"

namespace glenhaze {
namespace fs = std::filesystem;

namespace {

// What is whole of an earlier call is taken over, the rest of it is forgotten.
void endEarlier(const fs::path& folder) {
  if (!hasSubmission(folder)) return;
  Submission earlier;
  try {
    earlier = loadSubmission(folder);
  } catch (const Error&) {
    earlier.folder = folder;
    return removeWork(earlier);
  }
  if (!earlier.jobs.empty() && slurmHas(earlier.jobs)) {
    std::string jobs;
    for (const std::string& job : earlier.jobs) jobs += (jobs.empty() ? "" : ", ") + job;
    throw Error(ErrorKind::BadRequest, "Slurm is rendering into this folder already",
                folder.parent_path().string(), "jobs " + jobs, "Wait for them, or end them with scancel");
  }
  collect(earlier);
  removeWork(earlier);
}

// Where those that are to be rendered stand in the batch; what is there already is done.
std::vector<int> takeWaiting(Batch& batch) {
  std::vector<int> taken;
  std::unique_ptr<RunRecord> record;
  const std::vector<RunItem> items = batch.items();
  for (int i = 0; i < std::ssize(items); ++i) {
    const RunItem& item = items[static_cast<size_t>(i)];
    if (item.state != RunState::Waiting) continue;
    const ClipPlan& plan = *item.plan;
    const fs::path folder = plan.job.place.path.parent_path();
    if (!record && RunRecord::isIn(folder)) record = std::make_unique<RunRecord>(folder);
    if (statusOf(plan, record.get()).kind == ClipStatus::Kind::Rendered) {
      batch.report(i,
                   [&](RunItem& done) { takeAsThere(done, plan, "an earlier run with the same settings"); });
      continue;
    }
    taken.push_back(i);
  }
  return taken;
}

void takeFarmResult(RunItem& item, const FarmResult& result) {
  item.state = result.state;
  item.why = result.why;
  item.share = 1;
  item.frames = result.frames;
  item.bytes = result.bytes;
  item.checked = result.checked;
  item.seconds = result.seconds;
  item.fps = result.seconds > 0 ? static_cast<double>(result.frames) / result.seconds : 0;
}

class Follower {
 public:
  Follower(Batch& batch, const FarmWork& work) : batch_(batch), items_(work.items), s_(work.submission) {}

  // False when a stop was asked for.
  bool follow(const std::stop_token& stop) {
    // After the last job has gone a shared disk may take that long to show what it wrote (nfs(5), acdirmax).
    constexpr auto kLate = std::chrono::seconds(60);
    auto last_seen = std::chrono::steady_clock::now();
    while (true) {
      collect(s_);
      if (show()) return true;
      const auto now = std::chrono::steady_clock::now();
      if (slurmHas(s_.jobs))
        last_seen = now;
      else if (now - last_seen > kLate)
        return true;
      if (!rest(stop)) return false;
    }
  }

  void end(bool stopped) {
    collect(s_);
    const std::vector<FarmResult> results = finalResults(s_);
    FactStore store(s_.shoot.parent_path() / kFactsName);
    for (size_t i = 0; i < results.size(); ++i)
      batch_.report(items_[i], [&](RunItem& item) {
        takeFarmResult(item, results[i]);
        if (!stopped || resultOf(s_, static_cast<int>(i))) return;
        item.state = RunState::Cancelled;
        item.why = "Stopped by hand.";
      });
    // What was found out on the way belongs to the plan, as if it had been rendered here.
    const std::vector<RunItem> all = batch_.items();
    for (size_t i = 0; i < results.size(); ++i) {
      if (results[i].state != RunState::Done) continue;
      const auto& plan = all[static_cast<size_t>(items_[i])].plan;
      auto known = std::make_shared<const ClipPlan>(planAgain(*plan, knownFacts(plan->clip.path, store)));
      batch_.report(items_[i], [&](RunItem& item) { item.plan = std::move(known); });
    }
    // What tasks that failed have said stays to be read, until the next run.
    if (!stopped &&
        std::ranges::any_of(results, [](const FarmResult& r) { return r.state == RunState::Failed; }))
      removeMade(s_);
    else
      removeWork(s_);
  }

 private:
  // True when all are at an end.
  bool show() {
    const std::vector<double> shares = sharesDone(s_);
    bool all = true;
    for (size_t i = 0; i < shares.size(); ++i) {
      if (ended_.contains(i)) continue;
      const auto result = shares[i] >= 1 ? resultOf(s_, static_cast<int>(i)) : std::nullopt;
      all = all && result;
      if (result) ended_.insert(i);
      if (shares[i] < 0) continue;
      batch_.report(items_[i], [&](RunItem& item) {
        item.state = RunState::Running;
        item.share = shares[i];
        if (result) takeFarmResult(item, *result);
      });
    }
    return all;
  }

  // False when a stop was asked for.
  bool rest(const std::stop_token& stop) {
    constexpr auto kLook = std::chrono::seconds(1);
    std::unique_lock lock(mutex_);
    wake_.wait_for(lock, stop, kLook, [] { return false; });
    return !stop.stop_requested();
  }

  Batch& batch_;
  const std::vector<int>& items_;
  const Submission& s_;
  std::set<size_t> ended_;
  std::mutex mutex_;
  std::condition_variable_any wake_;
};

}  // namespace

FarmWork farmWorkOf(Batch& batch, double chunk_s) {
  const std::vector<RunItem> items = batch.items();
  const auto waiting = std::ranges::find(items, RunState::Waiting, &RunItem::state);
  if (waiting == items.end()) return {};
  endEarlier(farmFolder(waiting->plan->job.place.path.parent_path()));
  FarmWork work;
  work.items = takeWaiting(batch);
  SharedPlans all, to_render;
  for (const RunItem& item : items) all.push_back(item.plan);
  for (const int i : work.items) to_render.push_back(items[static_cast<size_t>(i)].plan);
  work.submission = submissionOf(all, to_render, chunk_s);
  if (!work.items.empty()) saveSubmission(work.submission);
  return work;
}

void runOnSlurm(Batch& batch, const FarmOptions& options, const std::stop_token& stop) {
  FarmWork work = farmWorkOf(batch, options.chunk_s);
  if (work.items.empty()) return;
  Submission& submission = work.submission;
  try {
    submission.jobs = handToSlurm(submission, options.slurm, stop);
    saveSubmission(submission);
  } catch (...) {
    removeWork(submission);
    throw;
  }
  Follower follower(batch, work);
  bool all = false;
  try {
    all = follower.follow(stop);
  } catch (...) {
    // Nobody follows any more; what is whole is taken over by the next run.
    cancelInSlurm(submission.jobs);
    throw;
  }
  // Where all is done too: what is left only looks whether there is something to do. It gets a moment to end,
  // since it writes into the folder that is removed now; on a node that died it may never be told.
  cancelInSlurm(submission.jobs);
  constexpr int kMoments = 25;
  for (int i = 0; i < kMoments && slurmHas(submission.jobs); ++i)
    std::this_thread::sleep_for(std::chrono::milliseconds(200));
  follower.end(!all);
}

}  // namespace glenhaze
