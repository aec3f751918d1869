#include "core/profile/detail/calibration_text.h"

#include <algorithm>

#include "core/base/numbers.h"

namespace glenhaze::detail {

namespace {

constexpr size_t kMostElements = 64;  // of a camera matrix 9, of coefficients 14
// From a matrix's key to its elements stand its rows, columns and type.
constexpr size_t kHead_bytes = 300;

bool isBlank(char c) { return c == ' ' || c == '\t' || c == '\r' || c == '\n'; }

std::string_view trimmed(std::string_view text) {
  while (!text.empty() && isBlank(text.front())) text.remove_prefix(1);
  while (!text.empty() && isBlank(text.back())) text.remove_suffix(1);
  return text;
}

std::optional<std::vector<double>> numbersOf(std::string_view text) {
  std::vector<double> numbers;
  while (true) {
    while (!text.empty() && (isBlank(text.front()) || text.front() == ',')) text.remove_prefix(1);
    if (text.empty()) return numbers;
    const size_t end = std::min(text.size(), text.find_first_of(" \t\r\n,"));
    const auto number = parseNumber(text.substr(0, end));
    if (!number || numbers.size() == kMostElements) return std::nullopt;
    numbers.push_back(*number);
    text.remove_prefix(end);
  }
}

}  // namespace

std::optional<std::string_view> CalibrationText::behind(std::string_view key) const {
  const std::string_view all = text_;
  for (size_t at = all.find(key); at != std::string_view::npos; at = all.find(key, at + 1)) {
    const char before = at > 0 ? all[at - 1] : '\n';
    std::string_view rest = all.substr(at + key.size());
    if (before == '<') {
      const size_t opened = rest.find('>');
      if (opened == std::string_view::npos || !(rest[0] == '>' || isBlank(rest[0]))) continue;
      rest.remove_prefix(opened + 1);
      return rest.substr(0, rest.find("</" + std::string(key) + ">"));
    }
    if (!isBlank(before) && before != '"' && before != '{' && before != ',') continue;
    if (before == '"' && !rest.empty() && rest.front() == '"') rest.remove_prefix(1);
    while (!rest.empty() && (rest.front() == ' ' || rest.front() == '\t')) rest.remove_prefix(1);
    if (!rest.empty() && rest.front() == ':') return rest.substr(1);
  }
  return std::nullopt;
}

std::optional<double> CalibrationText::number(std::string_view key) const {
  const auto rest = behind(key);
  if (!rest) return std::nullopt;
  const std::string_view value = rest->substr(0, rest->find_first_of(",}\n<"));
  return parseNumber(trimmed(value));
}

std::optional<std::vector<double>> CalibrationText::matrix(std::string_view key) const {
  const auto rest = behind(key);
  if (!rest) return std::nullopt;
  const size_t data = rest->find("data");
  if (data == std::string_view::npos || data > kHead_bytes) return std::nullopt;
  std::string_view body = rest->substr(data);
  const size_t begin = body.find_first_of("[>");
  if (begin == std::string_view::npos) return std::nullopt;
  const size_t end = body.find_first_of("]<", begin + 1);
  if (end == std::string_view::npos) return std::nullopt;
  return numbersOf(body.substr(begin + 1, end - begin - 1));
}

}  // namespace glenhaze::detail
