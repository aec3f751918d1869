#pragma once
// The profile of a small camera, as many tests need one.

#include "core/profile/profile.h"
#include "tests/support/footage.h"

namespace glenhaze::testing {

/// A lens from a chart, and nothing else.
inline Profile limpetProfile(int width = 320, int height = 180) {
  Profile p;
  p.camera.name = "Limpet A1";
  p.camera.width = width;
  p.camera.height = height;
  LensPart part;
  part.lens = testLens(LensModel::BrownConrady, width, height);
  part.rms_px = 0.21;
  part.method = "chart";
  p.lens = part;
  return p;
}

}  // namespace glenhaze::testing
