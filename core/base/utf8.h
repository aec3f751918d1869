#pragma once
// File names and tags are bytes; JSON and the screen want UTF-8 (RFC 3629).

#include <string>
#include <string_view>

namespace glenhaze {

/// Whether all of it is well-formed: no cut, overlong or surrogate sequences, nothing above U+10FFFF.
bool isUtf8(std::string_view text);

/// Each byte that is part of no well-formed sequence becomes U+FFFD; the rest stays.
std::string asUtf8(std::string_view text);

}  // namespace glenhaze
