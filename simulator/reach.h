#pragma once
// Which quads of a scene a bundle of rays can hit, so that the rest need not be asked for each ray. A quad is
// covered by spheres of about a metre: one sphere around a scaffold pole or a facade would be hit by nearly
// every bundle.

#include <vector>

#include "simulator/scene.h"

namespace glenhaze::sim {

class Reach {
 public:
  /// The quads as they stand at `time_s`; good for rays within 0.1 s of it.
  Reach(const Scene& scene, double time_s);

  /// Indices of all quads that a ray from within 5 cm of `from` and within `angle` (rad, 0 to π) of the unit
  /// vector `axis` may hit, ascending; a few that none hits may be among them. Safe from several threads.
  void find(V3 from, V3 axis, float angle, std::vector<int>& quads) const;

 private:
  struct Sphere {
    V3 centre;
    float radius;
  };
  struct Cover {
    Sphere whole;
    std::vector<Sphere> pieces;  ///< empty: no better than the whole
  };
  std::vector<Cover> covers_;  ///< one for each quad
};

}  // namespace glenhaze::sim
