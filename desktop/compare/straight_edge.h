#pragma once
// A straight edge laid on the picture; it reads the bow of the edge under it.

#include <QPointF>
#include <QString>

#include "core/frame/frame.h"
#include "core/pipeline/correction.h"

class QPainter;

namespace glenhaze::desktop {

class PictureView;

/// Places in picture pixels.
class StraightEdge {
 public:
  bool on = false;
  QPointF a, b;

  /// Takes hold of the end within `reach`, or begins anew; false when it is not laid on.
  bool press(QPointF at, double reach);
  void drag(QPointF at);
  void draw(QPainter& painter, const PictureView& view, int pane) const;
  /// The bow under it in the corrected picture, and in the source where a lens is corrected: a sentence,
  /// HTML.
  QString measured(const Frame& corrected, const Frame& source, const Correction& correction) const;

 private:
  QPointF& held() { return holds_a_ ? a : b; }
  bool holds_a_ = false;
};

}  // namespace glenhaze::desktop
