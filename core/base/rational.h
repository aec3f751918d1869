#pragma once
// An exact fraction: frame rates and time bases are never rounded to decimals.

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

namespace glenhaze {

struct Rational {
  int64_t num = 0;
  int64_t den = 1;  ///< always > 0

  double value() const { return static_cast<double>(num) / static_cast<double>(den); }
  bool operator==(const Rational& other) const { return num * other.den == other.num * den; }
  /// "30000/1001"; whole numbers as "25/1".
  std::string text() const { return std::to_string(num) + "/" + std::to_string(den); }
};

/// Reads "30000/1001", "25" or "29.97" (decimals near n·1000/1001 become that fraction).
/// Empty when the text is no positive number.
std::optional<Rational> parseRational(std::string_view text);

}  // namespace glenhaze
