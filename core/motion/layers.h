#pragma once
// What is far and what is near, where a camera that moves sideways shows them apart.
//
// What a path of turns leaves of a track's motion is, for a camera that moves by T(t), close to c·T(t) with c
// the same for the whole life of the track: its inverse distance against that of what the path follows. So
// all tracks of a stretch of time are one matrix of rank one (C. Tomasi, T. Kanade, "Shape and motion from
// image streams under orthography", IJCV 1992, with one factor left) but for what the path is off in a frame,
// found by least squares in turns for the tracks and for time; the tracks' factors fall into two groups where
// the scene has two depths.

#include "core/lens/model.h"
#include "core/motion/path.h"
#include "core/motion/stabilize.h"
#include "core/motion/tracks.h"
#include "core/shutter/shutter.h"

namespace glenhaze {

struct PartTracks {
  TrackRecord record;     ///< all frames; of the pairs those of the part where it is told, else all
  double told_share = 0;  ///< of the frames, in which the two are told apart
};

/// `part`: Far or Near; the far one is that which moves less. `path`: by all tracks, its frames those of the
/// record. What belongs to neither surely is left out. Throws Error(Unreadable), Error(Cancelled).
PartTracks tracksOfPart(const TrackRecord& record, SteadiedPart part, const Lens& lens,
                        const Shutter& shutter, const CameraPath& path, const Progress& progress = {});

}  // namespace glenhaze
