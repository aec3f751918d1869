#include "core/treat/iso.h"

#include <cmath>
#include <vector>

namespace glenhaze {
namespace fs = std::filesystem;

namespace {

char foldedCase(char c) { return c >= 'A' && c <= 'Z' ? static_cast<char>(c + 32) : c; }
bool isDigit(char c) { return c >= '0' && c <= '9'; }

// The number that '#' stands for in the first place of `name` where the pattern fits; '*' takes as little as
// it can. Time grows with the product of the lengths: each (pattern, name) pair of places is tried once.
class PatternSearch {
 public:
  PatternSearch(const std::string& pattern, const std::string& name)
      : pattern_(pattern), name_(name), failed_((pattern.size() + 1) * (name.size() + 1)) {}

  std::optional<std::string> number() {
    for (size_t start = 0; start <= name_.size(); ++start)
      if (fits(start)) return number_;
    return std::nullopt;
  }

 private:
  // Walks with a stack of its own: patterns may be long.
  bool fits(size_t start) {
    struct Place {
      size_t p, n;
      std::optional<std::string> number;
    };
    std::vector<Place> open{{0, start, std::nullopt}};
    while (!open.empty()) {
      Place at = std::move(open.back());
      open.pop_back();
      if (at.p == pattern_.size()) {
        number_ = at.number;
        return true;
      }
      const size_t key = at.p * (name_.size() + 1) + at.n;
      // Whether the rest fits does not depend on the number found before.
      if (failed_[key]) continue;
      failed_[key] = true;
      const char c = pattern_[at.p];
      if (c == '*') {
        if (at.n < name_.size()) open.push_back({at.p, at.n + 1, at.number});
        open.push_back({at.p + 1, at.n, at.number});
      } else if (c == '#') {
        size_t end = at.n, p = at.p;
        while (end < name_.size() && isDigit(name_[end])) ++end;
        while (p < pattern_.size() && pattern_[p] == '#') ++p;
        if (end == at.n) continue;
        // A number is taken whole, and only the first one counts.
        open.push_back({p, end, at.number ? at.number : name_.substr(at.n, end - at.n)});
      } else if (at.n < name_.size() && foldedCase(name_[at.n]) == foldedCase(c)) {
        open.push_back({at.p + 1, at.n + 1, std::move(at.number)});
      }
    }
    return false;
  }

  const std::string& pattern_;
  const std::string& name_;
  std::vector<bool> failed_;
  std::optional<std::string> number_;
};

}  // namespace

std::optional<int> isoFromName(const fs::path& path, const std::string& pattern) {
  constexpr size_t kLongestPattern = 256;
  if (pattern.find('#') == std::string::npos || pattern.size() > kLongestPattern) return std::nullopt;
  for (fs::path at = path; !at.empty() && at != at.root_path(); at = at.parent_path()) {
    const std::string name = at == path ? at.stem().string() : at.filename().string();
    const auto number = PatternSearch(pattern, name).number();
    if (number && number->size() < 8)
      if (const int iso = std::stoi(*number); iso > 0) return iso;
  }
  return std::nullopt;
}

ClipIso isoByNoise(const IsoEstimate& e) {
  const auto whole = [](double v) { return std::to_string(std::lround(v)); };
  return {e.iso, ClipIso::From::Noise,
          "ISO ≈ " + whole(e.iso) + " (" + whole(e.low) + " to " + whole(e.high) + ")"};
}

std::optional<ClipIso> isoOf(const Shoot& shoot, const ShootClip& clip, const ClipInfo& info) {
  if (clip.iso) return ClipIso{*clip.iso, ClipIso::From::Hand, isoText(*clip.iso)};
  if (info.iso) return ClipIso{static_cast<double>(*info.iso), ClipIso::From::File, isoText(*info.iso)};
  if (const auto named = isoFromName(clip.path, shoot.iso_pattern))
    return ClipIso{static_cast<double>(*named), ClipIso::From::Name, isoText(*named)};
  if (clip.iso_estimate) return isoByNoise(*clip.iso_estimate);
  return std::nullopt;
}

}  // namespace glenhaze
