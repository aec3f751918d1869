#pragma once
// How long a file says it should be. Containers that are read on without an index end quietly where they were
// cut off; their first bytes know better.

#include <cstdint>
#include <optional>
#include <span>
#include <string_view>

namespace glenhaze::detail {

/// Bytes from the file's start to where its outermost element ends; nothing where it does not say, as while
/// it is still being recorded. `head`: the first bytes of the file, 256 are enough; `format`: libavformat's
/// name for its container.
///   Matroska and WebM: the Segment's size (RFC 8794 for the coding, RFC 9559 for the element).
///   AVI: the size of the first RIFF chunk (from memory).
std::optional<int64_t> promisedSize(std::span<const unsigned char> head, std::string_view format);

}  // namespace glenhaze::detail
