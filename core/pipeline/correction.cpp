#include "core/pipeline/correction.h"

#include <algorithm>

#include "core/base/error.h"

namespace glenhaze {

Geometry::Geometry(const Correction& correction, PictureSize source)
    : source_(source),
      inner_(correction.output.width > 0 ? correction.output : source),
      output_(correction.canvas.size.width > 0 ? correction.canvas.size : inner_),
      canvas_(correction.canvas) {
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
      lens, WindowSettings{inner_.width, inner_.height, correction.lens_amount, correction.fill});
  if (correction.motion && !correction.motion->path.empty()) {
    motion_ = correction.motion;
    lens_ = std::make_shared<LensMap>(lens);
    return;
  }
  still_ = std::make_shared<WarpGrid>(output_, source,
                                      onCanvas([window = window_](Point p) { return window->toSource(p); }));
}

// The picture ends where it ends: what the lens saw beyond it is not shown.
PixelMap Geometry::onCanvas(PixelMap map) const {
  if (canvas_.size.width == 0) return map;
  return [map = std::move(map), at = Point{static_cast<double>(canvas_.x), static_cast<double>(canvas_.y)},
          right = inner_.width - 0.5, below = inner_.height - 0.5](Point p) -> std::optional<Point> {
    const Point q = p - at;
    if (q.x < -0.5 || q.y < -0.5 || q.x > right || q.y > below) return std::nullopt;
    return map(q);
  };
}

std::shared_ptr<const WarpGrid> Geometry::grid(int64_t frame,
                                               const std::shared_ptr<const OwnMotion>& own) const {
  if (!motion_) return still_;
  const auto map = std::make_shared<FrameMap>(*motion_, frame, *lens_, *window_);
  if (own && !own->empty())
    return std::make_shared<WarpGrid>(output_, source_, onCanvas([map, own](Point p) -> std::optional<Point> {
                                        const auto at = map->toSource(p);
                                        return at ? std::optional(shownAt(*own, map->rows(), *at))
                                                  : std::nullopt;
                                      }),
                                      WarpGrid::Care::Sampled);
  return std::make_shared<WarpGrid>(output_, source_, onCanvas([map](Point p) { return map->toSource(p); }),
                                    WarpGrid::Care::Sampled);
}

Correction correctionAt(const Correction& correction, PictureSize source, PictureSize smaller) {
  Correction scaled = correction;
  if (scaled.lens) scaled.lens = scaledLens(*scaled.lens, smaller.width, smaller.height);
  if (scaled.output.width > 0) {
    scaled.output.width = std::max(1, scaled.output.width * smaller.width / source.width);
    scaled.output.height = std::max(1, scaled.output.height * smaller.height / source.height);
  }
  if (scaled.canvas.size.width > 0) {
    const auto across = [&](int v) { return v * smaller.width / source.width; };
    const auto down = [&](int v) { return v * smaller.height / source.height; };
    const Canvas& c = correction.canvas;
    scaled.canvas = {
        {std::max(1, across(c.size.width)), std::max(1, down(c.size.height))}, across(c.x), down(c.y)};
    if (scaled.output.width == 0) scaled.output = smaller;
  }
  scaled.camera.radius_px *= static_cast<double>(smaller.width) / source.width;
  // What is too fine for the sensor is gone in a smaller picture.
  scaled.finish.shimmer = 0;
  return scaled;
}

double Geometry::enlargement() const {
  if (!window_) return 1;
  const Point middle{(source_.width - 1) / 2.0, (source_.height - 1) / 2.0};
  const auto left = window_->toOutput({middle.x - 0.5, middle.y}),
             right = window_->toOutput({middle.x + 0.5, middle.y});
  return left && right ? length(*right - *left) : 1;
}

Crispness crispnessOf(const Correction& correction, const Geometry& geometry) {
  // Of the finest detail: what a picture lacks for each time that it is enlarged; the one resampling by
  // itself and noise removal take nothing that sharpening could give back. And what taste adds for each 100 %
  // beyond that. Found on photographs (benchmarks/finish_photographs).
  constexpr double kEnlarged = 0.35, kTaste = 0.3;
  constexpr double kLeastRadius = 0.2;  // px: less is below what a picture holds
  Crispness c;
  const double enlarged = geometry.enlargement();
  const double taken = kEnlarged * std::clamp(enlarged - 1, 0.0, 1.0), crisp = correction.finish.crisp;
  c.amount = std::min(1.0, crisp) * taken + std::max(0.0, crisp - 1) * kTaste;
  c.halo = correction.finish.halo;
  c.taken_back = correction.camera;
  c.taken_back.amount *= correction.finish.calm;
  c.taken_back.radius_px *= enlarged;
  if (c.taken_back.radius_px < kLeastRadius) c.taken_back = {};
  return c;
}

std::optional<Point> Geometry::toOutput(Point p, int64_t frame) const {
  const auto at = motion_   ? FrameMap(*motion_, frame, *lens_, *window_).toOutput(p)
                  : window_ ? window_->toOutput(p)
                            : std::optional(p);
  return at ? std::optional(*at + Point{static_cast<double>(canvas_.x), static_cast<double>(canvas_.y)})
            : std::nullopt;
}
std::optional<Point> Geometry::toSource(Point p, int64_t frame) const {
  p = p - Point{static_cast<double>(canvas_.x), static_cast<double>(canvas_.y)};
  if (motion_) return FrameMap(*motion_, frame, *lens_, *window_).toSource(p);
  return window_ ? window_->toSource(p) : std::optional(p);
}

Frame correctFrame(const Frame& source, const Geometry& geometry, PixelFormat format,
                   const std::shared_ptr<const OwnMotion>& own) {
  const auto grid = geometry.grid(source.index, own);
  return grid ? warpFrame(source, *grid, format) : convertFormat(source, format);
}

}  // namespace glenhaze
