#pragma once
// Scenes that do not exist: textured planes and boxes, water, sky. Linear light throughout, RGB with
// BT.709 primaries, 1.0 = a sunlit white card.

#include <filesystem>
#include <memory>
#include <string>
#include <vector>

#include "simulator/photograph.h"
#include "simulator/vec.h"

namespace glenhaze::sim {

enum class Material {
  Brick,
  Facade,
  Stone,
  Slate,
  Plaster,
  Wood,
  Steel,
  Concrete,
  Mud,
  Sail,
  Hull,
  Chart,
  Uprights,
  Steps,
  LampWall,
  Weed,
  Photograph
};

/// A rectangle: corner + s·u + t·v, s in [0, size_u], t in [0, size_v] metres; u and v are unit and
/// at right angles.
struct Quad {
  V3 corner, u, v;
  float size_u = 1, size_v = 1;
  Material material = Material::Plaster;
  V3 tint{1, 1, 1};
  unsigned seed = 1;
  V3 velocity;  ///< metres per second; for things that move on their own
  std::shared_ptr<const Photograph> photograph =
      nullptr;  ///< of Material::Photograph, its middle in the quad's
  float photograph_px_per_m = 500;
};

enum class Surroundings { Outdoors, Indoors, UnderWater };

struct Scene {
  std::vector<Quad> quads;
  Surroundings surroundings = Surroundings::Outdoors;
  V3 sun = unit({-0.5F, -0.75F, -0.55F});  ///< direction towards the sun
  V3 sunlight{0.92F, 0.86F, 0.74F};
  V3 ambient{0.30F, 0.36F, 0.44F};
  float water_level = 1e9F;  ///< y of the water's surface
  float haze_per_m = 0.0025F;
  V3 haze{0.62F, 0.68F, 0.74F};
  float dusk = 0;        ///< 0 day … 1 night
  double lamp_hz = 0;    ///< flicker of the lamp on a LampWall, or of the first work lamp at dusk; 0: steady
  float lamp_swing = 0;  ///< share by which that work lamp goes up and down
  int chart_columns = 9, chart_rows = 6;  ///< inner corners
};

/// Adds the five visible faces of a box standing on y = bottom (y is down).
void addBox(Scene& scene, V3 low, V3 high, Material material, V3 tint = {1, 1, 1}, V3 velocity = {});

/// The tide mill under repair with its causeway, scaffolding, railing and a boat.
Scene millScene(float dusk = 0);
/// At dusk, with a work lamp whose contact is loose.
Scene lanternScene();
/// The mill with a boat that crosses close by.
Scene crossingScene();
/// The mill's footings and an anchor chain under water.
Scene footingsScene();
/// A chessboard in a workshop; corners 0.06 m apart, centred on the origin in the plane z = 0.
Scene chartScene();
/// A wall of equal uprights 4 m away.
Scene uprightsScene();
/// An even wall lit by one lamp.
Scene lampScene(double lamp_hz);
/// A grey card with eight steps, evenly lit, filling the view.
Scene stepsScene();
/// A photograph pinned up 4 m away, 6 m wide and mirrored on all sides.
Scene photographScene(const std::filesystem::path& path);
/// By name: mill, mill-dusk, mill-lantern, mill-crossing, footings, chart, uprights, lamp, steps, or
/// photograph: and a path. Throws Error(BadRequest), Error(Unreadable).
Scene sceneByName(const std::string& name);

/// Light arriving along a ray. `spread`: width of the ray's footprint per metre (rad). Safe from
/// several threads. `candidates`: indices of quads that may be hit, or null for all.
V3 castRay(const Scene& scene, V3 origin, V3 direction, double time_s, float spread,
           const std::vector<int>* candidates);

}  // namespace glenhaze::sim
