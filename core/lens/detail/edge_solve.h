#pragma once
// Straight edges made straight together: the lens that does it, by least squares over all of them.

#include <string>
#include <vector>

#include "core/lens/detail/solve.h"
#include "core/lens/detail/straightness.h"

namespace glenhaze::detail {

/// Edges as the solver takes them: thinned, and whether each is believed to be straight in the world.
struct EdgeWork {
  std::vector<std::vector<Point>> points;
  std::vector<bool> used;
};

/// What a candidate model leaves free besides its coefficients.
struct EdgeCandidate {
  LensModel model;
  int coefficients;  ///< how many of the model's radial coefficients are free
  bool centre;
  bool focal;  ///< Kannala–Brandt: the shape of its curve tells the focal length
  const char* name;
};

struct EdgeFit {
  Intrinsics lens{};
  double rss = 1e300;  ///< px², each edge's errors capped by Huber's loss
  int points = 0;
  bool ok = false;
  std::vector<double> stddev;  ///< fx fy cx cy k0…; empty unless asked for
};

/// A solution can run away where the evidence is thin; such a lens is no lens.
bool plausibleLens(const Intrinsics& values, LensModel model, int width, int height);

enum class Deviation { Leave, Tell };
/// From `start`, with the focal length held. Not ok where there are too few points or no solution.
EdgeFit refineEdges(const EdgeWork& work, const EdgeCandidate& candidate, const Intrinsics& start, int width,
                    int height, Deviation deviation);

/// Sum over the edges, by their length, of the squared distance from straight, none of them more than `cap`
/// (px); `each`: the distances, where wanted.
double cappedBend(const EdgeWork& work, const LensMap& map, double cap, std::vector<double>* each);

/// The bend that makes most of the edges straight, as a division model; robust because what is not straight
/// in the world costs no more than `cap`.
Lens searchBend(const EdgeWork& work, int width, int height, double focal, double cap);

/// Coefficients of another model that bend like `from` over the picture: linear least squares on the radial
/// curve.
Intrinsics convertModel(const Lens& from, LensModel model, double focal, int width, int height);

}  // namespace glenhaze::detail
