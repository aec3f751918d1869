#pragma once
// From reference shots to lens findings and profile parts: what the desktop and the console share.

#include <filesystem>
#include <vector>

#include "core/lens/chart.h"
#include "core/lens/edges.h"
#include "core/media/clip_info.h"

namespace glenhaze {

/// Looks through reference shots (films, stills, sequences) for the chart. Films are sampled: at most
/// `most_frames` frames, evenly. All must have one picture size; throws Error(Evidence) otherwise.
struct ChartSearch {
  std::vector<ChartView> views;
  int width = 0, height = 0;
  int frames_looked_at = 0;
};
ChartSearch searchChart(const std::vector<ClipInfo>& shots, const ChartSpec& spec, int most_frames = 48,
                        const Progress& progress = {});

/// Straight edges found in films and stills, a few frames of each.
struct EdgeSearch {
  std::vector<StraightEdge> edges;
  int width = 0, height = 0;
};
EdgeSearch searchEdges(const std::vector<ClipInfo>& shots, int frames_per_shot = 6,
                       const Progress& progress = {});

}  // namespace glenhaze
