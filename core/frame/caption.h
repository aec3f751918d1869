#pragma once
// A line of text on a picture, in the application's own type, wherever there is no window.

#include <string>
#include <vector>

#include "core/frame/frame.h"

namespace glenhaze {

/// White letters on a dark ground with room around them.
class Caption {
 public:
  /// `px`: height of the letters' line. Characters that the type has not are left out. Throws
  /// Error(BadRequest) for a height that cannot be drawn (4 to 512).
  Caption(const std::string& utf8, int px);
  int width() const { return width_; }
  int height() const { return height_; }
  /// Onto a frame whose samples are its own, the upper left corner at (x, y); what lies outside is cut off.
  void draw(Frame& frame, int x, int y) const;

 private:
  int width_ = 0, height_ = 0;
  std::vector<uint8_t> ink_;  // rows tight; 255: letter
};

}  // namespace glenhaze
