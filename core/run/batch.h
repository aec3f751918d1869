#pragma once
// Many clips, one after the other, each on all cores. Goes on after a failure; can be paused, put in
// another order, cancelled and taken up again; a run that was killed renders only what is missing.

#include <chrono>
#include <condition_variable>
#include <functional>
#include <map>
#include <memory>
#include <mutex>
#include <stop_token>
#include <string>
#include <vector>

#include "core/pipeline/watch.h"
#include "core/run/plan.h"
#include "core/run/record.h"

namespace glenhaze {

/// What a run may put its outputs in place of. Footage, and folders that are not ours and unchanged, never.
enum class Replace {
  Nothing,  ///< what exists stays, unless it is exactly what would be made
  Ours,     ///< outputs of earlier runs that are out of date and that nobody has changed since
  Files     ///< any file
};

/// What may be done about whatever has an output's name. Throws Error(Unwritable) where nothing may.
Existing existingAllowed(Standing standing, Replace replace, const std::filesystem::path& output);

enum class RunState { Waiting, Running, Done, Failed, Skipped, Cancelled };
std::string runStateName(RunState state);

struct RunItem {
  std::shared_ptr<const ClipPlan> plan;  ///< never null; shared, so that looking at a run costs little
  RunState state = RunState::Waiting;
  std::string why;         ///< of a failure or a skip; a note when done
  std::string checked;     ///< how the output was looked over
  bool was_there = false;  ///< done by an earlier run with the same settings
  double share = 0;        ///< 0..1
  int64_t frames = 0;      ///< rendered
  double fps = 0;
  double seconds = 0;
  uint64_t bytes = 0;
};

struct RunSummary {
  int waiting = 0, running = 0, done = 0, failed = 0, skipped = 0, cancelled = 0;
  double seconds_left = -1;  ///< −1 while nothing is known
  double share = 0;          ///< of all frames, 0..1
};

/// All methods may be called from any thread; run() from one at a time.
class Batch {
 public:
  explicit Batch(const PlanList& plans, Replace replace = Replace::Nothing);

  /// Called from the running thread after every change; must be quick.
  void setListener(std::function<void()> listener);

  /// Renders everything that waits. Returns when nothing waits any more or a stop is asked for.
  void run(std::stop_token stop);

  std::vector<RunItem> items() const;
  /// Of the clip that is being rendered, or was last; null before the first.
  std::shared_ptr<const RenderWatch> watch() const;
  RunSummary summary() const;

  void pause(bool paused);
  bool paused() const;
  /// Puts failed, cancelled and skipped items that can be rendered back into the queue; −1: all of them.
  void retry(int index = -1);
  /// Takes an item out of the run; stops it when it is being rendered.
  void cancel(int index);
  /// Moves a waiting item before another one.
  void move(int from, int to);
  /// For whoever renders items elsewhere: how one of them stands.
  void report(int index, const std::function<void(RunItem&)>& edit);

 private:
  int nextWaiting() const;
  void renderItem(int index, std::stop_token stop);
  void renderInto(RunItem& item, int index, const std::stop_token& stop);
  void renderAs(RunItem& item, ClipPlan& plan, int index, const std::stop_token& stop,
                const std::string& fingerprint, Standing standing);
  FactStore& factsOf(const std::filesystem::path& shoot);
  Progress progressOf(int index, std::stop_token stop, double from, double to);
  RunRecord& recordOf(const std::filesystem::path& folder);
  void change(const std::function<void()>& edit);
  mutable std::mutex mutex_;
  std::condition_variable wake_;
  std::vector<RunItem> items_;
  Replace replace_;
  // Of the running thread alone.
  std::map<std::filesystem::path, std::unique_ptr<RunRecord>> records_;
  std::map<std::filesystem::path, std::unique_ptr<FactStore>> facts_;
  std::function<void()> listener_;
  bool paused_ = false;
  int current_ = -1;
  std::shared_ptr<RenderWatch> watch_;
  std::stop_source current_stop_;
  std::chrono::steady_clock::time_point current_started_;
};

/// An output that need not be made: `by` whom it was. For a plan whose decision is complete.
void takeAsThere(RunItem& item, const ClipPlan& plan, const std::string& by);

/// The report of a finished run.
std::string reportCsv(const std::vector<RunItem>& items);
/// One page with everything in it: for each clip what was done and why, its figures, and where it was
/// rendered a frame from its middle before and after, read from the files. What cannot be read any more is
/// left out. Throws Error(Cancelled).
std::string reportHtml(const std::vector<RunItem>& items, const std::string& title,
                       const Progress& progress = {});
/// The table for a name that ends in .csv, else the page. Throws Error(Unwritable), also for a name that
/// leads to one of the clips or outputs, and Error(Cancelled).
void saveReport(const std::filesystem::path& file, const std::vector<RunItem>& items,
                const std::string& title, const Progress& progress = {});

}  // namespace glenhaze
