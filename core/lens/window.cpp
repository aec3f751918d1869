#include "core/lens/window.h"

#include <algorithm>
#include <array>

#include "core/base/error.h"

namespace glenhaze {

namespace {

constexpr double kStraightTan = 5.67;  // 80° from the axis: the straight picture grows without bound past it
constexpr int kBorderSteps = 96;

bool inside(Point p, int width, int height) {
  return p.x >= -0.5 && p.y >= -0.5 && p.x <= width - 0.5 && p.y <= height - 0.5;
}

// Points along the outer edge of a picture's pixel area.
template <typename Visit>
bool allOnBorder(int width, int height, Visit visit) {
  const double w = width - 1, h = height - 1;
  for (int i = 0; i <= kBorderSteps; ++i) {
    const double t = static_cast<double>(i) / kBorderSteps;
    for (const Point p : {Point{t * w, 0}, Point{t * w, h}, Point{0, t * h}, Point{w, t * h}})
      if (!visit(p)) return false;
  }
  return true;
}

}  // namespace

LensWindow::LensWindow(const Lens& lens, const WindowSettings& settings)
    : map_(lens),
      width_(settings.width > 0 ? settings.width : lens.width),
      height_(settings.height > 0 ? settings.height : lens.height),
      amount_(settings.amount),
      base_(std::max(static_cast<double>(width_) / lens.width, static_cast<double>(height_) / lens.height)) {
  if (!(settings.amount >= 0 && settings.amount <= 1))
    throw Error(ErrorKind::BadRequest, "The amount of correction must be from 0 to 1", "",
                std::to_string(settings.amount), "");
  if (!(settings.fill >= 0 && settings.fill <= 1))
    throw Error(ErrorKind::BadRequest, "The fill must be from 0 to 100 %", "",
                std::to_string(settings.fill * 100), "");
  filled_zoom_ = findFilledZoom();
  whole_zoom_ = std::min(filled_zoom_, findWholeZoom(whole_limited_));
  zoom_ = whole_zoom_ * std::pow(filled_zoom_ / whole_zoom_, settings.fill);
}

std::optional<Point> LensWindow::toSource(Point output) const { return toSourceAt(output, zoom_); }

std::optional<Point> LensWindow::toSourceAt(Point output, double zoom) const {
  const Lens& lens = map_.lens();
  // The output's middle shows the source's middle; the straight plane has the lens's own focal length.
  const Point plane{(output.x - (width_ - 1) / 2.0) / zoom + (lens.width - 1) / 2.0,
                    (output.y - (height_ - 1) / 2.0) / zoom + (lens.height - 1) / 2.0};
  if (amount_ <= 0) return plane;
  const auto bent = map_.distort(plane);
  if (!bent) return std::nullopt;
  if (amount_ >= 1) return bent;
  return plane + (*bent - plane) * amount_;
}

std::optional<Point> LensWindow::toOutput(Point source) const {
  const Lens& lens = map_.lens();
  const auto toOut = [&](Point plane) {
    return Point{(plane.x - (lens.width - 1) / 2.0) * zoom_ + (width_ - 1) / 2.0,
                 (plane.y - (lens.height - 1) / 2.0) * zoom_ + (height_ - 1) / 2.0};
  };
  if (amount_ <= 0) return toOut(source);
  const auto straight = map_.undistort(source);
  if (amount_ >= 1) return straight ? std::optional<Point>(toOut(*straight)) : std::nullopt;
  // Partial: solve plane + a(distort(plane) − plane) = source by Newton with a numeric slope.
  Point plane = straight ? source + (*straight - source) * amount_ : source;
  for (int i = 0; i < 30; ++i) {
    const auto value = [&](Point p) -> std::optional<Point> {
      const auto bent = map_.distort(p);
      if (!bent) return std::nullopt;
      return p + (*bent - p) * amount_;
    };
    const auto at = value(plane), right = value(plane + Point{0.5, 0}), below = value(plane + Point{0, 0.5});
    if (!at || !right || !below) return std::nullopt;
    const Point error = *at - source;
    if (length(error) < 1e-9) return toOut(plane);
    const Point dx = (*right - *at) * 2, dy = (*below - *at) * 2;
    const double det = dx.x * dy.y - dy.x * dx.y;
    if (!(det > 1e-9)) return std::nullopt;
    plane.x -= (dy.y * error.x - dy.x * error.y) / det;
    plane.y -= (dx.x * error.y - dx.y * error.x) / det;
  }
  return toOut(plane);
}

std::optional<Ray> LensWindow::toRay(Point output) const {
  const Lens& lens = map_.lens();
  if (amount_ < 1) {
    const auto source = toSource(output);
    return source ? map_.pixelToRay(*source) : std::nullopt;
  }
  return Ray{((output.x - (width_ - 1) / 2.0) / zoom_ + (lens.width - 1) / 2.0 - lens.cx) / lens.fx,
             ((output.y - (height_ - 1) / 2.0) / zoom_ + (lens.height - 1) / 2.0 - lens.cy) / lens.fy, 1};
}

std::optional<Point> LensWindow::fromRay(const Ray& ray) const {
  const Lens& lens = map_.lens();
  if (amount_ < 1) {
    const auto source = map_.rayToPixel(ray);
    return source ? toOutput(*source) : std::nullopt;
  }
  if (!(ray.z > 1e-6)) return std::nullopt;
  return Point{(ray.x / ray.z * lens.fx + lens.cx - (lens.width - 1) / 2.0) * zoom_ + (width_ - 1) / 2.0,
               (ray.y / ray.z * lens.fy + lens.cy - (lens.height - 1) / 2.0) * zoom_ + (height_ - 1) / 2.0};
}

bool LensWindow::fillsFrame(double zoom) const {
  const Lens& lens = map_.lens();
  return allOnBorder(width_, height_, [&](Point p) {
    const auto s = toSourceAt(p, zoom);
    // Inside by half a pixel: the blank edge is anti-aliased over the outermost pixel.
    return s && s->x >= 0 && s->y >= 0 && s->x <= lens.width - 1 && s->y <= lens.height - 1;
  });
}

double LensWindow::findFilledZoom() const {
  double low = base_ * 0.02, high = base_ * 50;
  if (!fillsFrame(high)) return base_;
  for (int i = 0; i < 60; ++i) {
    const double middle = std::sqrt(low * high);
    (fillsFrame(middle) ? high : low) = middle;
  }
  return high;
}

double LensWindow::findWholeZoom(bool& limited) const {
  const Lens& lens = map_.lens();
  double reach_x = 0, reach_y = 0;
  limited = false;
  allOnBorder(lens.width, lens.height, [&](Point p) {
    Point plane = p;
    if (amount_ > 0) {
      auto ray = map_.pixelToRay(p);
      const double r = ray ? std::hypot(ray->x, ray->y) : 0;
      if (!ray || r > kStraightTan * ray->z) {
        limited = true;
        const Point d{(p.x - lens.cx) / lens.fx, (p.y - lens.cy) / lens.fy};
        const double s = std::min(kStraightTan, map_.field().max_ray) / std::max(1e-12, length(d));
        plane = {d.x * s * lens.fx + lens.cx, d.y * s * lens.fy + lens.cy};
      } else {
        plane = {lens.fx * ray->x / ray->z + lens.cx, lens.fy * ray->y / ray->z + lens.cy};
      }
      if (amount_ < 1) plane = p + (plane - p) * amount_;
    }
    reach_x = std::max(reach_x, std::abs(plane.x - (lens.width - 1) / 2.0));
    reach_y = std::max(reach_y, std::abs(plane.y - (lens.height - 1) / 2.0));
    return true;
  });
  return std::min((width_ - 1) / 2.0 / std::max(reach_x, 0.5), (height_ - 1) / 2.0 / std::max(reach_y, 0.5));
}

EnlargementMap enlargementMap(const LensWindow& window, int columns, int rows) {
  EnlargementMap map;
  map.columns = columns;
  map.rows = rows;
  map.mean.assign(static_cast<size_t>(columns * rows), 0.0F);
  map.longest = map.mean;
  const auto measure = [&](Point p) -> std::array<double, 2> {
    const auto s = window.toSource(p);
    const auto right = window.toSource(p + Point{0.5, 0}), left = window.toSource(p - Point{0.5, 0});
    const auto below = window.toSource(p + Point{0, 0.5}), above = window.toSource(p - Point{0, 0.5});
    if (!s || !right || !left || !below || !above) return {0, 0};
    const Point dx = *right - *left, dy = *below - *above;
    const double det = std::abs(dx.x * dy.y - dx.y * dy.x);
    const double sum = dot(dx, dx) + dot(dy, dy);
    // Smallest singular value of the output → source map is the inverse of the longest stretch.
    const double smallest =
        std::sqrt(std::max(0.0, (sum - std::sqrt(std::max(0.0, sum * sum - 4 * det * det))) / 2));
    return {1 / std::sqrt(std::max(det, 1e-12)), 1 / std::max(smallest, 1e-6)};
  };
  for (int y = 0; y < rows; ++y)
    for (int x = 0; x < columns; ++x) {
      const Point p{(x + 0.5) * window.width() / columns - 0.5, (y + 0.5) * window.height() / rows - 0.5};
      const auto m = measure(p);
      map.mean[static_cast<size_t>(y * columns + x)] = static_cast<float>(m[0]);
      map.longest[static_cast<size_t>(y * columns + x)] = static_cast<float>(m[1]);
    }
  const double w = window.width() - 1, h = window.height() - 1;
  map.centre = measure({w / 2, h / 2})[0];
  for (const Point p : {Point{0, 0}, Point{w, 0}, Point{0, h}, Point{w, h}})
    map.corner = std::max(map.corner, measure(p)[0]);
  return map;
}

WindowCost windowCost(const LensWindow& window, const Lens& lens) {
  constexpr int kGrid = 128;
  int lost = 0, blank = 0;
  for (int y = 0; y < kGrid; ++y)
    for (int x = 0; x < kGrid; ++x) {
      const double u = (x + 0.5) / kGrid, v = (y + 0.5) / kGrid;
      const auto out = window.toOutput({u * lens.width - 0.5, v * lens.height - 0.5});
      if (!out || !inside(*out, window.width(), window.height())) ++lost;
      const auto source = window.toSource({u * window.width() - 0.5, v * window.height() - 0.5});
      if (!source || !inside(*source, lens.width, lens.height)) ++blank;
    }
  constexpr double kAll = static_cast<double>(kGrid) * kGrid;
  return {lost / kAll, blank / kAll};
}

}  // namespace glenhaze
