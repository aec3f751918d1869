#include "core/motion/tracks.h"

#include <algorithm>
#include <cmath>
#include <thread>

#include "core/base/error.h"
#include "core/base/queue.h"
#include "core/motion/detail/follower.h"
#include "core/motion/detail/track_file.h"

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

double coarsenessOf(const TrackRecord& record, const Coding& coding) {
  if (!coding.predicts) return 0;
  constexpr double kNotTold = 0.5;
  if (!coding.step) return kNotTold;
  double squares = 0, frames = 0;
  for (const FrameTracks& f : record.frames) {
    squares += static_cast<double>(f.sharpness);
    ++frames;
  }
  const double contrast = std::sqrt(squares / std::max(1.0, frames));
  // Of a picture that is reduced before, errors have partly cancelled: what is left of them on photographs at
  // 640 to 1920 px goes with the root of the reduction.
  const double reduced =
      std::max(1.0, std::round(record.width / static_cast<double>(TrackOptions().working_width)));
  constexpr double kMost = 2;
  return contrast > 0 ? std::min(kMost, *coding.step / std::sqrt(reduced) / contrast) : kMost;
}

FrameTracks Tracker::push(const Frame& frame, double time_s) {
  return inside_->follower.follow(inside_->preparer.prepare(frame, time_s));
}

namespace {

struct Analysed {
  detail::TrackWriter& writer;
  TrackRecord record;
};

// Frames from `begin` on, each linked to the one before.
void follow(const ClipInfo& clip, const TrackOptions& options, int64_t begin, const Progress& progress,
            Analysed& analysed) {
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
        if (index != begin || begin == 0)
          analysed.record.frames.push_back(analysed.writer.add(std::move(tracks)));
        ++index;
        progress.update(static_cast<double>(index) / static_cast<double>(std::max<int64_t>(1, clip.frames)));
      }
    } catch (...) {
      prepared.close();
      throw;
    }
  }
  if (failure) std::rethrow_exception(failure);
}

}  // namespace

TrackRecord trackClip(const ClipInfo& clip, const TrackOptions& options, const Progress& progress,
                      const TrackPlace& place) {
  detail::TrackWriter writer(place, clip.width, clip.height, detail::TrackWriter::Earlier::TakeUp);
  Analysed analysed{writer, writer.takenUp()};
  try {
    // The last frame is read again, so that the next one has something to be linked to.
    const auto begin = std::max<int64_t>(0, static_cast<int64_t>(analysed.record.frames.size()) - 1);
    follow(clip, options, begin, progress, analysed);
    if (analysed.record.frames.empty())
      throw Error(ErrorKind::Unreadable, "The clip holds no frames", clip.path.string(), "", "");
  } catch (const Error& error) {
    if (error.kind() != ErrorKind::Cancelled) writer.drop();
    throw;
  }
  try {
    writer.finish();
  } catch (const Error&) {
    // Beside footage on a card or a full disk nothing can be kept: the next analysis takes its time again.
  }
  return std::move(analysed.record);
}

}  // namespace glenhaze
