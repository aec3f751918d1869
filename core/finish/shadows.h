#pragma once
// Colour of the deepest shadows, where sensors show noise and casts more than colour.

#include "core/frame/frame.h"

namespace glenhaze {

/// Draws chroma towards neutral by `strength` (0..1) at black, less and less up to a sixth of white,
/// smoothly. The frame's samples must be its own.
void calmShadowColour(Frame& frame, double strength);

}  // namespace glenhaze
