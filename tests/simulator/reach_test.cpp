// The simulated camera asks only quads that a tile of its picture may hit; that must change no picture.
#include "simulator/reach.h"

#include <gtest/gtest.h>

#include <random>

namespace glenhaze::sim {
namespace {

struct Looked {
  int rays = 0, otherwise = 0;  // otherwise: another light than with all quads asked
  double asked = 0, quads = 0;  // mean number of quads found, number of all
};

// Cones of rays into all directions about the middle of the scene, from places that a camera may be at.
Looked lookInto(const Scene& scene, double time_s) {
  constexpr int kCones = 300, kRays = 40;
  constexpr float kAngle = 0.06F;
  std::mt19937 random(5);
  std::uniform_real_distribution<float> one(-1, 1);
  const Reach reach(scene, time_s);
  Looked looked{0, 0, 0, static_cast<double>(scene.quads.size())};
  std::vector<int> quads;
  for (int c = 0; c < kCones; ++c) {
    const V3 from{2 * one(random), 1.5F * one(random), -4 + 2 * one(random)};
    const V3 axis = unit({one(random), 0.6F * one(random), 0.6F + 0.5F * one(random)});
    reach.find(from, axis, kAngle, quads);
    looked.asked += static_cast<double>(quads.size()) / kCones;
    const V3 side = unit(cross(axis, {0.2F, 1, 0.1F})), up = cross(axis, side);
    for (int r = 0; r < kRays; ++r) {
      const float turn = 3.1416F * one(random), off = std::tan(0.99F * kAngle * std::abs(one(random)));
      const V3 ray = unit(axis + side * (off * std::cos(turn)) + up * (off * std::sin(turn)));
      const V3 place = from + V3{one(random), one(random), one(random)} * 0.028F;
      const double time = time_s + 0.09 * one(random);
      const V3 all = castRay(scene, place, ray, time, 0.001F, nullptr);
      const V3 found = castRay(scene, place, ray, time, 0.001F, &quads);
      ++looked.rays;
      if (all.x != found.x || all.y != found.y || all.z != found.z) ++looked.otherwise;
    }
  }
  return looked;
}

TEST(Reach, AsksFewQuadsAndMissesNone) {
  for (const char* name : {"mill", "mill-crossing", "footings", "chart", "uprights", "lamp"}) {
    const Looked looked = lookInto(sceneByName(name), 1.3);
    EXPECT_EQ(looked.otherwise, 0) << name << ", of " << looked.rays << " rays";
    if (looked.quads > 50) EXPECT_LT(looked.asked, 0.15 * looked.quads) << name;
  }
}

TEST(Reach, ABundleToAllSidesReachesEverything) {
  const Scene mill = millScene();
  std::vector<int> quads;
  Reach(mill, 0).find({0, 0, 0}, {0, 0, 1}, 3.1415F, quads);
  EXPECT_EQ(quads.size(), mill.quads.size());
}

}  // namespace
}  // namespace glenhaze::sim
