#include "core/base/numbers.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>

namespace glenhaze {

std::optional<double> parseNumber(std::string_view text) {
  const auto blank = [](char c) { return c == ' ' || c == '\t' || c == '\r' || c == '\n'; };
  while (!text.empty() && blank(text.front())) text.remove_prefix(1);
  while (!text.empty() && blank(text.back())) text.remove_suffix(1);
  if (text.size() > 1 && text.front() == '+' && text[1] != '-') text.remove_prefix(1);
  double value = 0;
  const auto [end, code] = std::from_chars(text.data(), text.data() + text.size(), value);
  if (code != std::errc{} || end != text.data() + text.size() || !std::isfinite(value)) return std::nullopt;
  return value;
}

std::string fixedText(double value, int digits) {
  // The longest: a minus, 309 digits, the point and the decimals.
  std::array<char, 340> text{};
  const auto [end, code] = std::to_chars(text.data(), text.data() + text.size(), value,
                                         std::chars_format::fixed, std::clamp(digits, 0, 17));
  return code == std::errc{} ? std::string(text.data(), end) : "nan";
}

std::string exactText(double value) {
  std::array<char, 32> text{};
  const auto [end, code] = std::to_chars(text.data(), text.data() + text.size(), value);
  return code == std::errc{} ? std::string(text.data(), end) : "nan";
}

}  // namespace glenhaze
