#include "core/base/rational.h"

#include <charconv>
#include <cmath>

namespace glenhaze {

std::optional<Rational> parseRational(std::string_view text) {
  const char* end = text.data() + text.size();
  const size_t slash = text.find('/');
  if (slash != std::string_view::npos) {
    Rational value;
    auto num = std::from_chars(text.data(), text.data() + slash, value.num);
    auto den = std::from_chars(text.data() + slash + 1, end, value.den);
    if (num.ec != std::errc{} || den.ec != std::errc{} || den.ptr != end) return std::nullopt;
    if (value.num <= 0 || value.den <= 0) return std::nullopt;
    return value;
  }
  double number = 0;
  auto result = std::from_chars(text.data(), end, number);
  if (result.ec != std::errc{} || result.ptr != end || !(number > 0) || number > 1e6) return std::nullopt;
  if (std::abs(number - std::round(number)) < 1e-9) return Rational{std::llround(number), 1};
  // 23.976, 29.97, 59.94: the broadcast rates n·1000/1001, as people write them.
  const double nearest = std::round(number * 1.001);
  if (std::abs(nearest / 1.001 - number) < 0.006) return Rational{std::llround(nearest) * 1000, 1001};
  return Rational{std::llround(number * 1000), 1000};
}

}  // namespace glenhaze
