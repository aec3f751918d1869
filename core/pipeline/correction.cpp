#include "core/pipeline/correction.h"

#include <algorithm>

#include "core/base/error.h"

namespace glenhaze {

Geometry::Geometry(const Correction& correction, PictureSize source)
    : source_(source), output_(correction.output.width > 0 ? correction.output : source) {
  if (!correction.movesPixels(source)) return;
  Lens lens = correction.lens.value_or(straightLens(source.width, source.height, source.width));
  if (lens.width != source.width || lens.height != source.height)
    throw Error(ErrorKind::BadRequest, "The lens values are for another picture size", "",
                std::to_string(lens.width) + " × " + std::to_string(lens.height) + " instead of " +
                    std::to_string(source.width) + " × " + std::to_string(source.height),
                "Choose the profile of this mode");
  window_ = std::make_shared<LensWindow>(
      lens, WindowSettings{output_.width, output_.height, correction.lens_amount, correction.fill});
  grid_ = std::make_unique<WarpGrid>(output_, source,
                                     [window = window_](Point p) { return window->toSource(p); });
}

Correction correctionAt(const Correction& correction, PictureSize source, PictureSize smaller) {
  Correction scaled = correction;
  if (scaled.lens) scaled.lens = scaledLens(*scaled.lens, smaller.width, smaller.height);
  if (scaled.output.width > 0) {
    scaled.output.width = std::max(1, scaled.output.width * smaller.width / source.width);
    scaled.output.height = std::max(1, scaled.output.height * smaller.height / source.height);
  }
  return scaled;
}

std::optional<Point> Geometry::toOutput(Point p) const {
  return window_ ? window_->toOutput(p) : std::optional(p);
}
std::optional<Point> Geometry::toSource(Point p) const {
  return window_ ? window_->toSource(p) : std::optional(p);
}

Frame correctFrame(const Frame& source, const Geometry& geometry, PixelFormat format) {
  if (geometry.grid() == nullptr) return convertFormat(source, format);
  return warpFrame(source, *geometry.grid(), format);
}

}  // namespace glenhaze
