#include "simulator/scene.h"

#include "core/base/error.h"

namespace glenhaze::sim {

void addBox(Scene& scene, V3 low, V3 high, Material material, V3 tint, V3 velocity) {
  const V3 size = high - low;
  const auto seed = static_cast<unsigned>(scene.quads.size() + 7);
  const auto add = [&](V3 corner, V3 u, V3 v, float su, float sv) {
    scene.quads.push_back({corner, u, v, su, sv, material, tint, seed, velocity});
  };
  add(low, {1, 0, 0}, {0, 1, 0}, size.x, size.y);                     // front
  add({low.x, low.y, high.z}, {1, 0, 0}, {0, 1, 0}, size.x, size.y);  // back
  add(low, {0, 0, 1}, {0, 1, 0}, size.z, size.y);                     // left
  add({high.x, low.y, low.z}, {0, 0, 1}, {0, 1, 0}, size.z, size.y);  // right
  add(low, {1, 0, 0}, {0, 0, 1}, size.x, size.z);                     // top
  if (low.y < -0.5F || size.y < 0.5F) add({low.x, high.y, low.z}, {1, 0, 0}, {0, 0, 1}, size.x, size.z);
}

namespace {

void addScaffold(Scene& scene, float x0, float x1, float z, float top, float bottom) {
  const V3 steel{0.95F, 0.97F, 1.0F};
  for (float x = x0; x <= x1 + 0.01F; x += 2.2F)
    addBox(scene, {x - 0.035F, top, z}, {x + 0.035F, bottom, z + 0.07F}, Material::Steel, steel);
  for (float y = bottom - 2.0F; y > top; y -= 2.0F) {
    addBox(scene, {x0 - 0.4F, y, z - 0.01F}, {x1 + 0.4F, y + 0.06F, z + 0.05F}, Material::Steel, steel);
    addBox(scene, {x0 - 0.3F, y + 0.9F, z + 0.1F}, {x1 + 0.3F, y + 0.95F, z + 0.9F}, Material::Wood,
           {1, 0.95F, 0.85F});
  }
}

void addRoof(Scene& scene, float x0, float x1, float eaves_y, float ridge_y, float z0, float z1) {
  const float half = (z1 - z0) / 2;
  const V3 slope = unit({0, ridge_y - eaves_y, half});
  const float run = std::hypot(half, ridge_y - eaves_y);
  scene.quads.push_back(
      {{x0 - 0.4F, eaves_y, z0}, {1, 0, 0}, slope, x1 - x0 + 0.8F, run, Material::Slate, {1, 1, 1}, 31, {}});
  const V3 back = unit({0, ridge_y - eaves_y, -half});
  scene.quads.push_back(
      {{x0 - 0.4F, eaves_y, z1}, {1, 0, 0}, back, x1 - x0 + 0.8F, run, Material::Slate, {1, 1, 1}, 32, {}});
}

void addRailing(Scene& scene, float x, float z0, float z1, float deck) {
  const V3 paint{0.9F, 0.92F, 0.95F};
  for (float z = z0; z <= z1; z += 1.8F)
    addBox(scene, {x - 0.03F, deck - 1.05F, z - 0.03F}, {x + 0.03F, deck, z + 0.03F}, Material::Steel, paint);
  for (const float up : {1.05F, 0.55F})
    addBox(scene, {x - 0.025F, deck - up, z0}, {x + 0.025F, deck - up + 0.05F, z1}, Material::Steel, paint);
}

}  // namespace

Scene millScene(float dusk) {
  Scene s;
  s.dusk = dusk;
  s.water_level = 4.2F;
  const float deck = 2.6F;
  // The mill and its lean-to.
  addBox(s, {-7.5F, -6.4F, 22}, {8.5F, 4.4F, 33}, Material::Facade);
  addRoof(s, -7.5F, 8.5F, -6.5F, -10.2F, 21.6F, 33.4F);
  addBox(s, {-7.6F, -6.62F, 21.55F}, {8.6F, -6.45F, 21.72F}, Material::Steel,
         {0.5F, 0.52F, 0.55F});                                                                   // gutter
  addBox(s, {8.3F, -6.5F, 21.8F}, {8.42F, 4.2F, 21.95F}, Material::Steel, {0.5F, 0.52F, 0.55F});  // down pipe
  addBox(s, {5.2F, -12.4F, 26}, {6.4F, -7.5F, 27.2F}, Material::Brick);                           // chimney
  addBox(s, {8.5F, -1.2F, 23}, {14.0F, 4.4F, 30}, Material::Stone);
  addBox(s, {8.3F, -1.45F, 22.7F}, {14.3F, -1.2F, 30.3F}, Material::Slate);
  addScaffold(s, -7.0F, 1.8F, 20.8F, -6.9F, 4.2F);
  // Causeway with its parapet on the left and railing on the right.
  addBox(s, {-2.6F, deck, 2.0F}, {2.2F, 4.6F, 22}, Material::Stone);
  addBox(s, {-2.75F, deck - 0.75F, 2.0F}, {-2.35F, deck + 0.4F, 22}, Material::Stone, {1.06F, 1.04F, 1.0F});
  addRailing(s, 2.05F, 3.0F, 21.5F, deck);
  addBox(s, {-14, 3.6F, 30}, {-7.5F, 4.6F, 46}, Material::Mud);
  addBox(s, {-40, 3.9F, 60}, {60, 4.6F, 90}, Material::Mud, {0.8F, 0.95F, 0.7F});
  // Building material on the causeway.
  addBox(s, {-1.9F, deck - 0.55F, 12}, {-0.7F, deck, 13}, Material::Brick, {1.15F, 1.0F, 0.9F});
  addBox(s, {0.8F, deck - 0.9F, 16}, {1.6F, deck, 16.8F}, Material::Wood);
  // A boat under way.
  const V3 v{1.1F, 0, 0};
  addBox(s, {-13, 3.55F, 13.5F}, {-8.6F, 4.4F, 15.0F}, Material::Hull, {0.75F, 0.2F, 0.16F}, v);
  addBox(s, {-11.4F, 2.4F, 13.8F}, {-9.9F, 3.55F, 14.7F}, Material::Plaster, {0.95F, 0.94F, 0.9F}, v);
  addBox(s, {-11.9F, -0.4F, 14.2F}, {-11.82F, 3.5F, 14.28F}, Material::Wood, {1, 1, 1}, v);
  return s;
}

Scene lanternScene() {
  Scene s = millScene(0.7F);
  s.lamp_hz = 5.3;
  s.lamp_swing = 0.3F;
  return s;
}

Scene crossingScene() {
  Scene s = millScene();
  const V3 v{6, 0, 0};
  addBox(s, {-14.5F, 3.0F, -1.0F}, {-9.5F, 4.4F, 0.6F}, Material::Hull, {0.2F, 0.36F, 0.5F}, v);
  addBox(s, {-12.9F, 1.7F, -0.7F}, {-11.2F, 3.0F, 0.3F}, Material::Wood, {1.1F, 1.0F, 0.9F}, v);
  for (const float x : {-13.8F, -10.2F})
    addBox(s, {x, -0.9F, -0.3F}, {x + 0.09F, 3.0F, -0.2F}, Material::Wood, {0.9F, 0.9F, 0.9F}, v);
  return s;
}

Scene footingsScene() {
  Scene s;
  s.surroundings = Surroundings::UnderWater;
  s.sunlight = {0.34F, 0.52F, 0.50F};
  s.ambient = {0.10F, 0.22F, 0.24F};
  s.haze = {0.05F, 0.17F, 0.19F};
  s.haze_per_m = 0.16F;
  s.quads.push_back({{-6, -3, 4.5F}, {1, 0, 0}, {0, 1, 0}, 14, 6, Material::Stone, {0.9F, 1, 0.95F}, 3, {}});
  s.quads.push_back({{-9, 2.0F, -2}, {1, 0, 0}, {0, 0, 1}, 20, 14, Material::Mud, {0.9F, 1, 0.9F}, 4, {}});
  for (int i = 0; i < 4; ++i) {
    const auto x = static_cast<float>(-3.6 + 2.4 * i);
    addBox(s, {x, -3.0F, 3.7F}, {x + 0.55F, 2.0F, 4.5F}, Material::Stone, {1.0F, 0.95F, 0.85F});
  }
  for (int i = 0; i < 14; ++i) {
    const float t = static_cast<float>(i) / 13;
    const float y = -2.6F + 4.4F * t, x = 1.6F + 0.9F * t * t;
    addBox(s, {x - 0.05F, y, 2.4F}, {x + 0.05F, y + 0.24F, 2.5F}, Material::Steel, {0.7F, 0.45F, 0.3F});
  }
  addBox(s, {-2.4F, 1.45F, 2.6F}, {-1.6F, 2.0F, 3.3F}, Material::Stone);
  for (int i = 0; i < 12; ++i) {
    const float x = -5.2F + 0.83F * static_cast<float>(i);
    s.quads.push_back({{x, 0.9F, 3.4F},
                       {1, 0, 0},
                       {0, 1, 0},
                       0.07F,
                       1.1F,
                       Material::Weed,
                       {1, 1, 1},
                       static_cast<unsigned>(i),
                       {}});
  }
  return s;
}

Scene chartScene() {
  Scene s;
  s.surroundings = Surroundings::Indoors;
  const float cell = 0.06F;
  const float w = cell * static_cast<float>(s.chart_columns + 3),
              h = cell * static_cast<float>(s.chart_rows + 3);
  s.quads.push_back({{-w / 2, -h / 2, 0}, {1, 0, 0}, {0, 1, 0}, w, h, Material::Chart, {1, 1, 1}, 1, {}});
  s.quads.push_back(
      {{-8, -4, 3.5F}, {1, 0, 0}, {0, 1, 0}, 16, 8, Material::Plaster, {0.75F, 0.72F, 0.66F}, 2, {}});
  s.quads.push_back({{-8, 1.4F, -6}, {1, 0, 0}, {0, 0, 1}, 16, 10, Material::Wood, {1, 1, 1}, 5, {}});
  return s;
}

Scene uprightsScene() {
  Scene s;
  s.surroundings = Surroundings::Indoors;
  s.quads.push_back({{-16, -5, 4}, {1, 0, 0}, {0, 1, 0}, 32, 10, Material::Uprights, {1, 1, 1}, 2, {}});
  return s;
}

Scene lampScene(double lamp_hz) {
  Scene s;
  s.surroundings = Surroundings::Indoors;
  s.lamp_hz = lamp_hz;
  s.quads.push_back({{-9, -6, 3}, {1, 0, 0}, {0, 1, 0}, 18, 12, Material::LampWall, {1, 1, 1}, 2, {}});
  return s;
}

Scene stepsScene() {
  Scene s;
  s.surroundings = Surroundings::Indoors;
  s.quads.push_back({{-4, -3, 2}, {1, 0, 0}, {0, 1, 0}, 8, 6, Material::Steps, {1, 1, 1}, 2, {}});
  return s;
}

Scene photographScene(const std::filesystem::path& path) {
  constexpr float kDistance_m = 4, kWidth_m = 6, kSide_m = 60;
  Scene s;
  s.surroundings = Surroundings::Indoors;
  Quad q{{-kSide_m / 2, -kSide_m / 2, kDistance_m},
         {1, 0, 0},
         {0, 1, 0},
         kSide_m,
         kSide_m,
         Material::Photograph,
         {1, 1, 1},
         1,
         {},
         Photograph::read(path)};
  q.photograph_px_per_m = static_cast<float>(q.photograph->width()) / kWidth_m;
  s.quads.push_back(std::move(q));
  return s;
}

Scene sceneByName(const std::string& name) {
  if (name == "mill") return millScene();
  if (name == "mill-dusk") return millScene(0.75F);
  if (name == "mill-lantern") return lanternScene();
  if (name == "mill-crossing") return crossingScene();
  if (name == "footings") return footingsScene();
  if (name == "chart") return chartScene();
  if (name == "uprights") return uprightsScene();
  if (name == "lamp") return lampScene(100);
  if (name == "steps") return stepsScene();
  constexpr std::string_view kPhotograph = "photograph:";
  if (name.starts_with(kPhotograph)) return photographScene(name.substr(kPhotograph.size()));
  throw Error(ErrorKind::BadRequest, "There is no scene of this name", name, "",
              "Known: mill, mill-dusk, mill-lantern, mill-crossing, footings, chart, uprights, lamp, steps, "
              "photograph:PATH");
}

}  // namespace glenhaze::sim
