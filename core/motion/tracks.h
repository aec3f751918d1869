#pragma once
// What the picture shows of the camera's motion: small patches followed from each frame to the next
// (B. D. Lucas, T. Kanade, "An iterative image registration technique…", 1981, in pyramids as in OpenCV's
// video module; corners by J. Shi, C. Tomasi, "Good features to track", CVPR 1994). Tracks know nothing of
// lens or shutter, so they stay good when the profile changes.

#include <cstdint>
#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/base/geometry.h"
#include "core/base/progress.h"
#include "core/media/clip_info.h"
#include "core/media/coding.h"
#include "core/media/reader.h"

namespace glenhaze {

/// A part of the picture that is not the scene: rotor blades, the craft's own parts, a housing's rim.
struct MotionMask {
  std::vector<Point> corners;  ///< polygon, as shares of the picture's width and height, 0..1
  int64_t first = 0;           ///< frames in which it holds
  int64_t last = -1;           ///< behind the last one; −1: to the end
  bool holdsAt(int64_t frame) const { return frame >= first && (last < 0 || frame < last); }
  /// Whether it covers a place, as shares of the width and height.
  bool covers(Point share) const;
  bool operator==(const MotionMask& other) const;
};

struct TrackPair {
  float from_x = 0, from_y = 0;  ///< source px, in the frame before
  float to_x = 0, to_y = 0;      ///< source px, in this frame
};

namespace detail {
class TrackFile;
}

/// The pairs of one frame: in memory, or in a file of which only the place is kept.
class TrackPairs {
 public:
  TrackPairs() = default;
  TrackPairs(std::vector<TrackPair> pairs) : own_(std::move(pairs)), count_(own_.size()), stored_(count_) {}
  TrackPairs(std::shared_ptr<const detail::TrackFile> file, uint64_t at, size_t count)
      : file_(std::move(file)), at_(at), count_(count), stored_(count) {}
  size_t size() const { return count_; }
  bool empty() const { return count_ == 0; }
  /// Safe from several threads. Throws Error(Unreadable).
  std::vector<TrackPair> read() const;
  /// Of these pairs the ones that are marked; `kept`: one for each.
  TrackPairs only(std::vector<bool> kept) const;

 private:
  std::vector<TrackPair> own_;
  std::shared_ptr<const detail::TrackFile> file_;
  uint64_t at_ = 0;
  size_t count_ = 0, stored_ = 0;
  std::vector<bool> kept_;  ///< of those stored; empty: all
};

/// One frame and what links it to the frame before.
struct FrameTracks {
  double time_s = 0;
  float sharpness = 0;  ///< mean squared gradient of the reduced picture; falls when it is blurred
  bool cut = false;     ///< another scene begins here
  TrackPairs pairs;
};

struct TrackRecord {
  int width = 0, height = 0;  ///< of the source, px
  std::vector<FrameTracks> frames;
};

struct TrackOptions {
  int working_width = 640;  ///< the picture is reduced to about this, px; 320..1920
  int features = 160;       ///< wanted over the whole picture, 40..2000
  std::vector<MotionMask> masks;
  Fields fields = Fields::Keep;
};

/// Where tracks are kept: a file of our own (see docs/formats.md) and what they depend on, in one line.
struct TrackPlace {
  std::filesystem::path file;  ///< "": in a nameless temporary file, gone with the record
  std::string key;
};

/// Streams the whole clip, and its tracks to the disk: memory grows by under 200 bytes a frame. The same
/// numbers whatever the number of threads. An analysis of the same place that was stopped or killed is taken
/// up where it was. Where nothing can be written, tracks are not kept. Throws Error(Unreadable),
/// Error(Cancelled).
TrackRecord trackClip(const ClipInfo& clip, const TrackOptions& options, const Progress& progress = {},
                      const TrackPlace& place = {});

/// How much of what was tracked may be the coder's foretelling, not the scene: the coder's step over the
/// contrast of the pictures as they were tracked; 0 where each picture was coded for itself. Where the step
/// is not told it is taken to be half the contrast.
double coarsenessOf(const TrackRecord& record, const Coding& coding);

/// Of frames that are at hand.
class Tracker {
 public:
  Tracker(int width, int height, const TrackOptions& options);
  ~Tracker();
  Tracker(Tracker&&) noexcept;
  Tracker& operator=(Tracker&&) noexcept;
  FrameTracks push(const Frame& frame, double time_s);

 private:
  struct Inside;
  std::unique_ptr<Inside> inside_;
};

/// Atomic. Throws Error(Unwritable).
void saveTracks(const TrackRecord& record, const TrackPlace& place);
/// Empty when there is no such file, it is damaged, or it was made under another key.
std::optional<TrackRecord> loadTracks(const TrackPlace& place);

}  // namespace glenhaze
