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

void requireWhole(const RenderJob& job, const FrameRange& range, int64_t decoded, int64_t damaged) {
  if (decoded == range.count() && damaged == 0) return;
  const std::string why = decoded < range.count() ? "only " + std::to_string(decoded) + " of " +
                                                        std::to_string(range.count()) + " frames can be read"
                                                  : std::to_string(damaged) + " damaged places";
  throw Error(ErrorKind::Unreadable, "The clip is damaged", job.clip.path.string(), why,
              "Copy it again from the card, or set an out point before the damage");
}

class Renderer {
 public:
  Renderer(const RenderJob& job, const Progress& progress)
      : job_(job), progress_(progress), range_(job.range.value_or(FrameRange{0, job.clip.frames})) {}

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
    result.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - started).count();
    result.fps = static_cast<double>(written_.frames) / std::max(1e-9, result.seconds);
    return result;
  }

 private:
  void read() {
    ClipReader reader(job_.clip, {job_.encode.threads, job_.fields});
    if (range_.first > 0) reader.seek(range_.first);
    int64_t count = 0;
    while (count < range_.count()) {
      auto frame = reader.next();
      // Another frame than the next one means that some could not be read: never delivered in their place.
      if (!frame || frame->index != range_.first + count) break;
      ++count;
      if (!decoded_.push(std::move(*frame))) return;
    }
    requireWhole(job_, range_, count, reader.damaged());
    complete_ = true;
  }

  void correct() {
    Chain chain(job_.correction, {job_.clip.width, job_.clip.height}, [this](const Frame& frame) {
      // Stills and RGB sources keep their planes; the writer converts where the codec wants it.
      return frame.colour.matrix == 0 ? frame.format
                                      : outputFor(frame, outputFormat(job_.encode.codec, job_.clip.format));
    });
    while (const auto frame = decoded_.pop())
      if (auto done = chain.push(*frame, progress_); done && !hand(std::move(*done))) return;
    while (auto done = chain.drain(progress_))
      if (!hand(std::move(*done))) return;
  }

  // False when nobody takes frames any more.
  bool hand(Frame frame) {
    progress_.check();
    if (!corrected_.push(std::move(frame))) return false;
    progress_.update(static_cast<double>(++placed_) /
                     static_cast<double>(std::max<int64_t>(1, range_.count())));
    return true;
  }

  PixelFormat outputFor(const Frame& frame, const PixelFormat& planned) const {
    return frame.format == job_.clip.format ? planned : outputFormat(job_.encode.codec, frame.format);
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
  BoundedQueue<Frame> decoded_{kFramesInFlight}, corrected_{kFramesInFlight};
  std::array<std::exception_ptr, 3> failures_;
  int64_t placed_ = 0;
  std::atomic<bool> complete_ = false, abandon_ = false;
  WriteResult written_;
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
