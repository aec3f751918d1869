#pragma once
// How a camera draws an edge: edge response, MTF and overshoot from a slanted edge, and what sharpening of
// the camera's own explains them. The slanted-edge method of ISO 12233 (from memory: rows are lined up along
// the edge into bins of a quarter of a pixel, differentiated, windowed, transformed). In code values as
// stored, tone curve included: that is what is looked at.

#include <span>
#include <string>
#include <utility>
#include <vector>

#include "core/finish/settings.h"
#include "core/frame/frame.h"

namespace glenhaze {

/// Luma samples.
struct EdgeArea {
  int x = 0, y = 0, width = 0, height = 0;
  bool operator==(const EdgeArea&) const = default;
};

struct EdgeResponse {
  EdgeArea area;
  bool across = true;    ///< the edge is nearer to upright: it tells what is drawn from left to right
  double slant_deg = 0;  ///< from the rows or columns
  double step = 0;       ///< between the sides, codes
  std::vector<std::pair<double, double>>
      edge;                        ///< px across the edge, and where that is between the sides (0..1)
  std::vector<double> mtf;         ///< at multiples of kMtfStep
  double mtf50 = 0, mtf50_sd = 0;  ///< cycles a pixel
  double overshoot = 0,
         overshoot_sd = 0;  ///< beyond the bright or the dark side, the mean, as a share of the step
  double rise_px = 0;       ///< from 10 to 90 %
  Sharpening sharpening;    ///< that explains the overshoot; 0: none to speak of
  std::string why_not;      ///< why it cannot be used; "" when it can

  static constexpr double kMtfStep = 0.01;  ///< cycles a pixel
  bool usable() const { return why_not.empty(); }
};

/// One edge in one or more frames that show it at the same place; more frames only calm the noise.
EdgeResponse measureEdge(std::span<const Frame> frames, const EdgeArea& area);

/// Places with one straight, slanted edge of strong contrast and even sides, best first.
std::vector<EdgeArea> findSlantedEdges(const Frame& frame, size_t most = 12);

/// Of several edges of one camera: the sharpening of all, weighed by how sure each is.
struct EdgeSummary {
  double mtf50 = 0, mtf50_sd = 0;          ///< cycles a pixel
  double overshoot = 0, overshoot_sd = 0;  ///< share of the step
  Sharpening sharpening;
  int used = 0;
};
EdgeSummary summaryOf(std::span<const EdgeResponse> edges);

}  // namespace glenhaze
