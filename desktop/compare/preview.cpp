#include "desktop/compare/preview.h"

#include <QMetaType>
#include <algorithm>

#include "core/base/error.h"
#include "core/frame/reduce.h"
#include "core/frame/rgb.h"
#include "core/pipeline/own_motion_stage.h"
#include "core/pipeline/sensor_stage.h"

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

QImage liftedImage(const QImage& image, int stops) {
  if (stops == 0 || image.isNull()) return image;
  const auto table = liftedScreenValues(stops);
  QImage out(image.size(), QImage::Format_RGB32);
  for (int y = 0; y < image.height(); ++y)
    std::transform(image.constScanLine(y), image.constScanLine(y) + 4 * image.width(), out.scanLine(y),
                   [&](uchar v) { return table[v]; });
  return out;
}

Preview::Preview(QObject* parent) : QObject(parent) {
  qRegisterMetaType<PreviewFrame>();
  thread_ = std::jthread([this](const std::stop_token& stop) { work(stop); });
}

Preview::~Preview() {
  thread_.request_stop();
  wake_.notify_all();
}

void Preview::setClip(const ClipInfo& clip, const Correction& correction, Fields fields) {
  const std::lock_guard lock(mutex_);
  forget();
  job_ = Job{clip, correction, fields, job_ && job_->own_motion, generation_};
  wanted_.reset();
  loop_first_ = loop_last_ = 0;
}

void Preview::clear() {
  const std::lock_guard lock(mutex_);
  forget();
  job_.reset();
  wanted_.reset();
}

void Preview::setOwnMotionWanted(bool on) {
  const std::lock_guard lock(mutex_);
  if (!job_ || job_->own_motion == on) return;
  forget();
  job_->own_motion = on;
  job_->generation = generation_;
}

// What was made so far is of another job.
void Preview::forget() {
  ++generation_;
  making_.request_stop();
  cache_.clear();
  order_.clear();
  cache_bytes_ = 0;
}

void Preview::request(int64_t index) {
  {
    const std::lock_guard lock(mutex_);
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
  const std::lock_guard lock(mutex_);
  const auto known = cache_.find(index);
  if (known != cache_.end()) return known->second;
  return draft_ && draft_->wanted == index ? draft_ : std::nullopt;
}

int64_t Preview::loopFilled() const {
  const std::lock_guard lock(mutex_);
  int64_t count = 0;
  for (int64_t i = loop_first_; i < loop_last_; ++i) count += cache_.contains(i) ? 1 : 0;
  return count;
}

std::optional<int64_t> Preview::nextAhead() const {
  if (loop_last_ <= loop_first_) return std::nullopt;
  const size_t per_frame = cache_.empty() ? 1 : cache_bytes_ / cache_.size();
  if (cache_bytes_ + per_frame > kCacheBytes) return std::nullopt;
  // From the frame looked at onwards, then from the start: no way back to a key frame for each.
  const int64_t from = std::clamp(last_asked_, loop_first_, loop_last_ - 1);
  for (int64_t n = 0; n < loop_last_ - loop_first_; ++n) {
    const int64_t i = loop_first_ + (from - loop_first_ + n) % (loop_last_ - loop_first_);
    if (!cache_.contains(i)) return i;
  }
  return std::nullopt;
}

void Preview::keep(PreviewFrame frame) {
  frame.corrected_frame = {};
  frame.source_frame = {};
  frame.clean_frame = {};
  const auto bytes = static_cast<size_t>(frame.source.sizeInBytes() + frame.corrected.sizeInBytes());
  if (cache_.contains(frame.index)) return;
  while (cache_bytes_ + bytes > kCacheBytes && !order_.empty()) {
    const auto old = cache_.find(order_.front());
    order_.pop_front();
    if (old == cache_.end()) continue;
    cache_bytes_ -=
        static_cast<size_t>(old->second.source.sizeInBytes() + old->second.corrected.sizeInBytes());
    cache_.erase(old);
  }
  order_.push_back(frame.index);
  cache_bytes_ += bytes;
  cache_.emplace(frame.index, std::move(frame));
}

namespace {

// The worker's own: a reader and the geometries of the clip it stands in.
class Maker {
 public:
  Maker(const ClipInfo& clip, const Correction& correction, Fields fields, bool own_motion)
      : reader_(clip, ReadOptions{0, fields}),
        fields_(fields),
        size_{clip.width, clip.height},
        geometry_(correction, size_),
        correction_(correction),
        own_motion_(correction.mendsOwnMotion() ||
                    (own_motion && correction.motion && correction.motion->shutter.rolls())) {}

  void goTo(int64_t index) {
    wanted_ = index;
    if (index != position_) reader_.seek(index);
    frame_.reset();
  }
  // What can be shown at once on the way to the frame; empty when that frame itself comes next.
  std::optional<PreviewFrame> draft() {
    constexpr int kLarge = 1 << 20;  // px; smaller pictures need no draft
    std::optional<Frame> first = wanted_ != position_ ? reader_.landing() : std::nullopt;
    if (!first && size_.width * size_.height < kLarge && !correction_.cleans()) return std::nullopt;
    if (!first || first->index >= wanted_) {
      frame_ = first ? std::move(first) : reader_.next();
      if (!frame_ || frame_->index < wanted_) return std::nullopt;
      first = frame_;
    }
    const Frame half = halvedFrame(*first);
    if (!half_geometry_) {
      const PictureSize small{half.width, half.height};
      half_geometry_.emplace(correctionAt(correction_, size_, small), small);
    }
    PreviewFrame result = pictures(half, half, *half_geometry_, nullptr);
    result.draft = true;
    return result;
  }
  // The way to the frame is left; the next goTo() seeks anew.
  void abandon() {
    position_ = -1;
    frame_.reset();
  }
  void decode() {
    if (!frame_) frame_ = reader_.next();
    while (frame_ && frame_->index < wanted_) frame_ = reader_.next();
    position_ = frame_ ? frame_->index + 1 : -1;
  }
  /// Throws Error(Cancelled) when `progress` is stopped.
  PreviewFrame make(const Progress& progress) {
    decode();
    const auto begun = std::chrono::steady_clock::now();
    const auto own = own_motion_ && frame_ ? ownMotion(frame_->index) : nullptr;
    const double own_seconds =
        std::chrono::duration<double>(std::chrono::steady_clock::now() - begun).count();
    PreviewFrame result = makeWith(own, progress);
    result.own = own;
    result.own_seconds = own ? own_seconds : 0;
    return result;
  }

 private:
  PreviewFrame makeWith(const std::shared_ptr<const OwnMotion>& own, const Progress& progress) {
    const auto taken_back = correction_.mendsOwnMotion() ? own : nullptr;
    if (frame_ && correction_.cleans()) {
      const Frame source = *frame_;
      std::optional<Frame> clean;
      try {
        clean = cleaned(progress);
      } catch (...) {
        stage_.reset();
        throw;
      }
      if (clean) {
        PreviewFrame result = pictures(source, *clean, geometry_, taken_back);
        result.clean_frame = *clean;
        if (correction_.noise) result.removal = judgeRemoval(source, *clean, *correction_.noise);
        return result;
      }
    }
    if (!frame_)
      throw Error(ErrorKind::Unreadable, "This frame cannot be read", reader_.info().path.filename().string(),
                  "frame " + std::to_string(wanted_), "");
    return pictures(*frame_, *frame_, geometry_, taken_back);
  }

  PreviewFrame pictures(const Frame& source, const Frame& clean, const Geometry& geometry,
                        const std::shared_ptr<const OwnMotion>& own) const {
    PreviewFrame result;
    result.index = source.index;
    result.size = {geometry_.output().width, geometry_.output().height};
    result.source_frame = source;
    result.source = imageOf(source);
    result.corrected_frame =
        geometry.movesPixels() ? correctFrame(clean, geometry, clean.format, own) : clean;
    const bool same = !geometry.movesPixels() && clean.index == source.index &&
                      clean.planes[0].data == source.planes[0].data;
    result.corrected = same ? result.source : imageOf(result.corrected_frame);
    return result;
  }
  // The frame without noise. Its neighbours come through a reader of their own, so that going on by one
  // frame costs one frame.
  std::optional<Frame> cleaned(const Progress& progress) {
    const int64_t wanted = frame_->index;
    const int side = correction_.looksAround();
    if (!feed_) feed_ = std::make_unique<ClipReader>(reader_.info(), ReadOptions{0, fields_});
    if (!stage_ || wanted != next_clean_) {
      const int64_t first = std::max<int64_t>(0, wanted - side);
      feed_->seek(first);
      stage_.emplace(correction_, static_cast<int>(wanted - first));
      draining_ = false;
    }
    next_clean_ = wanted + 1;
    while (!draining_) {
      const auto frame = feed_->next();
      draining_ = !frame;
      if (!frame) break;
      if (auto clean = stage_->push(*frame, progress)) return clean;
    }
    return stage_->drain(progress);
  }
  // What moves on its own in a frame, from its neighbours as they were filmed.
  std::shared_ptr<const OwnMotion> ownMotion(int64_t wanted) {
    if (!own_feed_) own_feed_ = std::make_unique<ClipReader>(reader_.info(), ReadOptions{0, fields_});
    if (!own_stage_ || wanted != next_own_) {
      own_feed_->seek(std::max<int64_t>(0, wanted - 1));
      own_stage_.emplace(correction_);
    }
    next_own_ = wanted + 1;
    while (const auto frame = own_feed_->next())
      if (const auto ready = own_stage_->push(*frame); ready && ready->frame.index == wanted)
        return ready->own;
    const auto last = own_stage_->drain();
    return last && last->frame.index == wanted ? last->own : nullptr;
  }

  ClipReader reader_;
  std::unique_ptr<ClipReader> own_feed_;
  std::optional<OwnMotionStage> own_stage_;
  int64_t next_own_ = -1;
  std::unique_ptr<ClipReader> feed_;
  std::optional<SensorStage> stage_;
  int64_t next_clean_ = -1;
  bool draining_ = false;
  Fields fields_;
  PictureSize size_;
  Geometry geometry_;
  Correction correction_;
  bool own_motion_;
  std::optional<Geometry> half_geometry_;
  std::optional<Frame> frame_;
  int64_t wanted_ = 0, position_ = 0;
};

}  // namespace

// Another frame is wanted than the one in work.
bool Preview::superseded(int64_t index) {
  const std::lock_guard lock(mutex_);
  return wanted_ && *wanted_ != index;
}

void Preview::work(const std::stop_token& stop) {
  std::unique_ptr<Maker> maker;
  int generation = -1;
  while (!stop.stop_requested()) {
    Job job;
    int64_t index = 0;
    bool asked = false;
    Progress progress;
    {
      std::unique_lock lock(mutex_);
      // While the user moves about, the loop is not made ahead: it would keep the next answer waiting.
      wake_.wait_until(lock, stop, asked_at_ + kIdle, [&] { return job_ && wanted_; });
      wake_.wait(lock, stop, [&] { return job_ && (wanted_ || nextAhead()); });
      if (stop.stop_requested()) return;
      if (!job_) continue;
      job = *job_;
      asked = wanted_.has_value();
      index = asked ? *wanted_ : nextAhead().value_or(0);
      wanted_.reset();
      making_ = std::stop_source();
      in_work_ = index;
      draft_.reset();
      progress.stop = making_.get_token();
    }
    try {
      if (generation != job.generation) {
        maker = std::make_unique<Maker>(job.clip, job.correction, job.fields, job.own_motion);
        generation = job.generation;
      }
      maker->goTo(index);
      if (drafts_) {
        if (auto draft = maker->draft()) {
          draft->wanted = index;
          if (asked) Q_EMIT ready(*draft);
          const std::lock_guard lock(mutex_);
          draft_ = std::move(*draft);
        }
        if (superseded(index)) {
          maker->abandon();
          continue;
        }
      }
      maker->decode();
      if (superseded(index)) continue;
      PreviewFrame result = maker->make(progress);
      result.wanted = index;
      {
        const std::lock_guard lock(mutex_);
        if (generation_ != job.generation) continue;
        keep(result);
        in_work_ = -1;
        draft_.reset();
        // Asked for while it was made ahead.
        if (wanted_ == index) {
          wanted_.reset();
          asked = true;
        }
        // A moment of rest after each answer, before the loop is made ahead again.
        if (asked) asked_at_ = std::chrono::steady_clock::now();
      }
      if (asked)
        Q_EMIT ready(result);
      else
        Q_EMIT loopProgress();
    } catch (const std::exception& error) {
      // Cut off because another frame is wanted.
      if (const auto* known = dynamic_cast<const Error*>(&error);
          known != nullptr && known->kind() == ErrorKind::Cancelled)
        continue;
      generation = -1;
      {
        // Without this the same loop frame would be tried for ever.
        const std::lock_guard lock(mutex_);
        loop_first_ = loop_last_ = 0;
      }
      Q_EMIT failed(QString::fromUtf8(error.what()));
    }
  }
}

}  // namespace glenhaze::desktop
