#include "core/media/detail/promised_size.h"

#include <bit>

namespace glenhaze::detail {

namespace {

struct Coded {
  uint64_t value = 0;
  int bytes = 0;  ///< 0: not there
  bool all_ones = false;
};

// A number whose length is told by the zero bits in front of it (RFC 8794, section 4); `keep_marker` for IDs.
Coded codedNumber(std::span<const unsigned char> at, bool keep_marker) {
  if (at.empty() || at[0] == 0) return {};
  const int length = std::countl_zero(at[0]) + 1;
  if (static_cast<size_t>(length) > at.size()) return {};
  const auto marker = static_cast<unsigned char>(0x80U >> (length - 1));
  Coded out{keep_marker ? at[0] : static_cast<unsigned char>(at[0] & (marker - 1U)), length, false};
  for (int i = 1; i < length; ++i) out.value = out.value << 8U | at[static_cast<size_t>(i)];
  out.all_ones = !keep_marker && out.value == (uint64_t{1} << (7U * static_cast<unsigned>(length))) - 1;
  return out;
}

std::optional<int64_t> segmentEnd(std::span<const unsigned char> head) {
  constexpr uint64_t kSegment = 0x18538067;
  constexpr uint64_t kLargest = uint64_t{1} << 56U;  // what the coding can say, and no overflow below
  size_t at = 0;
  while (at < head.size()) {
    const Coded id = codedNumber(head.subspan(at), true);
    if (id.bytes == 0) return std::nullopt;
    at += static_cast<size_t>(id.bytes);
    if (at >= head.size()) return std::nullopt;
    const Coded size = codedNumber(head.subspan(at), false);
    if (size.bytes == 0 || size.all_ones || size.value > kLargest) return std::nullopt;
    at += static_cast<size_t>(size.bytes);
    if (id.value == kSegment) return static_cast<int64_t>(at + size.value);
    at += size.value;
  }
  return std::nullopt;
}

std::optional<int64_t> riffEnd(std::span<const unsigned char> head) {
  constexpr size_t kChunkHeader = 8;
  if (head.size() < kChunkHeader || head[0] != 'R' || head[1] != 'I' || head[2] != 'F' || head[3] != 'F')
    return std::nullopt;
  int64_t size = 0;
  for (size_t i = 0; i < 4; ++i) size |= static_cast<int64_t>(head[4 + i]) << (8 * i);
  // Recorders that were switched off leave 0, or the most that fits.
  if (size == 0 || size == 0xffffffff) return std::nullopt;
  return size + static_cast<int64_t>(kChunkHeader);
}

}  // namespace

std::optional<int64_t> promisedSize(std::span<const unsigned char> head, std::string_view format) {
  if (format.starts_with("matroska")) return segmentEnd(head);
  return format == "avi" ? riffEnd(head) : std::nullopt;
}

}  // namespace glenhaze::detail
