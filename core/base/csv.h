#pragma once
// Tables of numbers as text: one row a line, commas between (RFC 4180; read without quotes). The one reader
// for all.

#include <functional>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace glenhaze {

/// The numbers of one line; empty when a field is no finite number. A carriage return at the end is passed
/// over.
std::optional<std::vector<double>> csvNumbers(std::string_view line);

/// A field of text: within quotes, each of its own twice.
std::string csvQuoted(std::string_view text);

/// Calls `row` with each line that is not empty and does not begin with '#', and its number from 1.
void forEachCsvLine(std::string_view text, const std::function<void(std::string_view line, int number)>& row);

}  // namespace glenhaze
