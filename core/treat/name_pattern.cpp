#include "core/treat/name_pattern.h"

#include <algorithm>
#include <functional>

namespace glenhaze {

namespace {

constexpr size_t kLongest = 120;  // bytes of a pattern; what it becomes must fit a file name

std::string numbered(const NameFacts& facts) {
  std::string digits = std::to_string(facts.number);
  const size_t width = std::max<size_t>(2, std::to_string(facts.count).size());
  if (digits.size() < width) digits.insert(0, width - digits.size(), '0');
  return digits;
}

const std::string* factOf(const NameFacts& facts, const std::string& key) {
  if (key == "name") return &facts.name;
  if (key == "camera") return &facts.camera;
  if (key == "date") return &facts.date;
  if (key == "iso") return &facts.iso;
  return nullptr;
}

// What no file name may hold, here or on the systems that it is copied to.
void clean(std::string& name) {
  constexpr std::string_view kForbidden = "/\\:*?\"<>|";
  for (char& c : name)
    if (static_cast<unsigned char>(c) < 0x20 || kForbidden.find(c) != std::string_view::npos) c = '-';
  while (!name.empty() && (name.back() == ' ' || name.back() == '.')) name.pop_back();
  // Hidden files are not found again.
  while (!name.empty() && (name.front() == '.' || name.front() == ' ')) name.erase(0, 1);
}

// Calls `word` for each {word}, `text` for what stands between; false for braces that do not match.
bool read(const std::string& pattern, const std::function<void(const std::string&)>& text,
          const std::function<void(const std::string&)>& word) {
  size_t at = 0;
  while (at < pattern.size()) {
    const size_t open = pattern.find_first_of("{}", at);
    text(pattern.substr(at, open - at));
    if (open == std::string::npos) return true;
    const size_t close = pattern.find('}', open);
    if (pattern[open] == '}' || close == std::string::npos) return false;
    word(pattern.substr(open + 1, close - open - 1));
    at = close + 1;
  }
  return true;
}

}  // namespace

std::string patternFault(const std::string& pattern) {
  if (pattern.size() > kLongest) return "The pattern for names is longer than 120 bytes";
  std::string unknown;
  const bool matched = read(
      pattern, [](const std::string&) {},
      [&](const std::string& word) {
        if (word != "n" && factOf({}, word) == nullptr) unknown = word;
      });
  if (!matched) return "The braces in the pattern for names do not match";
  return unknown.empty() ? ""
                         : "There is no {" + unknown + "}: known are {name}, {camera}, {date}, {iso} and {n}";
}

std::string nameBy(const std::string& pattern, const NameFacts& facts) {
  std::string name;
  read(
      pattern.empty() ? "{name}" : pattern, [&](const std::string& text) { name += text; },
      [&](const std::string& word) {
        const std::string* fact = factOf(facts, word);
        name += word == "n" ? numbered(facts) : fact == nullptr || fact->empty() ? "unknown" : *fact;
      });
  clean(name);
  return name.empty() ? "clip" : name;
}

}  // namespace glenhaze
