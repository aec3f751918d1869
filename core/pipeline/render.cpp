#include "core/pipeline/render.h"

#include <algorithm>
#include <chrono>
#include <exception>
#include <optional>
#include <thread>

#include "core/base/queue.h"
#include "core/device/device.h"
#include "core/media/graphics.h"
#include "core/pipeline/chain.h"
#include "core/pipeline/encoding_thread.h"

namespace glenhaze {

namespace {

// What could be read of a clip, when reading came to its end or to a gap.
struct ReadSoFar {
  int64_t decoded = 0;
  int64_t damaged = 0;
  std::optional<FrameRange> gap;  ///< frames that could not be built, where others follow
};

std::string damageOf(const ReadSoFar& so_far, int64_t due) {
  if (so_far.gap && so_far.gap->count() == 1)
    return "frame " + std::to_string(so_far.gap->first + 1) + " cannot be read";
  if (so_far.gap)
    return "frames " + std::to_string(so_far.gap->first + 1) + " to " + std::to_string(so_far.gap->last) +
           " cannot be read";
  if (so_far.decoded < due)
    return "only " + std::to_string(so_far.decoded) + " of " + std::to_string(due) + " frames can be read";
  return std::to_string(so_far.damaged) + " damaged places";
}

void requireWhole(const RenderJob& job, int64_t due, const ReadSoFar& so_far) {
  if (so_far.decoded > 0 && so_far.decoded == due && so_far.damaged == 0) return;
  const std::string why = damageOf(so_far, due);
  throw Error(ErrorKind::Unreadable, "The clip is damaged", job.clip.path.string(), why,
              "Copy it again from the card, render what is readable, or set an out point before the damage");
}

FrameRange rangeOf(const RenderJob& job) { return job.range.value_or(FrameRange{0, job.clip.frames}); }

void requireRange(const RenderJob& job) {
  if (job.clip.frames <= 0)
    throw Error(ErrorKind::Unreadable, "The clip holds no frames", job.clip.path.string(), "", "");
  const FrameRange range = rangeOf(job);
  if (range.first < 0 || range.last > job.clip.frames || range.count() <= 0)
    throw Error(ErrorKind::BadRequest, "The in and out points do not fit the clip", job.clip.path.string(),
                std::to_string(range.first) + " to " + std::to_string(range.last) + " of " +
                    std::to_string(job.clip.frames) + " frames",
                "Set them again");
}

// Decodes in a thread of its own and corrects in the caller's.
class Maker {
 public:
  Maker(const RenderJob& job, const std::function<bool(Frame)>& take, const Progress& progress,
        RenderWatch* watch)
      : job_(job),
        take_(take),
        progress_(progress),
        watch_(watch),
        range_(rangeOf(job)),
        chain_(job.correction, {job.clip.width, job.clip.height}, chainOptions(job, range_, watch)),
        decoded_(framesInFlight(job.clip.width, job.clip.height)) {}

  MadeFrames run() {
    std::exception_ptr reading, correcting;
    {
      const std::jthread reader([&] {
        try {
          read();
        } catch (...) {
          reading = std::current_exception();
        }
        decoded_.close();
      });
      try {
        correct();
      } catch (...) {
        correcting = std::current_exception();
      }
      // Wakes the reader where nobody takes frames any more.
      decoded_.close();
    }
    for (const auto& failure : {reading, correcting})
      if (failure) std::rethrow_exception(failure);
    return {held_, size_change_, card_trouble_};
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
      if (!frame) requireWhole(job_, range_.count(), {});
      if (!decoded_.push(std::move(*frame))) return false;
    }
    return true;
  }

  void read() {
    if (!readLead()) return;
    ClipReader reader(job_.clip, job_.reading());
    if (range_.first > 0) reader.seek(range_.first);
    int64_t count = 0;
    std::optional<FrameRange> gap;
    while (count < range_.count()) {
      // A decoded frame that only waits to be put there is 25 MB at 4K.
      if (!decoded_.awaitRoom()) return;
      auto frame = watched(watch_, RenderWatch::Read, [&] { return reader.next(); });
      // Another frame than the next one means that some could not be read: never delivered in their place.
      const int64_t wanted = range_.first + count;
      if (frame && frame->index > wanted) gap = FrameRange{wanted, frame->index};
      if (!frame || frame->index != wanted) break;
      ++count;
      if (!decoded_.push(std::move(*frame))) return;
    }
    held_ = reader.held();
    size_change_ = reader.sizeChange();
    card_trouble_ = reader.cardTrouble();
    // What is behind a change of size is not due; under Damage::Hold nothing is missing that had to be there.
    const int64_t due = size_change_ ? size_change_->index - range_.first : range_.count();
    if (job_.damage == Damage::PassOver || count == 0)
      requireWhole(job_, due, {count, reader.damaged(), gap});
    for (int64_t beyond = 0; beyond < chain_.feedBeyond() && !size_change_; ++beyond) {
      auto frame = reader.next();
      if (!frame || frame->index != range_.last + beyond || !decoded_.push(std::move(*frame))) return;
    }
  }

  static ChainOptions chainOptions(const RenderJob& job, const FrameRange& range, RenderWatch* watch) {
    ChainOptions options;
    options.watch = watch;
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
    // Handing over waits for the encoder: only the picture that it is about is held meanwhile.
    while (auto picture = nextPicture())
      if (!hand(std::move(*picture))) return;
  }

  std::optional<Frame> nextPicture() {
    while (auto frame = decoded_.pop())
      if (auto done = chain_.push(std::move(*frame), progress_)) return std::move(done->picture);
    if (auto done = chain_.drain(progress_)) return std::move(done->picture);
    return std::nullopt;
  }

  // False when nobody takes frames any more.
  bool hand(Frame frame) {
    progress_.check();
    if (frame.index >= range_.last) return false;
    if (watch_ != nullptr) watch_->pass(frame);
    if (!take_(std::move(frame))) return false;
    progress_.update(static_cast<double>(++placed_) /
                     static_cast<double>(std::max<int64_t>(1, range_.count())));
    return true;
  }

  const RenderJob& job_;
  const std::function<bool(Frame)>& take_;
  const Progress& progress_;
  RenderWatch* const watch_;
  const FrameRange range_;
  Chain chain_;
  BoundedQueue<Frame> decoded_;
  int64_t placed_ = 0;
  // Of the reading thread, until it has ended.
  HeldFrames held_;
  std::optional<ClipReader::SizeChange> size_change_;
  std::string card_trouble_;
};

}  // namespace

MadeFrames makeFrames(const RenderJob& job, const std::function<bool(Frame)>& take, const Progress& progress,
                      RenderWatch* watch) {
  requireRange(job);
  return Maker(job, take, progress, watch).run();
}

namespace {

void addNote(RenderResult& result, const std::string& note) {
  result.written.note += (result.written.note.empty() ? "" : "; ") + note;
}

RenderResult writeOnce(const RenderJob& job, const FrameMaker& make, RenderWatch* watch) {
  requireRange(job);
  const auto started = std::chrono::steady_clock::now();
  const bool sound_device = deviceTrouble().empty();
  EncodingThread encoding(
      [&job](const Frame& first) {
        return std::make_unique<ClipWriter>(job.place, job.clip, rangeOf(job), job.encode, first);
      },
      watch, framesInFlight(job.clip.width, job.clip.height));
  RenderResult result;
  std::string card_note;
  try {
    const MadeFrames made = make([&](Frame frame) { return encoding.push(std::move(frame)); });
    result.held = made.held;
    result.size_change = made.size_change;
    if (!made.card_trouble.empty())
      card_note =
          "the graphics card stopped decoding (" + made.card_trouble + "), so the processor read the rest";
  } catch (...) {
    encoding.abandon();
    throw;
  }
  result.written = encoding.finish();
  result.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - started).count();
  result.fps = static_cast<double>(result.written.frames) / std::max(1e-9, result.seconds);
  if (!card_note.empty()) addNote(result, card_note);
  if (const std::string why = deviceTrouble(); sound_device && !why.empty())
    addNote(result, "the device failed (" + why + "), so the processor did the rest");
  return result;
}

}  // namespace

RenderResult writeFrames(const RenderJob& job, const FrameMaker& make, RenderWatch* watch) {
  try {
    return writeOnce(job, make, watch);
  } catch (const GraphicsFailure& failure) {
    // A file cannot change its encoder on the way: all frames again, none is lost.
    RenderJob by_processor = job;
    by_processor.encode.graphics = false;
    RenderResult result = writeOnce(by_processor, make, watch);
    addNote(result, "the graphics card failed (" + failure.why() + "), so the processor encoded all of it");
    return result;
  }
}

RenderResult renderClip(const RenderJob& job, const Progress& progress, RenderWatch* watch) {
  return writeFrames(
      job, [&](const std::function<bool(Frame)>& take) { return makeFrames(job, take, progress, watch); },
      watch);
}

}  // namespace glenhaze
