#pragma once
// JSON in and out, held to what our files need: bounded in depth, and written whatever bytes a text holds.
// For sources only: the library's own header stays out of ours.

#include <filesystem>
#include <nlohmann/json.hpp>
#include <string>
#include <string_view>

namespace glenhaze {

/// Nesting that our files may have; the library's own functions recurse once a level.
constexpr int kJsonDepth = 48;

/// Throws nlohmann::json::exception where the text is no JSON, std::invalid_argument where it is nested
/// deeper than kJsonDepth.
nlohmann::json parseJson(std::string_view text);

/// As parseJson, but null where the text cannot be used.
nlohmann::json parseJsonOrNull(std::string_view text);

/// Bytes that are not UTF-8 become U+FFFD. `indent` −1: one line.
std::string jsonText(const nlohmann::json& value, int indent = -1);

/// A file's name as JSON can hold it: names in UTF-8 as they are; others, and those that begin with "file:",
/// percent-encoded behind "file:" (RFC 3986), so that every byte comes back.
std::string pathToText(const std::filesystem::path& path);
std::filesystem::path pathFromText(const std::string& text);

}  // namespace glenhaze
