#pragma once
// Where the values of a profile come from.

#include <string>
#include <vector>

#include "core/base/geometry.h"

namespace glenhaze {

/// One piece of reference material behind a value.
struct Evidence {
  std::string kind;          ///< "chart", "edge", "locked-off", "patch", "typed", "by hand", "imported"
  std::string source;        ///< file name of the reference shot, "" for typed values
  int64_t frame = -1;        ///< −1: none
  std::string name;          ///< what the user calls it ("gutter"), may be empty
  double residual_px = -1;   ///< RMS left, −1 when it has none
  double before_px = -1;     ///< RMS before, −1 when it has none
  double level = -1;         ///< of a noise patch, 8-bit code; −1 when it has none
  double sigma = -1;         ///< of luma there
  std::string left_out;      ///< why it is not used, "" when it is
  std::vector<Point> marks;  ///< marked points, source px; of a patch its corners
  std::string kept_json;     ///< keys that this version does not know, as one JSON object; "" for none

  bool operator==(const Evidence&) const = default;
};
inline bool operator==(const Point& a, const Point& b) { return a.x == b.x && a.y == b.y; }

/// How a part of the profile came about; decides how its coverage is shown.
enum class Origin { Measured, ByHand, Imported };

}  // namespace glenhaze
