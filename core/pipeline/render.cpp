#include "core/pipeline/render.h"

#include <algorithm>
#include <array>
#include <atomic>
#include <chrono>
#include <exception>
#include <thread>

#include "core/base/queue.h"
#include "core/pipeline/chain.h"

namespace glenhaze {

namespace {

constexpr size_t kFramesInFlight = 4;  // per queue: enough to smooth out key frames

// Runs `body`, keeps what it throws, and closes the queues on both sides so that nobody waits for ever.
template <typename Body>
std::jthread stage(std::exception_ptr& failure, BoundedQueue<Frame>& in, BoundedQueue<Frame>& out,
                   Body body) {
  return std::jthread([&failure, &in, &out, body] {
    try {
      body();
    } catch (...) {
      failure = std::current_exception();
    }
    in.close();
    out.close();
  });
}

void requireWhole(const RenderJob& job, int64_t due, int64_t decoded, int64_t damaged) {
  if (decoded > 0 && decoded == due && damaged == 0) return;
  const std::string why = decoded == 0 || decoded < due ? "only " + std::to_string(decoded) + " of " +
                                                              std::to_string(due) + " frames can be read"
                                                        : std::to_string(damaged) + " damaged places";
  throw Error(ErrorKind::Unreadable, "The clip is damaged", job.clip.path.string(), why,
              "Copy it again from the card, render what is readable, or set an out point before the damage");
}

class Renderer {
 public:
  Renderer(const RenderJob& job, const Progress& progress)
      : job_(job),
        progress_(progress),
        range_(job.range.value_or(FrameRange{0, job.clip.frames})),
        chain_(job.correction, {job.clip.width, job.clip.height}, chainOptions(job, range_)) {}

  RenderResult run() {
    const auto started = std::chrono::steady_clock::now();
    {
      const auto reader = stage(failures_[0], decoded_, decoded_, [this] { read(); });
      const auto writer = stage(failures_[2], corrected_, corrected_, [this] { write(); });
      try {
        correct();
      } catch (...) {
        failures_[1] = std::current_exception();
        abandon_ = true;
      }
      // Wakes the reader when writing has failed, and the writer when there is no more to come.
      decoded_.close();
      corrected_.close();
    }
    for (const auto& failure : failures_)
      if (failure) std::rethrow_exception(failure);
    RenderResult result;
    result.written = written_;
    result.held = held_;
    result.size_change = size_change_;
    result.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - started).count();
    result.fps = static_cast<double>(written_.frames) / std::max(1e-9, result.seconds);
    return result;
  }

 private:
  // Frames outside the range only help those at its ends: one that cannot be read is nobody's loss.
  bool readLead() {
    const int64_t from = chain_.feedFrom();
    if (from == range_.first) return true;
    ReadOptions holding = job_.reading();
    holding.damage = Damage::Hold;
    ClipReader reader(job_.clip, holding);
    reader.seek(from);
    for (int64_t i = from; i < range_.first; ++i) {
      auto frame = reader.next();
      if (!frame) requireWhole(job_, range_.count(), 0, 0);
      if (!decoded_.push(std::move(*frame))) return false;
    }
    return true;
  }

  void read() {
    if (!readLead()) return;
    ClipReader reader(job_.clip, job_.reading());
    if (range_.first > 0) reader.seek(range_.first);
    int64_t count = 0;
    while (count < range_.count()) {
      auto frame = reader.next();
      // Another frame than the next one means that some could not be read: never delivered in their place.
      if (!frame || frame->index != range_.first + count) break;
      ++count;
      if (!decoded_.push(std::move(*frame))) return;
    }
    held_ = reader.held();
    size_change_ = reader.sizeChange();
    // What is behind a change of size is not due; under Damage::Hold nothing is missing that had to be there.
    const int64_t due = size_change_ ? size_change_->index - range_.first : range_.count();
    if (job_.damage == Damage::PassOver || count == 0) requireWhole(job_, due, count, reader.damaged());
    complete_ = true;
    for (int64_t beyond = 0; beyond < chain_.feedBeyond() && !size_change_; ++beyond) {
      auto frame = reader.next();
      if (!frame || frame->index != range_.last + beyond || !decoded_.push(std::move(*frame))) return;
    }
  }

  static ChainOptions chainOptions(const RenderJob& job, const FrameRange& range) {
    ChainOptions options;
    options.first = range.first;
    // Stills and RGB sources keep their planes; the writer converts where the codec wants it.
    options.format = [&job](const Frame& frame) {
      if (frame.colour.matrix == 0) return frame.format;
      // Telling a source's format before it is decoded may be wrong.
      const bool as_told = frame.format == job.clip.format;
      return outputFormat(job.encode.codec, as_told ? job.clip.format : frame.format);
    };
    return options;
  }

  void correct() {
    while (const auto frame = decoded_.pop())
      if (auto done = chain_.push(*frame, progress_); done && !hand(std::move(done->picture))) return;
    while (auto done = chain_.drain(progress_))
      if (!hand(std::move(done->picture))) return;
  }

  // False when nobody takes frames any more.
  bool hand(Frame frame) {
    progress_.check();
    if (frame.index >= range_.last) return false;
    if (!corrected_.push(std::move(frame))) return false;
    progress_.update(static_cast<double>(++placed_) /
                     static_cast<double>(std::max<int64_t>(1, range_.count())));
    return true;
  }

  void write() {
    auto frame = corrected_.pop();
    if (!frame) return;
    ClipWriter writer(job_.place, job_.clip, range_, job_.encode, *frame);
    for (; frame; frame = corrected_.pop()) writer.write(*frame);
    // The queue also ends when reading or correcting failed: then the output must not appear.
    if (abandon_ || !complete_) return;
    written_ = writer.finish();
  }

  const RenderJob& job_;
  const Progress& progress_;
  const FrameRange range_;
  Chain chain_;
  BoundedQueue<Frame> decoded_{kFramesInFlight}, corrected_{kFramesInFlight};
  std::array<std::exception_ptr, 3> failures_;
  int64_t placed_ = 0;
  std::atomic<bool> complete_ = false, abandon_ = false;
  WriteResult written_;
  // Of the reading thread, until it has ended.
  HeldFrames held_;
  std::optional<ClipReader::SizeChange> size_change_;
};

}  // namespace

RenderResult renderClip(const RenderJob& job, const Progress& progress) {
  if (job.clip.frames <= 0)
    throw Error(ErrorKind::Unreadable, "The clip holds no frames", job.clip.path.string(), "", "");
  const FrameRange range = job.range.value_or(FrameRange{0, job.clip.frames});
  if (range.first < 0 || range.last > job.clip.frames || range.count() <= 0)
    throw Error(ErrorKind::BadRequest, "The in and out points do not fit the clip", job.clip.path.string(),
                std::to_string(range.first) + " to " + std::to_string(range.last) + " of " +
                    std::to_string(job.clip.frames) + " frames",
                "Set them again");
  return Renderer(job, progress).run();
}

}  // namespace glenhaze
