#pragma once
// The map of what one turn per row cannot mend, drawn over the picture.

#include <QPainter>
#include <QString>
#include <optional>

#include "desktop/compare/preview.h"

namespace glenhaze::desktop {

class PictureView;

/// Where things stand off because they moved on their own while their rows were read. Immutable.
class OwnMarks {
 public:
  /// Lines are drawn this many times as long as what they show.
  static constexpr double kTimes = 12;

  OwnMarks() = default;
  OwnMarks(const PreviewFrame& frame, const Correction& correction, PictureSize source);

  /// In the corrected picture.
  void draw(QPainter& painter, const PictureView& view, int pane) const;
  /// Farthest off, px of the source; 0 where nothing moves on its own.
  double farthest() const { return farthest_; }
  QString text() const;

 private:
  struct Mark {
    QPointF from, to;  // corrected picture
  };
  std::vector<Mark> marks_;
  double farthest_ = 0, seconds_ = 0;
  bool known_ = false, taken_back_ = false;
};

}  // namespace glenhaze::desktop
