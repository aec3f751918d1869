#pragma once
// Tracks in their file: written frame by frame while a clip is analysed, read frame by frame when a path is
// solved, so that memory stays flat however long the clip is. Layout in docs/formats.md.

#include <filesystem>
#include <memory>
#include <string>
#include <vector>

#include "core/base/files.h"
#include "core/motion/detail/position_steps.h"
#include "core/motion/tracks.h"

namespace glenhaze::detail {

/// An open file of tracks. Reading is safe from several threads, also while frames are added behind.
class TrackFile {
 public:
  TrackFile(int fd, int width, int height, std::filesystem::path path);
  /// `count` pairs that begin at byte `at`. Throws Error(Unreadable).
  std::vector<TrackPair> read(uint64_t at, size_t count) const;
  int fd() const { return file_.fd; }
  const std::filesystem::path& path() const { return path_; }

 private:
  Descriptor file_;
  PositionSteps steps_;
  std::filesystem::path path_;
};

/// Takes frames to the disk: to the place that is asked for or, where nothing can be written there, to a
/// nameless temporary file; with the disk full they stay in memory.
class TrackWriter {
 public:
  enum class Earlier { TakeUp, Forget };
  /// `earlier`: what is done with what an analysis that did not come to its end has left there. One writer at
  /// a time holds a place; others go to temporary files.
  TrackWriter(const TrackPlace& place, int width, int height, Earlier earlier);
  /// What was taken up: no frame, or at least two, behind which add() goes on.
  TrackRecord takenUp() const { return found_; }
  /// In order.
  FrameTracks add(FrameTracks frame);
  /// Under its name, complete. Does nothing without a place. Throws Error(Unwritable); tracks stay readable.
  void finish();
  /// Takes the unfinished file away.
  void drop() noexcept;

 private:
  bool open(const std::filesystem::path& path, Earlier earlier);
  bool goOnBehindEarlier();
  bool openNameless();
  void begin();
  void put(const std::string& bytes);

  TrackPlace place_;
  std::filesystem::path unfinished_;
  TrackRecord found_;
  std::shared_ptr<const TrackFile> file_;  // none: in memory
  PositionSteps steps_;
  uint64_t end_ = 0;
  int32_t count_ = 0;
};

}  // namespace glenhaze::detail
