// Says how steady films are: shake_meter FILM… Knows neither lens nor shutter (see
// tests/support/steadiness.h).
#include <cstdio>

#include "core/media/quiet.h"
#include "core/motion/tracks.h"
#include "tests/support/steadiness.h"

int main(int argc, char** argv) {
  using namespace glenhaze;
  quietLibraries();
  for (int i = 1; i < argc; ++i) {
    const ClipInfo clip = probe(argv[i]);
    const testing::Steadiness s = testing::steadinessOf(trackClip(clip, {}), clip.fps.value());
    std::printf("%s: shake %.3f px, roll %.4f°, wobble %.3f px, from mean %.3f px\n", argv[i], s.shake_px,
                s.roll_deg, s.wobble_px, s.farthest_px);
  }
  return 0;
}
