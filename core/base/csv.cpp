#include "core/base/csv.h"

#include "core/base/numbers.h"

namespace glenhaze {

std::string csvQuoted(std::string_view text) {
  std::string out = "\"";
  for (const char c : text) out += c == '"' ? std::string("\"\"") : std::string(1, c);
  return out + "\"";
}

std::optional<std::vector<double>> csvNumbers(std::string_view line) {
  std::vector<double> numbers;
  while (true) {
    const size_t comma = line.find(',');
    const auto number = parseNumber(line.substr(0, comma));
    if (!number) return std::nullopt;
    numbers.push_back(*number);
    if (comma == std::string_view::npos) return numbers;
    line.remove_prefix(comma + 1);
  }
}

void forEachCsvLine(std::string_view text, const std::function<void(std::string_view, int)>& row) {
  for (int number = 1; !text.empty(); ++number) {
    const size_t end = text.find('\n');
    std::string_view line = text.substr(0, end);
    text.remove_prefix(end == std::string_view::npos ? text.size() : end + 1);
    if (!line.empty() && line.back() == '\r') line.remove_suffix(1);
    if (!line.empty() && line.front() != '#') row(line, number);
  }
}

}  // namespace glenhaze
