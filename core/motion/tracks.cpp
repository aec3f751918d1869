#include "core/motion/tracks.h"

#include <algorithm>
#include <cstring>
#include <fstream>
#include <thread>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/queue.h"
#include "core/motion/detail/follower.h"

namespace glenhaze {

bool MotionMask::operator==(const MotionMask& other) const {
  const auto same = [](Point a, Point b) { return a.x == b.x && a.y == b.y; };
  return first == other.first && last == other.last &&
         std::equal(corners.begin(), corners.end(), other.corners.begin(), other.corners.end(), same);
}

// By how often a line from the place to the right crosses the outline.
bool MotionMask::covers(Point p) const {
  bool inside = false;
  for (size_t i = 0, j = corners.size() - 1; i < corners.size(); j = i++) {
    const Point &a = corners[i], &b = corners[j];
    if ((a.y > p.y) != (b.y > p.y) && p.x < (b.x - a.x) * (p.y - a.y) / (b.y - a.y) + a.x) inside = !inside;
  }
  return inside;
}

struct Tracker::Inside {
  detail::FramePreparer preparer;
  detail::PointFollower follower;
};

Tracker::Tracker(int width, int height, const TrackOptions& options)
    : inside_(std::make_unique<Inside>(
          Inside{detail::FramePreparer(width, options), detail::PointFollower(width, height, options)})) {}
Tracker::~Tracker() = default;
Tracker::Tracker(Tracker&&) noexcept = default;
Tracker& Tracker::operator=(Tracker&&) noexcept = default;

FrameTracks Tracker::push(const Frame& frame, double time_s) {
  return inside_->follower.follow(inside_->preparer.prepare(frame, time_s));
}

TrackRecord trackClip(const ClipInfo& clip, const TrackOptions& options, const Progress& progress,
                      const TrackRecord* resume, TrackRecord* partial) {
  TrackRecord record;
  record.width = clip.width;
  record.height = clip.height;
  int64_t begin = 0;
  if (resume != nullptr && resume->width == clip.width && resume->height == clip.height &&
      resume->frames.size() > 1) {
    record.frames = resume->frames;
    // The last frame is read again, so that the next one has something to be linked to.
    begin = static_cast<int64_t>(record.frames.size()) - 1;
  }
  // A frame that is missing would put all that follow out of step.
  ClipReader reader(clip, {0, options.fields, Damage::Hold});
  if (begin > 0) reader.seek(begin);
  BoundedQueue<detail::PreparedFrame> prepared(4);
  std::exception_ptr failure;
  {
    const std::jthread preparing([&] {
      try {
        detail::FramePreparer preparer(clip.width, options, begin);
        while (const auto frame = reader.next()) {
          // By its index: a frame that stands in for a damaged one carries the time of another.
          if (!prepared.push(preparer.prepare(*frame, clip.frameTime(frame->index)))) break;
        }
      } catch (...) {
        failure = std::current_exception();
      }
      prepared.close();
    });
    try {
      detail::PointFollower follower(clip.width, clip.height, options, begin);
      int64_t index = begin;
      while (auto frame = prepared.pop()) {
        progress.check();
        FrameTracks tracks = follower.follow(std::move(*frame));
        if (index != begin || begin == 0) record.frames.push_back(std::move(tracks));
        ++index;
        progress.update(static_cast<double>(index) / static_cast<double>(std::max<int64_t>(1, clip.frames)));
      }
    } catch (...) {
      if (partial != nullptr) *partial = record;
      prepared.close();
      throw;
    }
  }
  if (failure) std::rethrow_exception(failure);
  if (record.frames.empty())
    throw Error(ErrorKind::Unreadable, "The clip holds no frames", clip.path.string(), "", "");
  return record;
}

namespace {

constexpr const char* kMagic = "glenhaze-tracks 1\n";
template <typename T>
void append(std::string& text, T value) {
  text.append(reinterpret_cast<const char*>(&value), sizeof value);
}

class Bytes {
 public:
  explicit Bytes(std::string_view text) : text_(text) {}
  template <typename T>
  T take() {
    T value{};
    if (text_.size() < sizeof value) {
      short_ = true;
      return value;
    }
    std::memcpy(&value, text_.data(), sizeof value);
    text_.remove_prefix(sizeof value);
    return value;
  }
  bool ranShort() const { return short_; }
  size_t left() const { return text_.size(); }

 private:
  std::string_view text_;
  bool short_ = false;
};

}  // namespace

void saveTracks(const TrackRecord& record, const std::string& key, const std::filesystem::path& path) {
  std::string text = kMagic + key + "\n";
  append(text, static_cast<int32_t>(record.width));
  append(text, static_cast<int32_t>(record.height));
  append(text, static_cast<int32_t>(record.frames.size()));
  const detail::PositionSteps steps(record.width, record.height);
  const auto put = [&](float v) { append(text, steps.to(v)); };
  for (const FrameTracks& f : record.frames) {
    append(text, f.time_s);
    append(text, f.sharpness);
    append(text, static_cast<uint16_t>(f.cut ? 1 : 0));
    append(text, static_cast<uint16_t>(f.pairs.size()));
    for (const TrackPair& p : f.pairs) {
      put(p.from_x);
      put(p.from_y);
      put(p.to_x);
      put(p.to_y);
    }
  }
  writeFileAtomically(path, text);
}

std::optional<TrackRecord> loadTracks(const std::string& key, const std::filesystem::path& path) {
  std::error_code ignored;
  if (!std::filesystem::exists(path, ignored)) return std::nullopt;
  const std::string text = readFile(path);
  const std::string head = kMagic + key + "\n";
  if (!text.starts_with(head)) return std::nullopt;
  Bytes bytes(std::string_view(text).substr(head.size()));
  TrackRecord record;
  record.width = bytes.take<int32_t>();
  record.height = bytes.take<int32_t>();
  const auto count = bytes.take<int32_t>();
  if (count < 0 || record.width < 1 || record.height < 1) return std::nullopt;
  const detail::PositionSteps steps(record.width, record.height);
  const auto get = [&] { return steps.from(bytes.take<uint16_t>()); };
  for (int i = 0; i < count && !bytes.ranShort(); ++i) {
    FrameTracks f;
    f.time_s = bytes.take<double>();
    f.sharpness = bytes.take<float>();
    f.cut = bytes.take<uint16_t>() != 0;
    f.pairs.resize(bytes.take<uint16_t>());
    for (TrackPair& p : f.pairs) p = {get(), get(), get(), get()};
    record.frames.push_back(std::move(f));
  }
  if (bytes.ranShort() || bytes.left() > 0) return std::nullopt;
  // Speeds are per second between frames: a clock that stands still would make them infinite.
  for (size_t i = 1; i < record.frames.size(); ++i)
    if (!(record.frames[i].time_s > record.frames[i - 1].time_s)) return std::nullopt;
  return record;
}

}  // namespace glenhaze
