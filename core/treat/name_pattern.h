#pragma once
// Names of outputs by a pattern with the clip's facts: "{camera} {date} {n}".

#include <string>

namespace glenhaze {

/// What stands for the words in braces.
struct NameFacts {
  std::string name;    ///< {name}: the clip's own, without its ending
  std::string camera;  ///< {camera}
  std::string date;    ///< {date}: 2031-04-05
  std::string iso;     ///< {iso}
  int number = 1;      ///< {n}: of the clip in the shoot, from 1, with as many digits as the last one has
  int count = 1;       ///< clips in the shoot
};

/// What is wrong with a pattern, in a sentence; "" when nothing is. An empty pattern is {name}.
std::string patternFault(const std::string& pattern);

/// The name without its ending. Facts that are not known are "unknown"; what no file name may hold becomes
/// "-". The pattern must have no fault.
std::string nameBy(const std::string& pattern, const NameFacts& facts);

}  // namespace glenhaze
