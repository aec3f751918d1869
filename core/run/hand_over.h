#pragma once
// Between a clip and other programs: a plate to draw on, and what was drawn laid back onto the clip as
// filmed.

#include <cstdint>
#include <filesystem>
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "core/base/progress.h"
#include "core/clip/fact_store.h"
#include "core/lens/model.h"
#include "core/lens/st_map.h"
#include "core/media/rgba.h"
#include "core/run/plan.h"

namespace glenhaze {

/// How a clip's pictures lie against the corrected ones: as it is rendered, or by its lens alone.
class HandOver {
 public:
  /// As the clip is rendered, whatever is done to its colours and noise. What is not known yet is found out.
  /// Throws Error(Refused) with the plan's reason, Error(Unreadable), Error(Cancelled).
  HandOver(const ClipPlan& plan, FactStore& store, const Progress& progress = {});
  /// By the lens alone, onto its own straight picture (see LensMap::undistort), which stays where it is.
  explicit HandOver(const Lens& lens);

  /// Whether it differs from frame to frame.
  bool moves() const { return moves_; }
  PictureSize filmed() const { return filmed_; }
  /// The corrected picture without any room.
  PictureSize straight() const { return straight_; }
  /// Of the clip that it was made from; 0, 1 by the lens alone.
  const FrameRange& range() const { return range_; }
  const std::vector<std::string>& notes() const { return notes_; }

  std::optional<Point> toStraight(Point filmed, int64_t frame) const { return to_straight_(filmed, frame); }
  std::optional<Point> toFilmed(Point straight, int64_t frame) const { return to_filmed_(straight, frame); }

 private:
  using Placing = std::function<std::optional<Point>(Point, int64_t)>;
  PictureSize filmed_, straight_;
  FrameRange range_{0, 1};
  bool moves_ = false;
  Placing to_straight_, to_filmed_;
  std::vector<std::string> notes_;
};

struct OverlayFiles {
  std::filesystem::path from, to;
  std::optional<AlphaKind> alpha;  ///< in both; none: what is usual for each file
  Rational fps{25, 1};             ///< of a film that is written
  bool overwrite = false;
  std::filesystem::path footage;  ///< never written over, whatever is allowed, nor is `from`; may be empty
};

struct HandedOver {
  int64_t pictures = 0;
  PictureSize size;
};

/// The overlay as the camera would have filmed it. Its first picture belongs to the first frame of the clip's
/// range; a still one holds throughout, and becomes a sequence or film where the clip moves. Throws
/// Error(BadRequest) for a name that holds one picture where there are several, and as RgbaReader, RgbaWriter
/// and redone() do.
HandedOver layBack(const HandOver& how, const OverlayFiles& files, const Progress& progress = {});

/// One frame's map, with room at each edge of the straight picture (a share of its width or height, 0..2).
/// Undistort: for each pixel of the roomy straight picture where it is in the filmed one; distort: the other
/// way. Throws Error(BadRequest).
StMap mapOf(const HandOver& how, MapDirection direction, double room, int64_t frame);

/// One map, or where the clip moves one for each frame of its range, as a sequence. Throws as layBack().
HandedOver writeMaps(const HandOver& how, MapDirection direction, double room, const OverlayFiles& files,
                     const Progress& progress = {});

/// The clip's frames straightened, with room at each edge (a share of the straight picture's width or
/// height, 0..2), transparent where nothing was filmed. Frames `frames` of the clip. `files.from` is not
/// looked at.
HandedOver writePlate(const HandOver& how, const ClipInfo& clip, FrameRange frames, double room,
                      const OverlayFiles& files, const Progress& progress = {});

}  // namespace glenhaze
