#pragma once
// What a probe found, as text to be kept, so that a card is looked at once.

#include <optional>
#include <string>

#include "core/media/clip_info.h"

namespace glenhaze {

/// Everything but the path.
std::string clipInfoToText(const ClipInfo& info);
/// Empty for a text that is none, or of another version.
std::optional<ClipInfo> clipInfoFromText(const std::string& text);

}  // namespace glenhaze
