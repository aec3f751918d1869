#include <CLI/CLI.hpp>
#include <iostream>

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/base/version.h"
#include "core/media/quiet.h"
#include "simulator/recipe.h"

int main(int argc, char** argv) {
  using namespace glenhaze;
  CLI::App app{"A camera that does not exist: makes footage whose truth is known.", "glenhaze-sim"};
  app.set_version_flag("--version", std::string("glenhaze-sim ") + kVersionText);
  std::string recipe, out, truth;
  std::vector<std::string> only;
  int threads = 0;
  app.add_option("RECIPE", recipe, "Recipe file (JSON)")->required();
  app.add_option("--out", out, "Folder for the clips")->required();
  app.add_option("--truth", truth, "Folder for the truth files");
  app.add_option("--only", only, "Make only these files");
  app.add_option("--threads", threads, "Worker threads (0: all cores)");
  CLI11_PARSE(app, argc, argv);
  quietLibraries();
  const ThreadLimit limit(threads);
  try {
    sim::makeClips(sim::readRecipe(recipe), out, truth, only,
                   [](const std::string& name) { std::cout << name << std::endl; });
  } catch (const std::exception& error) {
    std::cerr << "glenhaze-sim: " << error.what() << "\n";
    return 3;
  }
  return 0;
}
