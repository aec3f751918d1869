#pragma once
// One clip from file to file: decode → correct → encode, each on its own thread, a few frames in
// flight, so that memory does not grow with the clip.

#include <filesystem>
#include <functional>
#include <optional>

#include "core/base/progress.h"
#include "core/media/reader.h"
#include "core/media/writer.h"
#include "core/pipeline/correction.h"
#include "core/pipeline/watch.h"

namespace glenhaze {

struct RenderJob {
  ClipInfo clip;
  Correction correction;
  EncodeSettings encode;
  Fields fields = Fields::Keep;
  Damage damage = Damage::PassOver;  ///< PassOver: a damaged clip throws
  std::optional<FrameRange> range;   ///< empty: the whole clip
  OutputPlace place;
  /// How frames of the clip are read for it, and for looking at it.
  ReadOptions reading() const { return {0, fields, damage}; }
};

struct RenderResult {
  WriteResult written;
  double seconds = 0;
  double fps = 0;
  HeldFrames held;                                    ///< could not be read, the frame before them stands in
  std::optional<ClipReader::SizeChange> size_change;  ///< rendered up to there
};

/// What came out while frames were made.
struct MadeFrames {
  HeldFrames held;
  std::optional<ClipReader::SizeChange> size_change;  ///< made up to there
  std::string card_trouble;  ///< why a graphics card stopped decoding; empty where none did
};

/// The finished frames of a job, in order, to `take`, which returns false when it wants no more (that is an
/// end like any other). Decodes in a thread of its own; `take` is called in this one. Throws
/// Error(Unreadable), Error(Cancelled).
MadeFrames makeFrames(const RenderJob& job, const std::function<bool(Frame)>& take,
                      const Progress& progress = {}, RenderWatch* watch = nullptr);

/// Hands finished frames of a job in order to `take`, as makeFrames does.
using FrameMaker = std::function<MadeFrames(const std::function<bool(Frame)>& take)>;

/// The output of a job from frames that come from elsewhere. Throws what `make` throws, and
/// Error(Unwritable); nothing is left under the output's name then.
RenderResult writeFrames(const RenderJob& job, const FrameMaker& make, RenderWatch* watch = nullptr);

/// Throws Error: Unreadable when the source is damaged or ends early, Unwritable for the output,
/// Cancelled on request. In all of these nothing is left under the output's name.
RenderResult renderClip(const RenderJob& job, const Progress& progress = {}, RenderWatch* watch = nullptr);

}  // namespace glenhaze
