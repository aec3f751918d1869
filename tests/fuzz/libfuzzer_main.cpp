// The entry of one libFuzzer program; which target is told when it is built.
#include <cstdio>
#include <cstdlib>
#include <cstring>

#include "core/media/quiet.h"
#include "tests/fuzz/targets.h"

namespace {

const glenhaze::fuzz::Target& target() {
  for (const auto& one : glenhaze::fuzz::targets())
    if (std::strcmp(one.name, GLENHAZE_FUZZ_TARGET) == 0) return one;
  std::abort();
}

}  // namespace

extern "C" int LLVMFuzzerInitialize(int* /*argc*/, char*** /*argv*/) {
  glenhaze::quietLibraries();
  return 0;
}

extern "C" int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size) {
  static const glenhaze::fuzz::Target& one = target();
  std::string why;
  if (!glenhaze::fuzz::holds(one, {data, size}, why)) {
    std::fprintf(stderr, "%s: %s\n", one.name, why.c_str());
    std::abort();
  }
  return 0;
}
