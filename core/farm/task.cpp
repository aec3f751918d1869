#include "core/farm/task.h"

#include <unistd.h>

#include <algorithm>
#include <array>
#include <chrono>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/farm/results.h"
#include "core/media/reader.h"
#include "core/run/ask.h"
#include "core/run/render_plan.h"

namespace glenhaze {
namespace fs = std::filesystem;

namespace {

using Clock = std::chrono::steady_clock;

double secondsSince(Clock::time_point begun) {
  return std::chrono::duration<double>(Clock::now() - begun).count();
}

// Two tasks that make the same, one of them thought to be dead, are never in each other's way.
std::string attemptName(int item) {
  std::array<char, 256> host{};
  ::gethostname(host.data(), host.size() - 1);
  return std::to_string(item) + "-" + host.data() + "-" + std::to_string(::getpid());
}

FarmResult resultOfError(const Error& error) {
  FarmResult result;
  result.state = error.kind() == ErrorKind::Cancelled ? RunState::Cancelled : RunState::Failed;
  result.why = error.what();
  return result;
}

FarmResult resultOfRefusal(const ClipPlan& plan) {
  FarmResult result;
  result.state = plan.failed ? RunState::Failed : RunState::Skipped;
  result.why = plan.refusal;
  return result;
}

// What the shoot's store knows is only read, and no two tasks write to one file: of a clip that several tasks
// render only the look does.
FactStore storeFor(const Submission& s, const FarmTask& task) {
  std::error_code code;
  fs::create_directories(s.folder / "facts", code);
  const fs::path known = s.shoot.parent_path() / kFactsName;
  auto below = fs::exists(known, code) ? std::make_shared<const FactStore>(known) : nullptr;
  const fs::path& clip = s.items[static_cast<size_t>(task.item)].clip;
  const auto look = std::ranges::find(
      s.looks, clip, [&](int item) -> const fs::path& { return s.items[static_cast<size_t>(item)].clip; });
  if (look == s.looks.end()) return {factsFile(s, task.item), std::move(below)};
  if (task.stage == FarmStage::Look) return {factsFile(s, *look), std::move(below)};
  return FactStore(std::make_shared<const FactStore>(factsFile(s, *look), std::move(below)));
}

// How far a task is, now and then.
class ShareWriter {
 public:
  ShareWriter(const Submission& submission, const FarmTask& task) : submission_(submission), task_(task) {}
  Progress progress(const Progress& outer) {
    Progress own = outer;
    own.report = [this, &outer](double share) {
      outer.update(share);
      constexpr double kEvery_s = 1;
      if (secondsSince(last_) < kEvery_s) return;
      last_ = Clock::now();
      try {
        writeShare(submission_, task_, share);
      } catch (const Error&) {
        // Only what is shown of it is old then.
      }
    };
    return own;
  }

 private:
  const Submission& submission_;
  FarmTask task_;
  Clock::time_point last_;
};

class Worker {
 public:
  Worker(const Submission& submission, const FarmTask& task, const Progress& progress)
      : s_(submission),
        task_(task),
        item_(submission.items.at(static_cast<size_t>(task.item))),
        progress_(progress),
        store_(storeFor(submission, task)) {}

  // All outputs of the clip, for which the same is asked.
  void look() {
    for (int i = 0; i < std::ssize(s_.items); ++i) {
      const FarmItem& other = s_.items[static_cast<size_t>(i)];
      if (other.clip != item_.clip) continue;
      ending(i, [&] {
        const ClipPlan plan = answered(planOf(s_, other, store_), store_, progress_);
        if (!plan.refusal.empty()) return writeResult(s_, i, resultOfRefusal(plan));
        std::vector<std::string> notes;
        prepare(plan, store_, notes, progress_);
      });
    }
  }

  void renderWhole() {
    if (resultOf(s_, task_.item)) return;
    ending(task_.item, [&] {
      ClipPlan plan = answeredPlan();
      if (!plan.refusal.empty()) return writeResult(s_, task_.item, resultOfRefusal(plan));
      placeAside(plan);
      const Rendered rendered = renderPlan(plan, store_, progress_);
      finish(plan, rendered.result, rendered.words, rendered.result.seconds);
    });
  }

  void renderPart() {
    if (resultOf(s_, task_.item) || partOf(s_, task_.item, task_.part)) return;
    FarmPart made;
    try {
      made = makePart();
    } catch (const Error& error) {
      if (error.kind() == ErrorKind::Cancelled) throw;
      made.failed = resultOfError(error);
    }
    writePart(s_, task_.item, task_.part, made);
  }

  void join() {
    if (resultOf(s_, task_.item)) return;
    ending(task_.item, [&] {
      const std::vector<FarmPart> parts = wholeParts();
      if (parts.empty()) return;
      ClipPlan plan = answeredPlan();
      placeAside(plan);
      if (parts.front().fingerprint != fingerprintOf(plan.decision.treatment, plan.facts.id))
        throw Error(ErrorKind::Unreadable, "The clip was changed while it was rendered", item_.clip.string(),
                    "", "Start the run again");
      const RenderResult result = writeFrames(
          plan.job, [&](const std::function<bool(Frame)>& take) { return framesOf(plan, parts, take); });
      double seconds = result.seconds;
      for (const FarmPart& part : parts) seconds += part.seconds;
      finish(plan, result, renderedWords(plan, parts.front().notes, result), seconds);
    });
  }

 private:
  // A clip that fails does so with a result; a stop leaves none.
  template <typename Body>
  void ending(int item, Body body) {
    try {
      body();
    } catch (const Error& error) {
      if (error.kind() == ErrorKind::Cancelled) throw;
      writeResult(s_, item, resultOfError(error));
    }
  }

  ClipPlan answeredPlan() { return answered(planOf(s_, item_, store_), store_, partOf(progress_, 0, 0)); }

  // Under its own name, in a folder of this attempt.
  void placeAside(ClipPlan& plan) const {
    const fs::path folder = s_.folder / "whole" / attemptName(task_.item);
    fs::create_directories(folder);
    plan.job.place.path = folder / item_.output.filename();
    plan.job.place.temporary.clear();
    plan.job.place.existing = Existing::ReplaceAny;
  }

  void finish(const ClipPlan& plan, const RenderResult& rendered, const std::string& words, double seconds) {
    FarmResult result;
    result.why = words;
    result.file = plan.job.place.path;
    result.fingerprint = fingerprintOf(plan.decision.treatment, plan.facts.id);
    result.parts = partDigests(plan.decision.treatment, plan.facts.id);
    result.frames = rendered.written.frames;
    result.bytes = rendered.written.bytes;
    result.checked = rendered.written.checked;
    result.seconds = seconds;
    writeResult(s_, task_.item, result);
  }

  // As a film without loss, that knows nothing of the clip but its rate.
  RenderJob partJob(const ClipPlan& plan, const FrameRange& range) const {
    RenderJob job = plan.job;
    job.range = range;
    return job;
  }

  static ClipInfo bareClip(const ClipInfo& of, const FrameRange& range) {
    ClipInfo info;
    info.path = of.path;
    info.kind = ClipKind::Sequence;
    info.fps = info.nominal_fps = of.nominal_fps;
    info.time_base = {of.nominal_fps.den, of.nominal_fps.num};
    info.frames = range.count();
    info.format = of.format;
    return info;
  }

  FarmPart makePart() {
    const auto begun = Clock::now();
    const FrameRange range = item_.parts.at(static_cast<size_t>(task_.part));
    ClipPlan plan = answeredPlan();
    FarmPart made;
    if (!plan.refusal.empty()) {
      made.failed = resultOfRefusal(plan);
      return made;
    }
    made.notes = plan.decision.notes;
    const Prepared prepared = prepare(plan, store_, made.notes, partOf(progress_, 0, 0.05));
    // The words of the whole are those of its first part.
    if (task_.part == 0)
      if (const std::string doubt = noiseDoubt(plan, store_, {{}, progress_.stop}); !doubt.empty())
        made.notes.push_back(doubt);
    plan.job.correction = correctionOf(plan.decision.treatment, prepared);
    made.fingerprint = fingerprintOf(plan.decision.treatment, plan.facts.id);
    RenderJob out = plan.job;
    out.clip = bareClip(plan.info, range);
    out.range.reset();
    out.encode = {Codec::Ffv1, Quality::Standard, std::nullopt, Sound::None};
    out.place.temporary.clear();
    fs::create_directories(s_.folder / "parts");
    out.place.path =
        s_.folder / "parts" / (attemptName(task_.item) + "-" + std::to_string(task_.part) + ".mkv");
    out.place.existing = Existing::ReplaceAny;
    const RenderResult result = writeFrames(out, [&](const std::function<bool(Frame)>& take) {
      return makeFrames(
          partJob(plan, range),
          [&](Frame frame) {
            if (made.pts.empty()) {
              made.tags = frame;
              made.tags.planes = {};
            }
            made.pts.push_back(frame.pts);
            made.durations.push_back(frame.duration);
            frame.index = frame.pts = static_cast<int64_t>(made.pts.size()) - 1;
            frame.duration = 1;
            return take(std::move(frame));
          },
          partOf(progress_, 0.05, 1));
    });
    made.file = result.written.path;
    made.seconds = secondsSince(begun);
    return made;
  }

  // Empty, with a result written, where one of them could not be made.
  std::vector<FarmPart> wholeParts() {
    std::vector<FarmPart> parts;
    for (int part = 0; part < std::ssize(item_.parts); ++part) {
      auto made = glenhaze::partOf(s_, task_.item, part);
      FarmResult failed;
      failed.state = RunState::Failed;
      failed.why = "Part " + std::to_string(part + 1) + " of it ended without a result. What it said is in " +
                   (s_.folder / "log").string() + ". Start the run again.";
      if (made && made->failed) failed = *made->failed;
      if (!made || made->failed) {
        writeResult(s_, task_.item, failed);
        return {};
      }
      parts.push_back(std::move(*made));
    }
    return parts;
  }

  MadeFrames framesOf(const ClipPlan& plan, const std::vector<FarmPart>& parts,
                      const std::function<bool(Frame)>& take) {
    const int64_t from = item_.parts.front().first;
    int64_t index = from;
    for (const FarmPart& part : parts) {
      ClipReader reader(probe(part.file));
      for (size_t i = 0; i < part.pts.size(); ++i) {
        progress_.check();
        auto frame = reader.next();
        if (!frame || !(frame->format == part.tags.format) || frame->width != part.tags.width)
          throw Error(ErrorKind::Unreadable, "A part of the clip cannot be read back", part.file.string(), "",
                      "Start the run again");
        Frame whole = part.tags;
        whole.planes = frame->planes;
        whole.index = index++;
        whole.pts = part.pts[i];
        whole.duration = part.durations[i];
        if (!take(std::move(whole))) return {};
        progress_.update(static_cast<double>(index - from) /
                         static_cast<double>(item_.parts.back().last - from));
      }
    }
    if (index != item_.parts.back().last)
      throw Error(ErrorKind::Unreadable, "Frames are missing", plan.info.path.string(),
                  std::to_string(index - from) + " of " + std::to_string(item_.parts.back().last - from),
                  "Start the run again");
    return {};
  }

  const Submission& s_;
  const FarmTask& task_;
  const FarmItem& item_;
  const Progress& progress_;
  FactStore store_;
};

}  // namespace

void doTask(const Submission& submission, const FarmTask& task, const Progress& progress) {
  if (task.stage == FarmStage::Collect) {
    collect(submission);
    return removeMade(submission);
  }
  ShareWriter shares(submission, task);
  const Progress shown = shares.progress(progress);
  Worker worker(submission, task, shown);
  switch (task.stage) {
    case FarmStage::Look:
      return worker.look();
    case FarmStage::Join:
      return worker.join();
    default:
      return task.part < 0 ? worker.renderWhole() : worker.renderPart();
  }
}

}  // namespace glenhaze
