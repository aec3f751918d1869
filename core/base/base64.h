#pragma once
// Bytes as text (RFC 4648, section 4).

#include <cstdint>
#include <span>
#include <string>

namespace glenhaze {

std::string base64(std::span<const uint8_t> bytes);

}  // namespace glenhaze
