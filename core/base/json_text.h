#pragma once
// JSON in and out, held to what our files need: bounded in depth, and written whatever bytes a text holds.
// For sources only: the library's own header stays out of ours.

#include <cstdint>
#include <filesystem>
#include <limits>
#include <nlohmann/json.hpp>
#include <stdexcept>
#include <string>
#include <string_view>
#include <utility>

// Made once, in json_text.cpp: each source that made its own would take seconds longer to compile.
extern template class nlohmann::basic_json<>;

namespace glenhaze {

/// Nesting that our files may have; the library's own functions recurse once a level.
constexpr int kJsonDepth = 48;

/// Throws nlohmann::json::exception where the text is no JSON, std::invalid_argument where it is nested
/// deeper than kJsonDepth.
nlohmann::json parseJson(std::string_view text);

/// As parseJson, but null where the text cannot be used.
nlohmann::json parseJsonOrNull(std::string_view text);

/// A whole number that fits; the library's own conversion of 1e90 to an integer is undefined. Throws
/// std::invalid_argument, nlohmann::json::exception where it is no number.
template <typename Integer>
Integer wholeOf(const nlohmann::json& value) {
  if (value.is_number_float()) {
    const auto number = value.get<double>();
    // Exact for doubles: the largest integers themselves are not.
    constexpr double kBeyond = static_cast<double>(std::numeric_limits<Integer>::max() / 2 + 1) * 2;
    if (!(number >= -kBeyond && number < kBeyond))
      throw std::invalid_argument("a whole number is out of range");
    return static_cast<Integer>(number);
  }
  const bool fits = value.is_number_unsigned() ? std::in_range<Integer>(value.get<uint64_t>())
                                               : std::in_range<Integer>(value.get<int64_t>());
  if (!fits) throw std::invalid_argument("a whole number is out of range");
  return value.get<Integer>();
}
/// That of a key, or what stands for it where there is none.
template <typename Integer>
Integer wholeOr(const nlohmann::json& object, const char* key, Integer otherwise) {
  const auto at = object.find(key);
  return at == object.end() ? otherwise : wholeOf<Integer>(*at);
}

/// An enumeration kept as its number, 0 to that of `last`. Throws as wholeOf.
template <typename Enum>
Enum enumOf(const nlohmann::json& value, Enum last) {
  const int number = wholeOf<int>(value);
  if (number < 0 || number > static_cast<int>(last)) throw std::invalid_argument("there is no such choice");
  return static_cast<Enum>(number);
}

/// Bytes that are not UTF-8 become U+FFFD. `indent` −1: one line.
std::string jsonText(const nlohmann::json& value, int indent = -1);

/// A file's name as JSON can hold it: names in UTF-8 as they are; others, and those that begin with "file:",
/// percent-encoded behind "file:" (RFC 3986), so that every byte comes back.
std::string pathToText(const std::filesystem::path& path);
std::filesystem::path pathFromText(const std::string& text);

}  // namespace glenhaze
