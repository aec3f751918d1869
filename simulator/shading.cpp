#include <numbers>
#include <utility>

#include "simulator/scene.h"

namespace glenhaze::sim {

namespace {

struct Footprint {
  float u, v;  // metres
  float mean() const { return 0.5F * (u + v); }
};

// Courses of bricks in running bond; sizes in metres. Returns the colour, anti-aliased over f.
V3 courses(float u, float v, Footprint f, float brick_w, float brick_h, float joint, V3 base, V3 mortar,
           float vary, unsigned seed) {
  const float row = static_cast<float>(wholeBelow(v / brick_h));
  const float shifted = u + (static_cast<int>(row) % 2 != 0 ? brick_w * 0.5F : 0.0F);
  const float column = static_cast<float>(wholeBelow(shifted / brick_w));
  const float in_u = shifted - column * brick_w, in_v = v - row * brick_h;
  const float inside =
      between(in_u, joint / 2, brick_w - joint / 2, f.u) * between(in_v, joint / 2, brick_h - joint / 2, f.v);
  // When bricks get smaller than the footprint their own colours average out.
  const float keep = std::clamp(1.5F - f.mean() / brick_h, 0.0F, 1.0F);
  const float own = (hash01(static_cast<int>(column), static_cast<int>(row), seed) - 0.5F) * 2 * vary * keep;
  const float grain = 0.10F * fractal(u * 14, v * 14, seed + 3, 3, f.mean() * 14) +
                      0.12F * fractal(u * 0.6F, v * 0.6F, seed + 9, 3, f.mean());
  const V3 brick = base * (1 + own + grain);
  const float share = (1 - joint / brick_w) * (1 - joint / brick_h);
  return mix(mortar * (1 + 0.6F * grain), brick, inside * keep + share * (1 - keep));
}

V3 brickWall(float u, float v, Footprint f, unsigned seed) {
  return courses(u, v, f, 0.23F, 0.075F, 0.012F, {0.36F, 0.17F, 0.115F}, {0.42F, 0.39F, 0.34F}, 0.22F, seed);
}

V3 window(float u, float v, float w, float h, Footprint f) {
  // u, v from the window's upper left corner: frame, one mullion, two transoms, dark glass with sky in it.
  const float frame = 0.07F;
  const float outer = between(u, 0, w, f.u) * between(v, 0, h, f.v);
  float bars = 1 - between(u, frame, w - frame, f.u) * between(v, frame, h - frame, f.v);
  bars = std::max(bars, between(u, w / 2 - 0.025F, w / 2 + 0.025F, f.u));
  for (const float at : {h / 3, 2 * h / 3}) bars = std::max(bars, between(v, at - 0.02F, at + 0.02F, f.v));
  const V3 glass = mix({0.10F, 0.13F, 0.16F}, {0.30F, 0.36F, 0.42F}, std::clamp(1 - v / h, 0.0F, 1.0F));
  return mix(glass, {0.72F, 0.71F, 0.66F}, bars) * outer + V3{-1, -1, -1} * (1 - outer);
}

V3 facade(float u, float v, Footprint f, float height, unsigned seed) {
  V3 wall = brickWall(u, v, f, seed);
  // Quoins of pale stone at the corner, a string course, stained foot.
  const V3 stone =
      courses(u, v, f, 0.5F, 0.3F, 0.012F, {0.52F, 0.48F, 0.41F}, {0.35F, 0.33F, 0.3F}, 0.1F, seed + 4);
  const float quoin = std::max(1 - above(u, 0.55F, f.u), 0.0F);
  const float course = between(v, 3.25F, 3.45F, f.v);
  wall = mix(wall, stone, std::max(quoin, course));
  constexpr float kPitch = 2.5F, kW = 1.05F, kH = 1.5F;
  for (const float sill : {1.1F, 4.6F}) {
    const float cell = std::floor((u - 0.9F) / kPitch);
    const float in_u = u - 0.9F - cell * kPitch - 0.5F, in_v = v - sill;
    if (in_u < -0.3F || in_u > kW + 0.3F || in_v < -0.3F || in_v > kH + 0.3F || u > 15.3F || u < 1) continue;
    const float surround = between(in_u, -0.12F, kW + 0.12F, f.u) * between(in_v, -0.2F, kH + 0.14F, f.v);
    wall = mix(wall, stone * 1.08F, surround);
    const float outer = between(in_u, 0, kW, f.u) * between(in_v, 0, kH, f.v);
    if (outer > 0)
      wall = mix(wall, window(std::clamp(in_u, 0.0F, kW), std::clamp(in_v, 0.0F, kH), kW, kH, {f.u, f.v}),
                 outer);
  }
  const float damp = std::clamp((v - height + 2.6F) / 2.6F, 0.0F, 1.0F) *
                     (0.75F + 0.3F * fractal(u, v * 0.4F, seed + 17, 3, f.mean()));
  return mix(wall, {0.13F, 0.15F, 0.10F}, std::clamp(damp, 0.0F, 0.75F));
}

V3 chart(const Scene& scene, float u, float v, Footprint f) {
  const float cell = 0.06F;
  const float x = u / cell - 1, y = v / cell - 1;  // one cell of white around the board
  const auto columns = static_cast<float>(scene.chart_columns + 1),
             rows = static_cast<float>(scene.chart_rows + 1);
  const float fx = f.u / cell, fy = f.v / cell;
  // A chessboard as the product of two square waves, each box-filtered exactly.
  const auto wave = [](float t, float w) {
    const auto integral = [](float a) {
      const float half = a * 0.5F, whole = std::floor(half), part = (half - whole) * 2;
      return part < 1 ? part : 2 - part;  // ∫ of the ±1 square wave, period 2
    };
    const float width = std::max(w, 1e-4F);
    return (integral(t + width / 2) - integral(t - width / 2)) / width;
  };
  const float sign = wave(x, fx) * wave(y, fy);
  const float board = between(x, 0, columns, fx) * between(y, 0, rows, fy);
  const float white = 0.78F, black = 0.045F;
  const float level = (white + black) / 2 - sign * (white - black) / 2;
  const float value = white + (level - white) * board;
  return {value, value, value};
}

V3 albedo(const Scene& scene, const Quad& q, float u, float v, Footprint f, double time_s) {
  const float m = f.mean();
  switch (q.material) {
    case Material::Brick:
      return brickWall(u, v, f, q.seed);
    case Material::Facade:
      return facade(u, v, f, q.size_v, q.seed);
    case Material::Stone:
      return courses(u, v, f, 0.62F, 0.31F, 0.02F, {0.40F, 0.37F, 0.32F}, {0.25F, 0.24F, 0.21F}, 0.16F,
                     q.seed);
    case Material::Slate:
      return courses(u, v, f, 0.30F, 0.22F, 0.012F, {0.15F, 0.16F, 0.19F}, {0.07F, 0.07F, 0.08F}, 0.22F,
                     q.seed);
    case Material::Wood: {
      const float ring = fractal(u * 2.2F, v * 26, q.seed, 4, m * 26);
      const float gap = between(v - std::floor(v / 0.19F) * 0.19F, 0, 0.008F, f.v);
      return V3{0.36F, 0.26F, 0.16F} * ((1 + 0.35F * ring) * (1 - 0.6F * gap));
    }
    case Material::Steel:
      return V3{0.52F, 0.54F, 0.56F} * (1 + 0.1F * fractal(u * 9, v * 9, q.seed, 2, m * 9));
    case Material::Concrete:
      return V3{0.46F, 0.45F, 0.43F} * (1 + 0.15F * fractal(u * 3, v * 3, q.seed, 4, m * 3));
    case Material::Mud:
      return V3{0.22F, 0.19F, 0.14F} * (1 + 0.4F * fractal(u * 1.3F, v * 1.3F, q.seed, 5, m * 1.3F));
    case Material::Plaster:
      return V3{0.66F, 0.64F, 0.60F} * (1 + 0.05F * fractal(u * 4, v * 4, q.seed, 4, m * 4));
    case Material::Sail:
      return {0.8F, 0.78F, 0.7F};
    case Material::Hull:
      return V3{0.8F, 0.8F, 0.8F} * (1 - 0.4F * between(v, 0.25F, 0.32F, f.v));
    case Material::Weed:
      return V3{0.08F, 0.20F, 0.07F} * (1 + 0.3F * noise2(u * 60, v * 9, q.seed, m * 30));
    case Material::Chart:
      return chart(scene, u, v, f);
    case Material::Uprights: {
      const float pitch = 0.5F, in = u - std::floor(u / pitch) * pitch;
      const float bar = between(in, 0.12F, 0.25F, f.u);
      return mix({0.55F, 0.54F, 0.5F}, {0.07F, 0.07F, 0.08F}, bar) *
             (1 + 0.06F * fractal(u * 3, v * 3, q.seed, 3, m * 3));
    }
    case Material::Steps: {
      const int step = std::clamp(static_cast<int>(u), 0, 7);
      const float level = 0.02F * std::pow(1.7F, static_cast<float>(step));
      return {level, level, level};
    }
    case Material::Photograph: {
      const float scale = q.photograph_px_per_m;
      const auto place = [&](float along, float side, int pixels) {
        return (along - side / 2) * scale + 0.5F * static_cast<float>(pixels - 1);
      };
      return q.photograph->at(place(u, q.size_u, q.photograph->width()),
                              place(v, q.size_v, q.photograph->height()), m * scale);
    }
    case Material::LampWall: {
      const double w = 2 * 3.14159265358979 * scene.lamp_hz * time_s;
      const auto pulse = static_cast<float>(scene.lamp_hz > 0 ? 1 + 0.35 * std::sin(w) : 1.0);
      return V3{0.60F, 0.55F, 0.46F} * (pulse * (1 + 0.05F * fractal(u, v, q.seed, 3, m)));
    }
  }
  return {0.5F, 0.5F, 0.5F};
}

V3 nightSky(float up) {
  return mix({0.20F, 0.13F, 0.12F}, {0.02F, 0.03F, 0.06F}, std::clamp(up * 3, 0.0F, 1.0F));
}

V3 sky(const Scene& scene, V3 d, float spread) {
  const float up = -d.y;
  V3 colour = mix({0.72F, 0.78F, 0.84F}, {0.22F, 0.38F, 0.66F},
                  std::clamp(std::sqrt(std::max(up, 0.0F)) * 1.2F, 0.0F, 1.0F));
  if (up > 0.01F) {
    const float s = 1 / (up + 0.12F);
    const float cloud = fractal(d.x * s * 1.1F + 3, d.z * s * 1.1F, 77, 5, spread * s * 3);
    colour = mix(colour, {0.93F, 0.93F, 0.92F}, std::clamp(cloud * 1.7F + 0.12F, 0.0F, 0.85F));
  }
  // Far hills; no ridge is higher than this.
  if (up > 0.1F + spread) return mix(colour, nightSky(up), scene.dusk);
  const float heading = std::atan2(d.x, d.z);
  const float ridge = 0.035F + 0.03F * fractal(heading * 3, 0.5F, 5, 4, spread * 3);
  colour = mix(colour, {0.33F, 0.40F, 0.44F}, 1 - above(up, ridge, spread));
  const float ridge2 = 0.016F + 0.022F * fractal(heading * 5 + 9, 0.5F, 6, 4, spread * 5);
  colour = mix(colour, {0.20F, 0.27F, 0.24F}, 1 - above(up, ridge2, spread));
  return mix(colour, nightSky(up), scene.dusk);
}

V3 waterColour(const Scene& scene, V3 at, V3 d, double time_s, float spread, float distance) {
  const auto t = static_cast<float>(time_s);
  const float f = spread * distance;
  const float slope_x = 0.09F * fractal(at.x * 1.4F + t * 0.5F, at.z * 0.7F, 41, 4, f * 2);
  const float slope_z = 0.09F * fractal(at.x * 1.2F, at.z * 0.9F - t * 0.6F, 57, 4, f * 2);
  const V3 normal = unit({slope_x, -1, slope_z});
  const float facing = std::max(0.0F, -dot(normal, d));
  const float grazing = 1 - facing, grazing2 = grazing * grazing;
  const float fresnel = 0.03F + 0.97F * grazing2 * grazing2 * grazing;
  V3 mirrored = d - normal * (2 * dot(normal, d));
  mirrored.y = -std::abs(mirrored.y);
  const V3 deep = mix({0.045F, 0.085F, 0.085F}, {0.005F, 0.008F, 0.014F}, scene.dusk);
  V3 colour = mix(deep, sky(scene, unit(mirrored), spread + 0.02F), fresnel);
  const float towards = dot(unit(mirrored), scene.sun);
  const float glint = towards > 0.94F ? std::pow(towards, 180.0F) : 0.0F;
  return colour + scene.sunlight * (glint * 3 * (1 - scene.dusk));
}

struct Hit {
  float distance = 1e30F;
  const Quad* quad = nullptr;
  float u = 0, v = 0, facing = 1;
  V3 normal;
};

void tryQuad(const Quad& q, V3 origin, V3 d, double time_s, Hit& hit) {
  const V3 normal = cross(q.u, q.v);
  const float facing = dot(normal, d);
  if (std::abs(facing) < 1e-7F) return;
  const V3 corner = q.corner + q.velocity * static_cast<float>(time_s);
  const float distance = dot(normal, corner - origin) / facing;
  if (distance <= 0.02F || distance >= hit.distance) return;
  const V3 p = origin + d * distance - corner;
  const float u = dot(p, q.u), v = dot(p, q.v);
  if (u < 0 || v < 0 || u > q.size_u || v > q.size_v) return;
  hit = {distance, &q, u, v, std::abs(facing), facing > 0 ? normal * -1.0F : normal};
}

V3 lit(const Scene& scene, const Hit& hit, V3 at, float spread, double time_s) {
  const float f = spread * hit.distance;
  // The footprint stretches along the direction in which the surface is seen at a slant.
  const Quad& q = *hit.quad;
  const float slant = f / std::max(0.08F, hit.facing);
  const bool steep_v = std::abs(q.v.z) > 0.5F || std::abs(q.v.y) > 0.9F;
  const Footprint print = std::abs(q.u.z) > 0.5F
                              ? Footprint{slant, f}
                              : (steep_v && std::abs(q.v.z) > 0.3F ? Footprint{f, slant} : Footprint{f, f});
  const V3 colour = albedo(scene, q, hit.u, hit.v, print, time_s) * q.tint;
  if (scene.surroundings == Surroundings::Indoors) {
    const bool even =
        q.material == Material::Steps || q.material == Material::Chart || q.material == Material::Photograph;
    const float fall = even ? 1.0F : 1 / (1 + 0.012F * (at.x * at.x + at.y * at.y));
    return colour * (0.95F * fall);
  }
  const float sun = std::max(0.0F, dot(hit.normal, scene.sun));
  const float above_ground = std::clamp((scene.water_level - at.y) * 0.35F + 0.55F, 0.55F, 1.0F);
  V3 light =
      scene.sunlight * (sun * (1 - scene.dusk)) + scene.ambient * (above_ground * (1 - 0.93F * scene.dusk));
  if (scene.dusk > 0) {
    // Two work lamps on the causeway.
    const float swing =
        1 + scene.lamp_swing * std::sin(static_cast<float>(2 * std::numbers::pi * scene.lamp_hz * time_s));
    for (const auto& [lamp, strength] : {std::pair{V3{-1.5F, -0.5F, 14}, swing}, {V3{4, -3.5F, 19}, 1.0F}}) {
      const V3 to = lamp - at;
      const float r2 = dot(to, to);
      light = light + V3{1.0F, 0.78F, 0.5F} * (strength * scene.dusk * 9.0F *
                                               std::max(0.0F, dot(hit.normal, unit(to))) / (r2 + 2));
    }
  }
  if (scene.surroundings == Surroundings::UnderWater) {
    const float caustic =
        fractal(at.x * 2.2F + static_cast<float>(time_s) * 0.7F, at.y * 2.2F + at.z, 91, 3, spread);
    light = scene.ambient +
            scene.sunlight * (0.55F + 0.5F * std::max(0.0F, caustic) + 0.25F * std::max(0.0F, -hit.normal.y));
  }
  return colour * light;
}

}  // namespace

V3 castRay(const Scene& scene, V3 origin, V3 d, double time_s, float spread,
           const std::vector<int>* candidates) {
  Hit hit;
  if (candidates != nullptr) {
    for (const int i : *candidates) tryQuad(scene.quads[static_cast<size_t>(i)], origin, d, time_s, hit);
  } else {
    for (const Quad& q : scene.quads) tryQuad(q, origin, d, time_s, hit);
  }
  V3 colour;
  float distance = hit.distance;
  const float to_water = d.y > 1e-4F ? (scene.water_level - origin.y) / d.y : -1;
  if (scene.surroundings == Surroundings::Outdoors && to_water > 0 && to_water < distance) {
    distance = to_water;
    colour = waterColour(scene, origin + d * distance, d, time_s, spread, distance);
  } else if (hit.quad != nullptr) {
    colour = lit(scene, hit, origin + d * distance, spread, time_s);
  } else if (scene.surroundings == Surroundings::Outdoors) {
    return sky(scene, d, spread);
  } else {
    return scene.surroundings == Surroundings::UnderWater ? scene.haze : V3{0.05F, 0.05F, 0.05F};
  }
  if (scene.surroundings == Surroundings::Indoors) return colour;
  const float clear = std::exp(-distance * scene.haze_per_m);
  return mix(scene.haze * (1 - 0.9F * scene.dusk), colour, clear);
}

}  // namespace glenhaze::sim
