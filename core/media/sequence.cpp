#include "core/media/sequence.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <map>
#include <string_view>
#include <utility>

#include "core/base/error.h"

namespace glenhaze {
namespace fs = std::filesystem;

namespace {

std::string lowerExtension(const fs::path& path) {
  std::string text = path.extension().string();
  std::transform(text.begin(), text.end(), text.begin(), [](unsigned char c) { return std::tolower(c); });
  return text;
}

bool isFilmName(const fs::path& path) {
  static constexpr std::array<std::string_view, 13> kFilm = {".mp4", ".mov",  ".m4v", ".mkv", ".avi",
                                                             ".mts", ".m2ts", ".ts",  ".mpg", ".mpeg",
                                                             ".mxf", ".webm", ".ogv"};
  const std::string extension = lowerExtension(path);
  return std::find(kFilm.begin(), kFilm.end(), extension) != kFilm.end();
}

// Splits "lapse_%04d.png" into what stands before and after the number, and the number's length.
struct PatternParts {
  std::string before, after;
  size_t digits = 0;
};

std::optional<PatternParts> splitPattern(const std::string& name) {
  // The last "%0Nd": the name may hold more of them by chance.
  for (size_t at = name.rfind('%'); at != std::string::npos;
       at = at > 0 ? name.rfind('%', at - 1) : name.npos)
    if (at + 3 < name.size() && name[at + 1] == '0' && name[at + 2] >= '1' && name[at + 2] <= '9' &&
        name[at + 3] == 'd')
      return PatternParts{name.substr(0, at), name.substr(at + 4), static_cast<size_t>(name[at + 2] - '0')};
  return std::nullopt;
}

std::string numbered(const PatternParts& parts, int number) {
  std::string digits = std::to_string(number);
  if (digits.size() < parts.digits) digits.insert(0, parts.digits - digits.size(), '0');
  return parts.before + digits + parts.after;
}

// The last run of digits in a still's name: ("lapse_", "0017", ".png").
std::optional<std::pair<PatternParts, int>> splitNumbered(const std::string& name) {
  constexpr std::string_view kDigits = "0123456789";
  constexpr size_t kMostDigits = 9;  // that a number of 32 bits holds
  const size_t last = name.find_last_of(kDigits);
  if (last == std::string::npos) return std::nullopt;
  const size_t before = name.find_last_not_of(kDigits, last);
  size_t first = before == std::string::npos ? 0 : before + 1;
  first = std::max(first, last + 1 > kMostDigits ? last + 1 - kMostDigits : 0);
  const std::string digits = name.substr(first, last + 1 - first);
  return std::pair{PatternParts{name.substr(0, first), name.substr(last + 1), digits.size()},
                   std::stoi(digits)};
}

}  // namespace

bool isStillName(const fs::path& path) {
  const std::string e = lowerExtension(path);
  return e == ".png" || e == ".tif" || e == ".tiff" || e == ".jpg" || e == ".jpeg";
}

std::optional<SequencePattern> sequenceFromPattern(const fs::path& path) {
  std::error_code code;
  const bool picture = isStillName(path) || lowerExtension(path) == ".exr";
  if (!picture || fs::exists(path, code)) return std::nullopt;
  const auto parts = splitPattern(path.filename().string());
  if (!parts) return std::nullopt;
  const fs::path folder = path.has_parent_path() ? path.parent_path() : fs::path(".");
  std::vector<int> numbers;
  for (const auto& entry : fs::directory_iterator(folder, code)) {
    const auto split = splitNumbered(entry.path().filename().string());
    if (!split || split->first.before != parts->before || split->first.after != parts->after) continue;
    if (split->first.digits == parts->digits) numbers.push_back(split->second);
  }
  if (numbers.empty()) return std::nullopt;
  std::sort(numbers.begin(), numbers.end());
  SequencePattern sequence{path, numbers.front(), 0};
  for (const int n : numbers)
    if (n == sequence.first + sequence.count) ++sequence.count;
  return sequence;
}

bool isSequenceName(const fs::path& path) { return splitPattern(path.filename().string()).has_value(); }

fs::path sequenceFile(const fs::path& pattern, int number) {
  const auto parts = splitPattern(pattern.filename().string());
  if (!parts)
    throw Error(ErrorKind::BadRequest, "A sequence's name needs one %0Nd", pattern.string(), "",
                "Name it like shot_%04d.png");
  return pattern.parent_path() / numbered(*parts, number);
}

std::vector<fs::path> listFootage(const fs::path& folder, int min_sequence) {
  std::error_code code;
  if (!fs::is_directory(folder, code))
    throw Error(ErrorKind::Unreadable, "Cannot list the folder", folder.string(), "it is not a folder", "");
  std::vector<fs::path> found;
  std::map<std::pair<std::string, std::string>, std::vector<fs::path>> stills;
  for (const auto& entry : fs::directory_iterator(folder, code)) {
    const fs::path& path = entry.path();
    const std::string name = path.filename().string();
    if (name.front() == '.' || !entry.is_regular_file(code)) continue;
    if (isFilmName(path)) found.push_back(path);
    if (!isStillName(path)) continue;
    const auto split = splitNumbered(name);
    if (!split) {
      found.push_back(path);
      continue;
    }
    const std::string pattern = "%0" + std::to_string(split->first.digits) + "d";
    stills[{split->first.before, pattern + split->first.after}].push_back(path);
  }
  if (code)
    throw Error(ErrorKind::Unreadable, "Cannot list the folder", folder.string(), code.message(),
                "Check its permissions");
  for (auto& [key, files] : stills) {
    if (static_cast<int>(files.size()) >= min_sequence)
      found.push_back(folder / (key.first + key.second));
    else
      found.insert(found.end(), files.begin(), files.end());
  }
  std::sort(found.begin(), found.end());
  return found;
}

}  // namespace glenhaze
