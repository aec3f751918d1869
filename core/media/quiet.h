#pragma once

namespace glenhaze {

/// Keeps the media libraries from writing to standard error by themselves; what matters comes back as
/// an Error or a problem. Call once, in main.
void quietLibraries();

}  // namespace glenhaze
