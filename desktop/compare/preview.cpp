#include "desktop/compare/preview.h"

#include <QMetaType>
#include <algorithm>
#include <cmath>
#include <functional>

#include "core/frame/reduce.h"
#include "core/frame/rgb.h"
#include "core/pipeline/any_frame.h"
#include "desktop/trouble.h"

namespace glenhaze::desktop {

QImage imageOf(const Frame& frame) {
  // The image takes the picture's memory over instead of copying it.
  auto* picture = new ScreenPicture(toScreen(frame, frame.width, frame.height));
  return {picture->bgrx.data(),
          picture->width,
          picture->height,
          picture->width * 4,
          QImage::Format_RGB32,
          [](void* p) { delete static_cast<ScreenPicture*>(p); },
          picture};
}

void drawImages(PreviewFrame& frame) {
  frame.source = imageOf(frame.shown_source);
  const bool same = frame.corrected_frame.planes[0].data == frame.shown_source.planes[0].data;
  frame.corrected = same ? frame.source : imageOf(frame.corrected_frame);
}

QImage liftedImage(const QImage& image, int stops) {
  if (stops == 0 || image.isNull()) return image;
  const auto table = liftedScreenValues(stops);
  QImage out(image.size(), QImage::Format_RGB32);
  for (int y = 0; y < image.height(); ++y)
    std::transform(image.constScanLine(y), image.constScanLine(y) + 4 * image.width(), out.scanLine(y),
                   [&](uchar v) { return table[v]; });
  return out;
}

namespace {

size_t bytesOf(const Frame& frame) {
  size_t bytes = 0;
  for (const Plane& plane : frame.planes)
    bytes += static_cast<size_t>(plane.stride) * static_cast<size_t>(plane.height);
  return bytes;
}

// What it takes to keep it: its images, or the samples that they are drawn from.
size_t keptBytes(const PreviewFrame& frame) {
  if (!frame.source.isNull())
    return static_cast<size_t>(frame.source.sizeInBytes() + frame.corrected.sizeInBytes());
  const bool same = frame.corrected_frame.planes[0].data == frame.shown_source.planes[0].data;
  return bytesOf(frame.corrected_frame) + (same ? 0 : bytesOf(frame.shown_source));
}

void withoutSamples(PreviewFrame& frame) {
  frame.corrected_frame = frame.source_frame = frame.clean_frame = frame.shown_source = {};
}

// Drawing these would keep the interface waiting whenever one is shown: they are kept as images.
bool isLarge(const PreviewFrame& frame) {
  const Frame &a = frame.corrected_frame, &b = frame.shown_source;
  return std::max(a.width * a.height, b.width * b.height) > kLargePicture_px;
}

// As it is kept: samples are a third of what images are.
PreviewFrame keepable(PreviewFrame frame) {
  if (isLarge(frame)) {
    withoutSamples(frame);
  } else {
    frame.source = frame.corrected = {};
    frame.source_frame = frame.clean_frame = {};
  }
  return frame;
}

}  // namespace

Preview::Preview(std::shared_ptr<PictureCache> pictures, QObject* parent)
    : QObject(parent),
      pictures_(std::move(pictures)),
      owner_(pictures_->newOwner()),
      draft_owner_(pictures_->newOwner()) {
  qRegisterMetaType<PreviewFrame>();
  thread_ = std::jthread([this](const std::stop_token& stop) { work(stop); });
}

Preview::~Preview() {
  thread_.request_stop();
  wake_.notify_all();
  thread_.join();
  pictures_->forget(owner_);
  pictures_->forget(draft_owner_);
}

void Preview::setClip(const ClipInfo& clip, const Correction& correction, const ReadOptions& reading) {
  const std::lock_guard lock(mutex_);
  forget();
  job_ = Job{clip, correction, reading, job_ && job_->own_motion, generation_};
  wanted_.reset();
  around_.clear();
  loop_first_ = loop_last_ = 0;
}

void Preview::clear() {
  const std::lock_guard lock(mutex_);
  forget();
  job_.reset();
  wanted_.reset();
  around_.clear();
}

void Preview::setOwnMotionWanted(bool on) {
  const std::lock_guard lock(mutex_);
  if (!job_ || job_->own_motion == on) return;
  forget();
  job_->own_motion = on;
  job_->generation = generation_;
}

void Preview::setWatched(bool on) {
  {
    const std::lock_guard lock(mutex_);
    watched_ = on;
  }
  wake_.notify_all();
}

void Preview::setAligned(bool on) {
  const std::lock_guard lock(mutex_);
  if (aligned_ == on) return;
  aligned_ = on;
  forget();
  if (job_) job_->generation = generation_;
}

// What was made so far is of another job.
void Preview::forget() {
  ++generation_;
  making_.request_stop();
  pictures_->forget(owner_);
  pictures_->forget(draft_owner_);
}

// Who moves about meets other groups of pictures soon. They are about half a second long or longer.
void Preview::lookAround(int64_t index) {
  constexpr int64_t kEachSide = 32;
  constexpr size_t kFirst = 8;
  around_.clear();
  if (!drafts_ || !job_) return;
  const auto step = std::max<int64_t>(1, std::llround(job_->clip.fps.value() / 2));
  for (int64_t n = kEachSide; n > 0; --n)
    for (const int64_t at : {index - n * step, index + n * step})
      if (at >= 0 && at < job_->clip.frames) around_.push_back(at);
  around_.push_back(index);
  later_ = around_.size() - std::min(around_.size(), kFirst);
}

void Preview::request(int64_t index) {
  {
    const std::lock_guard lock(mutex_);
    lookAround(index);
    wanted_ = last_asked_ = index;
    // The very frame that is being made ahead is finished, not begun anew.
    if (in_work_ != index) making_.request_stop();
    asked_at_ = std::chrono::steady_clock::now();
  }
  wake_.notify_all();
}

void Preview::setLoop(int64_t first, int64_t last) {
  {
    const std::lock_guard lock(mutex_);
    loop_first_ = first;
    loop_last_ = last;
  }
  wake_.notify_all();
}

std::optional<PreviewFrame> Preview::cached(int64_t index) const {
  std::optional<PreviewFrame> found;
  {
    const std::lock_guard lock(mutex_);
    const auto known = std::static_pointer_cast<const PreviewFrame>(pictures_->find(owner_, index));
    if (!known) return draft_ && draft_->wanted == index ? draft_ : std::nullopt;
    found = *known;
  }
  if (found->source.isNull()) drawImages(*found);
  withoutSamples(*found);
  return found;
}

bool Preview::isCached(int64_t index) const {
  const std::lock_guard lock(mutex_);
  return pictures_->contains(owner_, index) || (draft_ && draft_->wanted == index);
}

int64_t Preview::loopFilled() const {
  const std::lock_guard lock(mutex_);
  return pictures_->count(owner_, loop_first_, loop_last_);
}

int64_t Preview::glimpsed() const { return pictures_->count(draft_owner_, INT64_MIN, INT64_MAX); }

std::optional<int64_t> Preview::nextAhead() const {
  if (loop_last_ <= loop_first_) return std::nullopt;
  // Frames of the loop must not push each other out.
  const int64_t made = pictures_->count(owner_, INT64_MIN, INT64_MAX);
  const size_t used = pictures_->usedBy(owner_);
  if (made > 0 && used + used / static_cast<size_t>(made) > pictures_->budget()) return std::nullopt;
  // From the frame looked at onwards, then from the start: no way back to a key frame for each.
  const int64_t from = std::clamp(last_asked_, loop_first_, loop_last_ - 1);
  for (int64_t n = 0; n < loop_last_ - loop_first_; ++n) {
    const int64_t i = loop_first_ + (from - loop_first_ + n) % (loop_last_ - loop_first_);
    if (!pictures_->contains(owner_, i)) return i;
  }
  return std::nullopt;
}

std::optional<std::pair<int64_t, Preview::For>> Preview::nextIdle() const {
  if (!watched_) return std::nullopt;
  // Pictures that were finished are worth more than drafts.
  const bool room = pictures_->usedBy(draft_owner_) < pictures_->budget() / 4;
  if (room && around_.size() > later_) return std::pair(around_.back(), For::Glimpse);
  if (const auto ahead = nextAhead()) return std::pair(*ahead, For::Loop);
  if (room && !around_.empty()) return std::pair(around_.back(), For::Glimpse);
  return std::nullopt;
}

void Preview::keep(int owner, int64_t number, PreviewFrame frame) {
  const size_t bytes = keptBytes(frame);
  pictures_->put(owner, number, std::make_shared<const PreviewFrame>(std::move(frame)), bytes);
}

// The worker's own: a reader for what is shown at once, and the chain of stages of the clip it stands in.
class Preview::Maker {
 public:
  using HandDraft = std::function<void(PreviewFrame&&)>;

  Maker(const ClipInfo& clip, const Correction& correction, ReadOptions options, bool own_motion,
        bool aligned)
      : aligned_(aligned),
        size_{clip.width, clip.height},
        geometry_(correction, size_),
        correction_(correction),
        staged_(clip, correction, options, own_motion ? OwnMotionUse::Measured : OwnMotionUse::AsSet),
        keys_(clip, byParts(options)) {}

  // The group of pictures that is begun anew on the way to the frame; empty where the frame is there already
  // or comes next, or nobody knows.
  std::optional<int64_t> groupOnTheWayTo(int64_t index) const {
    return staged_.goesOn(index) || staged_.isDecoded(index) ? std::nullopt : keys_.groupOf(index);
  }
  std::optional<int64_t> groupOf(int64_t index) const { return keys_.groupOf(index); }
  // What the way to the frame begins with, at half size; empty where it cannot be had alone.
  std::optional<PreviewFrame> keyDraft(int64_t index) {
    const std::optional<Frame> key = keys_.keyFrame(index);
    return key ? std::optional(drafted(*key)) : std::nullopt;
  }
  /// `hand` is given the frame at half size as soon as it is decoded, where finishing it takes a while; may
  /// be empty. The result's images are not drawn yet. Throws Error(Cancelled) when `progress` is stopped.
  PreviewFrame make(int64_t index, const HandDraft& hand, const Progress& progress) {
    std::function<void(const Frame&)> decoded;
    constexpr int kLarge = 1 << 20;  // px; smaller pictures need no draft
    if (hand && (size_.width * size_.height >= kLarge || correction_.cleans()))
      decoded = [&](const Frame& frame) { hand(drafted(frame)); };
    return made(staged_.make(index, progress, decoded));
  }
  // Whether one of a loop is there so soon that a draft is not worth its time for who steps onto the frame in
  // work.
  bool isQuick() const {
    constexpr int kQuickly = 4 << 20;  // px
    return size_.width * size_.height < kQuickly;
  }

 private:
  static ReadOptions byParts(ReadOptions options) {
    options.by_parts = true;
    return options;
  }

  PreviewFrame drafted(const Frame& frame) {
    const Frame half = halvedFrame(frame);
    if (!half_geometry_) {
      const PictureSize small{half.width, half.height};
      half_geometry_.emplace(correctionAt(correction_, size_, small), small);
    }
    const bool moves = half_geometry_->movesPixels();
    PreviewFrame result =
        shown({half, half, moves ? correctFrame(half, *half_geometry_, half.format) : half, nullptr, 0});
    result.draft = true;
    drawImages(result);
    return result;
  }

  PreviewFrame made(const StagedFrame& staged) const {
    PreviewFrame result = shown(staged);
    result.own = staged.own;
    result.own_seconds = staged.own_seconds;
    if (!correction_.cleans()) return result;
    result.clean_frame = staged.clean;
    // With fine edges steadied as well it could not be told which of both has taken what.
    if (correction_.noise && correction_.shimmer() == 0)
      result.removal = judgeRemoval(staged.source, staged.clean, *correction_.noise);
    return result;
  }

  PreviewFrame shown(const StagedFrame& staged) const {
    PreviewFrame result;
    result.index = staged.source.index;
    result.size = {geometry_.output().width, geometry_.output().height};
    result.source_frame = staged.source;
    result.shown_source = before(staged.source);
    result.corrected_frame = staged.corrected;
    return result;
  }

  Frame before(const Frame& source) const {
    if (!aligned_) return source;
    const bool full = source.width == size_.width;
    const Geometry& geometry = full ? geometry_ : *half_geometry_;
    return geometry.movesPixels() ? correctFrame(source, geometry, source.format) : source;
  }

  bool aligned_;
  PictureSize size_;
  Geometry geometry_;
  Correction correction_;
  AnyFrame staged_;
  ClipReader keys_;
  std::optional<Geometry> half_geometry_;
};

// Another frame is wanted than the one in work.
bool Preview::superseded(int64_t index) {
  const std::lock_guard lock(mutex_);
  return wanted_ && *wanted_ != index;
}

bool Preview::isCurrent(int generation) const {
  const std::lock_guard lock(mutex_);
  return generation == generation_;
}

// On the way to the interface's thread another clip may have been chosen: its answer is of no use then.
void Preview::hand(const PreviewFrame& frame, int generation) {
  QMetaObject::invokeMethod(this, [this, frame, generation] {
    if (isCurrent(generation)) Q_EMIT ready(frame);
  });
}

void Preview::answer(Maker& maker, const Task& task) {
  if (task.what == For::Glimpse) return makeGlimpse(maker, task);
  // What is kept is shown already, and made again for those who measure in it.
  const bool drafts = drafts_ && !pictures_->contains(owner_, task.index);
  if (drafts) handKeyDraft(maker, task);
  if (superseded(task.index)) return;
  Progress progress;
  progress.stop = task.stop;
  Maker::HandDraft hand;
  if (drafts && !isDrafted(task.index) && (task.what == For::Asked || !maker.isQuick()))
    hand = [&](PreviewFrame&& draft) { handDraft(std::move(draft), task); };
  PreviewFrame result = maker.make(task.index, hand, progress);
  result.wanted = task.index;
  finish(std::move(result), task);
}

void Preview::work(const std::stop_token& stop) {
  std::unique_ptr<Maker> maker;
  int generation = -1;
  while (!stop.stop_requested()) {
    const std::optional<Task> task = nextTask(stop);
    if (!task) continue;
    const Job& job = task->job;
    try {
      if (generation != job.generation) {
        maker = std::make_unique<Maker>(job.clip, job.correction, job.reading, job.own_motion, task->aligned);
        generation = job.generation;
      }
      answer(*maker, *task);
    } catch (const std::exception& error) {
      const QString trouble = troubleOf(error);
      // Else cut off because another frame is wanted.
      if (trouble.isEmpty()) continue;
      generation = -1;
      giveUp(trouble, job.generation);
    }
  }
}

std::optional<Preview::Task> Preview::nextTask(const std::stop_token& stop) {
  std::unique_lock lock(mutex_);
  // While the user moves about, the loop is not made ahead: it would keep the next answer waiting.
  wake_.wait_until(lock, stop, asked_at_ + kIdle, [&] { return job_ && wanted_; });
  wake_.wait(lock, stop, [&] { return job_ && (wanted_ || nextIdle()); });
  if (stop.stop_requested() || !job_) return std::nullopt;
  const auto idle = wanted_ ? std::nullopt : nextIdle();
  const For what = idle ? idle->second : For::Asked;
  const int64_t index = idle ? idle->first : wanted_.value_or(0);
  if (what == For::Glimpse) {
    around_.pop_back();
    later_ = std::min(later_, around_.size());
  }
  wanted_.reset();
  making_ = std::stop_source();
  in_work_ = what == For::Glimpse ? -1 : index;
  draft_.reset();
  return Task{*job_, index, what, aligned_, making_.get_token()};
}

void Preview::makeGlimpse(Maker& maker, const Task& task) {
  const std::optional<int64_t> group = maker.groupOf(task.index);
  if (!group || pictures_->contains(draft_owner_, *group)) return;
  try {
    if (const auto draft = maker.keyDraft(task.index)) keepDraft(*group, *draft, task.job.generation);
  } catch (const Error&) {
    // Whoever goes there is told.
  }
}

void Preview::keepDraft(int64_t group, const PreviewFrame& draft, int generation) {
  const std::lock_guard lock(mutex_);
  if (generation_ != generation) return;
  PreviewFrame kept = draft;
  withoutSamples(kept);
  keep(draft_owner_, group, std::move(kept));
}

// Whether what is shown for now is the very frame.
bool Preview::isDrafted(int64_t index) const {
  const std::lock_guard lock(mutex_);
  return draft_ && draft_->index == index;
}

// A large picture takes longer to decode than anybody wants to wait while moving about: what a group of
// pictures begins with is kept.
void Preview::handKeyDraft(Maker& maker, const Task& task) {
  const std::optional<int64_t> group = maker.groupOnTheWayTo(task.index);
  if (!group) return;
  if (const auto known = std::static_pointer_cast<const PreviewFrame>(pictures_->find(draft_owner_, *group)))
    return handDraft(PreviewFrame(*known), task);
  // One made ahead keeps nobody waiting.
  if (task.what != For::Asked) return;
  std::optional<PreviewFrame> draft = maker.keyDraft(task.index);
  if (!draft) return;
  keepDraft(*group, *draft, task.job.generation);
  handDraft(std::move(*draft), task);
}

void Preview::handDraft(PreviewFrame draft, const Task& task) {
  draft.wanted = task.index;
  if (task.what == For::Asked) hand(draft, task.job.generation);
  const std::lock_guard lock(mutex_);
  draft_ = std::move(draft);
}

void Preview::finish(PreviewFrame result, const Task& task) {
  bool asked = task.what == For::Asked;
  const bool large = isLarge(result);
  if (large) drawImages(result);
  PreviewFrame kept = keepable(result);
  {
    const std::lock_guard lock(mutex_);
    if (generation_ != task.job.generation) return;
    keep(owner_, result.index, std::move(kept));
    in_work_ = -1;
    draft_.reset();
    // Asked for while it was made ahead.
    if (wanted_ == task.index) {
      wanted_.reset();
      asked = true;
    }
    // A moment of rest after each answer, before the loop is made ahead again.
    if (asked) asked_at_ = std::chrono::steady_clock::now();
  }
  if (!asked) {
    Q_EMIT loopProgress();
    return;
  }
  if (!large) drawImages(result);
  hand(result, task.job.generation);
}

void Preview::giveUp(const QString& why, int generation) {
  {
    // Without this the same loop frame would be tried for ever.
    const std::lock_guard lock(mutex_);
    loop_first_ = loop_last_ = 0;
  }
  QMetaObject::invokeMethod(this, [this, why, generation] {
    if (isCurrent(generation)) Q_EMIT failed(why);
  });
}

}  // namespace glenhaze::desktop
