#pragma once
// Timecodes as cameras write them: hours, minutes, seconds, frames; SMPTE ST 12-1, with frame numbers dropped
// where a ';' says so.

#include <cstdint>
#include <string>

#include "core/base/rational.h"

namespace glenhaze {

/// The timecode `frames` after this one. "" counts from 00:00:00:00; one that cannot be read stays as it is.
std::string timecodeAfter(const std::string& timecode, const Rational& rate, int64_t frames);

}  // namespace glenhaze
