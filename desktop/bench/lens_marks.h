#pragma once
// What the lens station draws over its picture: corners with their residuals, edges, coverage, enlargement.

#include <QPainter>
#include <QSize>
#include <vector>

#include "core/lens/window.h"
#include "desktop/bench/lens_state.h"
#include "desktop/widgets/picture_view.h"

namespace glenhaze::desktop {

constexpr double kBowExaggeration = 8;

struct LensMarks {
  const LensState& state;
  QSize size;  ///< of the source picture
  int64_t frame = -1;
  const LensWindow* window = nullptr;  ///< null while the source is shown, else what straightens it
  int chosen_row = -1;
  const std::vector<Point>& stroke;  ///< being drawn by the user
  bool exaggerate = false, coverage = false, enlargement = false;
};

void drawLensMarks(QPainter& painter, const PictureView& view, const LensMarks& marks);

}  // namespace glenhaze::desktop
