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
  if (correction.motion && !correction.lens)
    throw Error(ErrorKind::BadRequest, "The motion cannot be corrected without the lens", "", "",
                "Measure the lens of this mode first");
  window_ = std::make_shared<LensWindow>(
      lens, WindowSettings{output_.width, output_.height, correction.lens_amount, correction.fill});
  if (correction.motion && !correction.motion->path.empty()) {
    motion_ = correction.motion;
    lens_ = std::make_shared<LensMap>(lens);
    return;
  }
  still_ = std::make_shared<WarpGrid>(output_, source,
                                      [window = window_](Point p) { return window->toSource(p); });
}

std::shared_ptr<const WarpGrid> Geometry::grid(int64_t frame,
                                               const std::shared_ptr<const OwnMotion>& own) const {
  if (!motion_) return still_;
  const auto map = std::make_shared<FrameMap>(*motion_, frame, *lens_, *window_);
  if (own && !own->empty())
    return std::make_shared<WarpGrid>(
        output_, source_,
        [map, own](Point p) -> std::optional<Point> {
          const auto at = map->toSource(p);
          return at ? std::optional(shownAt(*own, map->rows(), *at)) : std::nullopt;
        },
        WarpGrid::Care::Sampled);
  return std::make_shared<WarpGrid>(
      output_, source_, [map](Point p) { return map->toSource(p); }, WarpGrid::Care::Sampled);
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

std::optional<Point> Geometry::toOutput(Point p, int64_t frame) const {
  if (motion_) return FrameMap(*motion_, frame, *lens_, *window_).toOutput(p);
  return window_ ? window_->toOutput(p) : std::optional(p);
}
std::optional<Point> Geometry::toSource(Point p, int64_t frame) const {
  if (motion_) return FrameMap(*motion_, frame, *lens_, *window_).toSource(p);
  return window_ ? window_->toSource(p) : std::optional(p);
}

Frame correctFrame(const Frame& source, const Geometry& geometry, PixelFormat format,
                   const std::shared_ptr<const OwnMotion>& own) {
  const auto grid = geometry.grid(source.index, own);
  return grid ? warpFrame(source, *grid, format) : convertFormat(source, format);
}

}  // namespace glenhaze
