#pragma once
// Loops that are compiled once for each instruction set.

#include <hwy/targets.h>

namespace glenhaze {

/// Before HWY_DYNAMIC_DISPATCH is taken as a plain pointer: the very first one would be that of the function
/// that asks the processor what it can do, again at each call.
inline void chooseInstructionSet() {
  hwy::ChosenTarget& chosen = hwy::GetChosenTarget();
  if (!chosen.IsInitialized()) chosen.Update(hwy::SupportedTargets());
}

}  // namespace glenhaze
