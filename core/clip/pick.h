#pragma once
// Which stretches of long takes are worth keeping: suggestions, each with its reason, for people to take or
// refuse.

#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/clip/timeline.h"

namespace glenhaze {

/// Past these a moment is not suggested: limits of taste, set on the demo and on footage from the hand.
struct PickLimits {
  double blur = 0.5, dark = 0.6, bright = 0.25;
  double shake = 1;  ///< of what the render leaves
};
inline constexpr PickLimits kPickLimits;

enum class Wish {
  Steady,  ///< calm pictures
  Lively,  ///< something happens
  Both
};
/// "steady", "lively", "both".
std::optional<Wish> wishFromName(const std::string& name);

struct PickClip {
  const ClipInfo* info = nullptr;
  const ClipTimeline* timeline = nullptr;
  double shake_left = 1;  ///< share of its shake that the render leaves
};

struct PickOptions {
  Wish wish = Wish::Both;
  double total_s = 60;  ///< all of them together
  double shortest_s = 2, longest_s = 8;
};

struct Suggestion {
  size_t clip = 0;              ///< of those given
  int64_t first = 0, last = 0;  ///< frames [first, last)
  std::string reason;
  double worth = 0;  ///< 0..1
};

/// By clip, then by time; none overlaps another. What is blurred, black, burnt out or shakes too much is not
/// suggested; together they are as long as asked for, within half the shortest, or as much as there is.
std::vector<Suggestion> suggestStretches(std::span<const PickClip> clips, const PickOptions& options = {});

}  // namespace glenhaze
