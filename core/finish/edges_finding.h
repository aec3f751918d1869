#pragma once
// How a camera draws edges, measured from footage or stills that show slanted ones: a printed chart, or any
// straight edge of strong contrast with even sides.

#include <span>
#include <string>
#include <vector>

#include "core/base/progress.h"
#include "core/finish/edge_response.h"
#include "core/media/clip_info.h"

namespace glenhaze {

struct SeenEdge {
  EdgeResponse response;
  std::string source;  ///< file name
  int64_t frame = 0;
  double from_middle = 0;  ///< 0: in the middle of the picture, 1: in a corner
};

struct EdgesFinding {
  std::vector<SeenEdge> edges;  ///< best first; those that cannot be used say why
  EdgeSummary all;
  EdgeSummary middle,
      outside;               ///< nearer to the middle than half way to a corner, or not; used 0: none there
  EdgeSummary across, down;  ///< from left to right, from top to bottom
  std::vector<std::string> warnings;
};

/// How far a place is from the middle of a picture, as SeenEdge has it.
double fromMiddle(const EdgeArea& area, PictureSize picture);

struct EdgesSource {
  ClipInfo clip;
  std::vector<EdgeArea> places;  ///< empty: found by themselves
};

/// Throws Error(Evidence) when no edge can be used, Error(Cancelled).
EdgesFinding measureEdges(std::span<const EdgesSource> sources, const Progress& progress = {});

/// The finding of edges that were measured already, as when some are left out. Throws nothing: `all.used` 0
/// for none.
EdgesFinding edgesFindingOf(std::vector<SeenEdge> edges);

}  // namespace glenhaze
