#pragma once
// A path set by hand, where the picture gives nothing to follow (under water, in fog): key frames of shift
// and turn, found by laying a frozen frame over the current one until their difference is black.
//
// A key says where the frozen frame's picture lies in the key's frame:
//   p ↦ pivot + s·R(θ)·(p − pivot) + d,
// in shares of the picture's width, with R turning clockwise. Between keys, shift, turn and ln s run along
// cubics (of Catmull and Rom, on uneven steps); outside them they stay.

#include <cstdint>
#include <span>
#include <string>
#include <vector>

#include "core/frame/frame.h"
#include "core/lens/model.h"
#include "core/motion/path.h"
#include "core/motion/tracks.h"

namespace glenhaze {

struct HandKey {
  int64_t frame = 0;
  Point shift;             ///< d, shares of the picture's width
  double turn_deg = 0;     ///< θ, clockwise
  double scale = 1;        ///< s, 0.2..5
  Point pivot{0.5, 0.28};  ///< shares of the picture's width, from its top left corner
  bool operator==(const HandKey& o) const;
};

/// What holds at a frame between keys; the pivot is that of the nearest key before. Keys must be in order;
/// none: nothing moves.
HandKey handAt(const std::vector<HandKey>& keys, double frame);

/// Where a place of the frozen frame lies under a key; shares of the width.
Point placeUnder(const HandKey& key, Point frozen);

/// A path from keys alone, for frames at these times.
CameraPath pathByHand(const std::vector<HandKey>& keys, const std::vector<double>& times_s, const Lens& lens);

/// A measured path mended by hand: from the first key's frame to the last one's the keys hold, and what lies
/// behind follows on from there.
CameraPath mendedByHand(const CameraPath& measured, const std::vector<HandKey>& keys, const Lens& lens);

/// How two frames differ under a key: 8-bit grey, the size of `frame`, black where they agree. Places outside
/// the frozen frame, and under one of `left_out` (see MotionMask) in the frame, are mid-grey and do not count
/// in `mean`.
struct Difference {
  Frame picture;
  double mean = 0;  ///< codes
};
Difference differenceUnder(const Frame& frozen, const Frame& frame, const HandKey& key,
                           std::span<const MotionMask> left_out = {});

/// As JSON text, for files that hold them.
std::string handKeysToText(const std::vector<HandKey>& keys);
std::vector<HandKey> handKeysFromText(const std::string& text);

}  // namespace glenhaze
