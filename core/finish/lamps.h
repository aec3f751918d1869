#pragma once
// Lamps that flicker apart from the rest of the picture: places whose light goes up and down together, all
// along the clip, while what is around does not. Found while a clip's flicker is measured; they follow the
// picture's shift.

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/frame/frame.h"

namespace glenhaze {

/// What one lamp does. Places are shares of the picture's width, from its upper left corner.
struct LampPath {
  int64_t first = 0;    ///< frame of the first value of `course`
  double x = 0, y = 0;  ///< middle of the first cell, where the picture is not shifted
  double cell = 0;      ///< from cell to cell
  int columns = 0, rows = 0;
  std::vector<float> share;   ///< of each cell, rows first: how much of `course` is seen there, 0 up
  std::vector<float> course;  ///< logarithm of its level against its slow part, a value a frame
  std::vector<float> shift_x,
      shift_y;         ///< where what is at a place of the unshifted picture is, a value a frame
  double depth = 0;    ///< RMS of `course`
  double rate_hz = 0;  ///< strongest rhythm of it; 0: none stands out

  bool operator==(const LampPath&) const = default;
  /// "8.3 % at 7.0 Hz, left".
  std::string describe() const;
};

/// Frames are looked at one after the other; then the lamps are told.
class LampFinder {
 public:
  LampFinder();
  ~LampFinder();
  LampFinder(LampFinder&&) noexcept;
  LampFinder& operator=(LampFinder&&) noexcept;

  /// `whole`: logarithm of the picture's level against the frame before, which is evened by itself; `cut`:
  /// begins something new, and ends the search: lamps are sought in clips of one take.
  void add(const Frame& frame, double whole, bool cut);
  /// Strongest first, at most three; none where the clip is shorter than two seconds or longer than five
  /// minutes.
  std::vector<LampPath> lamps(double fps) const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

/// Evens one lamp out by `strength` (0..1). The frame's samples must be its own.
void evenLamp(Frame& frame, const LampPath& lamp, double strength);

/// For keeping: one line of text, and back; empty for a text that is none.
std::string lampToText(const LampPath& lamp);
std::optional<LampPath> lampFromText(const std::string& text);

}  // namespace glenhaze
