#include "desktop/compare/preview.h"

#include <QMetaType>

#include "core/base/error.h"
#include "core/frame/rgb.h"

namespace glenhaze::desktop {

QImage imageOf(const Frame& frame) {
  const ScreenPicture picture = toScreen(frame, frame.width, frame.height);
  QImage image(frame.width, frame.height, QImage::Format_RGB32);
  for (int y = 0; y < frame.height; ++y)
    std::copy_n(picture.bgrx.data() + static_cast<size_t>(y) * static_cast<size_t>(frame.width) * 4, static_cast<size_t>(frame.width) * 4, image.scanLine(y));
  return image;
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
  job_ = Job{clip, correction, fields, ++generation_};
  cache_.clear();
  order_.clear();
  cache_bytes_ = 0;
  wanted_.reset();
  loop_first_ = loop_last_ = 0;
}

void Preview::clear() {
  const std::lock_guard lock(mutex_);
  job_.reset();
  ++generation_;
  cache_.clear();
  order_.clear();
  cache_bytes_ = 0;
  wanted_.reset();
}

void Preview::request(int64_t index) {
  {
    const std::lock_guard lock(mutex_);
    wanted_ = index;
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
  return known != cache_.end() ? std::optional(known->second) : std::nullopt;
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
  for (int64_t i = loop_first_; i < loop_last_; ++i)
    if (!cache_.contains(i)) return i;
  return std::nullopt;
}

void Preview::keep(PreviewFrame frame) {
  frame.corrected_frame = {};
  frame.source_frame = {};
  const auto bytes = static_cast<size_t>(frame.source.sizeInBytes() + frame.corrected.sizeInBytes());
  if (cache_.contains(frame.index)) return;
  while (cache_bytes_ + bytes > kCacheBytes && !order_.empty()) {
    const auto old = cache_.find(order_.front());
    order_.pop_front();
    if (old == cache_.end()) continue;
    cache_bytes_ -= static_cast<size_t>(old->second.source.sizeInBytes() + old->second.corrected.sizeInBytes());
    cache_.erase(old);
  }
  order_.push_back(frame.index);
  cache_bytes_ += bytes;
  cache_.emplace(frame.index, std::move(frame));
}

void Preview::work(const std::stop_token& stop) {
  std::optional<ClipReader> reader;
  std::unique_ptr<Geometry> geometry;
  int generation = -1;
  int64_t position = -1;
  while (!stop.stop_requested()) {
    Job job;
    int64_t index = 0;
    bool asked = false;
    {
      std::unique_lock lock(mutex_);
      wake_.wait(lock, stop, [&] { return job_ && (wanted_ || nextAhead()); });
      if (stop.stop_requested()) return;
      if (!job_) continue;
      job = *job_;
      asked = wanted_.has_value();
      index = asked ? *wanted_ : nextAhead().value_or(0);
      wanted_.reset();
    }
    try {
      if (generation != job.generation) {
        reader.emplace(job.clip, ReadOptions{0, job.fields});
        geometry = std::make_unique<Geometry>(job.correction, PictureSize{job.clip.width, job.clip.height});
        generation = job.generation;
        position = 0;
      }
      // Decoding a few frames ahead is quicker than going back to a key frame.
      if (index < position || index > position + 12) {
        reader->seek(index);
        position = index;
      }
      std::optional<Frame> frame;
      while ((frame = reader->next())) {
        position = frame->index + 1;
        if (frame->index >= index) break;
      }
      if (!frame)
        throw Error(ErrorKind::Unreadable, "This frame cannot be read", job.clip.path.filename().string(), "frame " + std::to_string(index), "");
      PreviewFrame result;
      result.index = index;
      result.source_frame = *frame;
      result.source = imageOf(*frame);
      if (geometry->grid() != nullptr) {
        result.corrected_frame = correctFrame(*frame, *geometry, frame->format);
        result.corrected = imageOf(result.corrected_frame);
      } else {
        result.corrected_frame = *frame;
        result.corrected = result.source;
      }
      {
        const std::lock_guard lock(mutex_);
        if (generation_ != job.generation) continue;
        keep(result);
      }
      if (asked)
        Q_EMIT ready(result);
      else
        Q_EMIT loopProgress();
    } catch (const std::exception& error) {
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
