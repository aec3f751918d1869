#include "tests/support/photographs.h"

#include <algorithm>

namespace glenhaze::testing {

namespace fs = std::filesystem;

std::vector<fs::path> photographs() {
  const fs::path folder = "/usr/share/backgrounds";
  std::vector<fs::path> found;
  if (!fs::is_directory(folder)) return found;
  for (const auto& entry : fs::directory_iterator(folder))
    if (entry.path().extension() == ".jpg") found.push_back(entry.path());
  std::sort(found.begin(), found.end());
  return found;
}

}  // namespace glenhaze::testing
