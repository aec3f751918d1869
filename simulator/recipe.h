#pragma once
// Recipes: named cameras, clips and shoots as JSON, so that the demo can be made again.

#include <filesystem>
#include <functional>
#include <string>
#include <vector>

#include "simulator/film.h"

namespace glenhaze::sim {

/// The made-up cameras: "skerrel-d3", "limpet-a1", "limpet-a1-port". Throws Error(BadRequest).
CameraSetup cameraByName(const std::string& name);

/// A blow that turns the camera away and lets it come back: a wave against the hull, a gust.
struct Blow {
  double at_s = 0;
  double half_s = 0.1;         ///< standard deviation of its bell over time
  double pitch = 0, roll = 0;  ///< at its height, rad
};

struct ClipRecipe {
  std::string file;
  CameraSetup camera;
  std::string scene = "mill";
  FilmSettings film;
  Pose from, to;  ///< the intended move, eased from one to the other
  Shake shake;
  double bob = 0;  ///< boat motion, rad of slow roll
  std::vector<Blow> blows;
  std::vector<Pose> held;  ///< when given: the camera is held still at these in turn instead of moving
};

/// Reads {"clips":[…]} as documented in demo/README.md.
std::vector<ClipRecipe> readRecipe(const std::filesystem::path& path);

/// Makes the clips into `folder`, with truth files in `truth_folder` (none when empty). `only`: file
/// names to make; empty: all.
void makeClips(const std::vector<ClipRecipe>& recipes, const std::filesystem::path& folder,
               const std::filesystem::path& truth_folder, const std::vector<std::string>& only,
               const std::function<void(const std::string&)>& say);

/// The camera of a recipe with its motion.
SimCamera cameraOf(const ClipRecipe& recipe);

}  // namespace glenhaze::sim
