#pragma once
// Measuring a lens from edges that are straight in the world ("plumb line": F. Devernay, O. Faugeras,
// "Straight lines have to be straight", Machine Vision and Applications, 2001).

#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/base/progress.h"
#include "core/frame/frame.h"
#include "core/lens/bend.h"
#include "core/lens/model.h"

namespace glenhaze {

/// One edge in one frame.
struct StraightEdge {
  std::vector<Point> points;  ///< along the edge, source px, in order; at least 3
  std::string name;           ///< what the user calls it, may be empty
  std::string source;         ///< path of the reference shot
  int64_t frame = -1;
  bool in_use = true;  ///< false: left out by the user
};

/// Follows the picture's edge along rough marks (at least 2, in order) and returns points about 4 px
/// apart on it, to a fraction of a pixel. Where no edge is found the marks themselves are returned, and
/// `found` is false.
struct SnappedEdge {
  std::vector<Point> points;
  bool found = false;
};
SnappedEdge snapEdge(const Frame& frame, std::span<const Point> marks);

/// Smooth edges of the picture that may be straight in the world, longest first, at most `most`, each
/// at least `shortest` (share of the picture's width) long.
std::vector<std::vector<Point>> detectEdges(const Frame& frame, int most = 80, double shortest = 0.09);

struct EdgeResult {
  double rms_before_px = 0;  ///< distance from straight in the picture as filmed
  double rms_px = 0;         ///< what is left, in px of the picture as filmed
  double worst_px = 0;
  double length_px = 0;
  double bow_px = 0;  ///< largest distance from the chord as filmed, of the smooth curve through the edge
  bool left_out = false;
  std::string why;  ///< of leaving it out
};

struct Straightness {
  double rms = 0;
  double worst = 0;
};

struct EdgeFinding {
  Lens lens;
  Bend bend;
  bool bends = true;              ///< false: no bend to speak of, and the lens has none
  bool focal_assumed = false;     ///< straight edges alone do not tell the focal length of this model
  Straightness before, after;     ///< over the edges used, px
  std::vector<EdgeResult> edges;  ///< in the order given
  std::vector<double> stddev;     ///< of fx fy cx cy and the coefficients; 0 for values held fixed
  int edges_used = 0;
  double coverage = 0;
  std::vector<bool> covered;
  std::string model_reason;
  std::vector<std::string> warnings;
};

/// Marked edges were chosen by somebody who saw that they are straight in the world; of those that were found
/// by themselves many may not be, and a bend must be borne out by more of them.
enum class EdgeOrigin { Marked, Found };

struct EdgeOptions {
  EdgeOrigin origin = EdgeOrigin::Marked;
  std::optional<LensModel> model;  ///< empty: what the evidence supports
  std::optional<double> focal_px;  ///< known focal length; empty: assumed (its value and the bend trade
                                   ///< off against each other in Brown–Conrady and division)
};

/// All edges of all frames together, robustly; edges that are not straight in the world are left out. The
/// bend's uncertainty comes from leaving out the edges of one sector of the picture after the other, and from
/// what other models that explain the edges as well say of the place; a bend that it does not bear out is
/// taken for none. Throws Error(Evidence) when the edges do not tell, or too few of those found agree.
EdgeFinding solveEdges(std::span<const StraightEdge> edges, int width, int height,
                       const EdgeOptions& options = {}, const Progress& progress = {});

/// How straight edges are after correction by a given lens, in px of the picture as filmed.
EdgeResult measureStraightness(std::span<const Point> points, const LensMap& map);

}  // namespace glenhaze
