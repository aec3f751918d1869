#include "core/lens/model.h"

#include <algorithm>
#include <limits>
#include <numbers>

#include "core/base/error.h"
#include "core/lens/detail/model_math.h"

namespace glenhaze {

namespace {

constexpr double kFarRay = 60.0;   // tan of 89.05°: wider than any straight picture can show
constexpr double kMaxTheta = 3.1;  // just short of straight backwards
constexpr int kNewtonSteps = 40;
constexpr double kConverged = 1e-13;  // in units of the focal length: far below a millionth of a pixel
constexpr double kNearEnough = 1e-4;  // the same, for Newton's steps in two dimensions to begin with

// Distorted radius along the axis-centred radius alone (tangential terms left out) and its slope.
struct RadialValue {
  double value, slope;
};

RadialValue radial(const Lens& lens, double r) {
  const auto& k = lens.k;
  const double r2 = r * r;
  switch (lens.model) {
    case LensModel::BrownConrady: {
      const double f = 1 + r2 * (k[0] + r2 * (k[1] + r2 * k[4]));
      return {r * f, 1 + r2 * (3 * k[0] + r2 * (5 * k[1] + r2 * 7 * k[4]))};
    }
    case LensModel::KannalaBrandt: {
      const double f = 1 + r2 * (k[0] + r2 * (k[1] + r2 * (k[2] + r2 * k[3])));
      return {r * f, 1 + r2 * (3 * k[0] + r2 * (5 * k[1] + r2 * (7 * k[2] + r2 * 9 * k[3])))};
    }
    default: {
      const double inside = std::max(0.0, 1 - 4 * k[0] * r2);
      const double root = std::sqrt(inside);
      return {2 * r / (1 + root),
              root > 0 ? 2 / ((1 + root) * root) : std::numeric_limits<double>::infinity()};
    }
  }
}

double fieldEnd(const Lens& lens) {
  if (lens.model == LensModel::Division)
    return lens.k[0] > 0 ? std::min(kFarRay, 0.999999 / (2 * std::sqrt(lens.k[0]))) : kFarRay;
  const double end = lens.model == LensModel::KannalaBrandt ? kMaxTheta : kFarRay;
  // The first place where the slope reaches zero; the polynomial is smooth on this scale near the
  // picture and coarse steps further out are harmless.
  double at = 0;
  while (at < end) {
    const double next = std::min(end, at + std::max(0.002, at * 0.002));
    if (radial(lens, next).slope <= 0) {
      double low = at, high = next;
      for (int i = 0; i < 60; ++i) {
        const double middle = 0.5 * (low + high);
        (radial(lens, middle).slope > 0 ? low : high) = middle;
      }
      return low;
    }
    at = next;
  }
  return end;
}

// Solves radial(r) = target on [0, max], where radial rises, to within `exact` focal lengths.
double invertRadial(const Lens& lens, double target, double max, double exact) {
  double low = 0, high = max;
  // All three models begin as r + k₀r³.
  const double start = target * (1 - lens.k[0] * target * target);
  double r = start > 0 && start < max ? start : std::min(target, max);
  for (int i = 0; i < kNewtonSteps; ++i) {
    const RadialValue v = radial(lens, r);
    const double error = v.value - target;
    if (std::abs(error) < exact) break;
    (error > 0 ? high : low) = r;
    double next = v.slope > 0 && std::isfinite(v.slope) ? r - error / v.slope : low;
    if (!(next > low && next < high)) next = 0.5 * (low + high);
    if (next == r) break;
    r = next;
  }
  return r;
}

// Newton in both directions for the tangential terms, from the radial solution.
std::optional<Point> refineBrown(const Lens& lens, Point target, Point p, double max_ray) {
  const double* k = lens.k.data();
  for (int i = 0; i < kNewtonSteps; ++i) {
    const auto bent = detail::bendBrownConrady(p.x, p.y, k);
    const Point error{bent.x - target.x, bent.y - target.y};
    if (std::abs(error.x) + std::abs(error.y) < kConverged) return p;
    const double r2 = p.x * p.x + p.y * p.y;
    const double f = 1 + r2 * (k[0] + r2 * (k[1] + r2 * k[4]));
    const double g = 2 * (k[0] + r2 * (2 * k[1] + r2 * 3 * k[4]));
    const double a = f + g * p.x * p.x + 2 * k[2] * p.y + 6 * k[3] * p.x;
    const double b = g * p.x * p.y + 2 * k[2] * p.x + 2 * k[3] * p.y;
    const double d = f + g * p.y * p.y + 6 * k[2] * p.y + 2 * k[3] * p.x;
    const double det = a * d - b * b;
    if (!(std::abs(det) > 1e-12)) return std::nullopt;
    p.x -= (d * error.x - b * error.y) / det;
    p.y -= (a * error.y - b * error.x) / det;
    if (!(length(p) < 1.2 * max_ray)) return std::nullopt;
  }
  const auto bent = detail::bendBrownConrady(p.x, p.y, k);
  // Near the edge of the field convergence is slow; a hundred-millionth of the focal length will do.
  return std::abs(bent.x - target.x) + std::abs(bent.y - target.y) < 1e-9 ? std::optional<Point>(p)
                                                                          : std::nullopt;
}

}  // namespace

int numCoefficients(LensModel model) {
  return model == LensModel::BrownConrady ? 5 : model == LensModel::KannalaBrandt ? 4 : 1;
}

std::string lensModelName(LensModel model) {
  switch (model) {
    case LensModel::BrownConrady:
      return "brown-conrady";
    case LensModel::KannalaBrandt:
      return "kannala-brandt";
    default:
      return "division";
  }
}

std::string lensModelTitle(LensModel model) {
  switch (model) {
    case LensModel::BrownConrady:
      return "Brown–Conrady";
    case LensModel::KannalaBrandt:
      return "Kannala–Brandt";
    default:
      return "Division";
  }
}

std::optional<LensModel> lensModelFromName(const std::string& name) {
  for (const LensModel model : {LensModel::BrownConrady, LensModel::KannalaBrandt, LensModel::Division})
    if (lensModelName(model) == name) return model;
  return std::nullopt;
}

std::vector<std::string> coefficientNames(LensModel model) {
  switch (model) {
    case LensModel::BrownConrady:
      return {"k1", "k2", "p1", "p2", "k3"};
    case LensModel::KannalaBrandt:
      return {"k1", "k2", "k3", "k4"};
    default:
      return {"lambda"};
  }
}

void Lens::validate() const {
  const auto fail = [](const std::string& field, double value, const std::string& rule) {
    throw Error(ErrorKind::BadRequest,
                "The lens value " + field + " = " + std::to_string(value) + " is not usable", "", rule,
                "Correct the value");
  };
  if (width < 1 || width > 65536) fail("width", width, "picture sizes run from 1 to 65536 px");
  if (height < 1 || height > 65536) fail("height", height, "picture sizes run from 1 to 65536 px");
  if (!(fx > 0 && fx < 1e7)) fail("focal x", fx, "a focal length is above 0 px");
  if (!(fy > 0 && fy < 1e7)) fail("focal y", fy, "a focal length is above 0 px");
  if (!(std::abs(cx - width / 2.0) <= width)) fail("centre x", cx, "it must be near the picture");
  if (!(std::abs(cy - height / 2.0) <= height)) fail("centre y", cy, "it must be near the picture");
  const auto names = coefficientNames(model);
  for (size_t i = 0; i < names.size(); ++i)
    if (!std::isfinite(k[i]) || std::abs(k[i]) > 1e4) fail(names[i], k[i], "coefficients are small numbers");
}

Lens straightLens(int width, int height, double focal_px) {
  Lens lens;
  lens.width = width;
  lens.height = height;
  lens.fx = lens.fy = focal_px;
  lens.cx = (width - 1) / 2.0;
  lens.cy = (height - 1) / 2.0;
  return lens;
}

Lens scaledLens(const Lens& lens, int width, int height) {
  Lens out = lens;
  const double sx = static_cast<double>(width) / lens.width;
  const double sy = static_cast<double>(height) / lens.height;
  out.width = width;
  out.height = height;
  out.fx *= sx;
  out.fy *= sy;
  out.cx = (lens.cx + 0.5) * sx - 0.5;
  out.cy = (lens.cy + 0.5) * sy - 0.5;
  return out;
}

LensField lensField(const Lens& lens) {
  LensField field;
  field.max_ray = fieldEnd(lens);
  field.max_pixel = radial(lens, field.max_ray).value;
  return field;
}

LensMap::LensMap(const Lens& lens) : lens_(lens), field_(lensField(lens)) { lens.validate(); }

std::optional<Point> LensMap::rayToPixel(const Ray& ray) const {
  // Not hypot: rays are neither tiny nor huge, and this is called for every place of every frame.
  const double r = std::sqrt(ray.x * ray.x + ray.y * ray.y);
  if (lens_.model == LensModel::KannalaBrandt) {
    if (std::atan2(r, ray.z) > field_.max_ray) return std::nullopt;
  } else if (!(ray.z > 0) || r > field_.max_ray * ray.z) {
    return std::nullopt;
  }
  const auto d = detail::bend(lens_.model, ray.x, ray.y, ray.z, lens_.k.data());
  return Point{lens_.fx * d.x + lens_.cx, lens_.fy * d.y + lens_.cy};
}

std::optional<Ray> LensMap::pixelToRay(Point pixel) const {
  const Point d{(pixel.x - lens_.cx) / lens_.fx, (pixel.y - lens_.cy) / lens_.fy};
  const double rd = length(d);
  const bool tangential = lens_.model == LensModel::BrownConrady && (lens_.k[2] != 0 || lens_.k[3] != 0);
  if (rd > field_.max_pixel * (tangential ? 1.05 : 1.0)) return std::nullopt;
  if (rd < 1e-15 && !tangential) return Ray{0, 0, 1};
  // What is refined anyway need not be exact before.
  const double r = invertRadial(lens_, std::min(rd, field_.max_pixel), field_.max_ray,
                                tangential ? kNearEnough : kConverged);
  if (lens_.model == LensModel::KannalaBrandt) {
    const double s = std::sin(r) / rd;
    return Ray{d.x * s, d.y * s, std::cos(r)};
  }
  Point p = rd > 1e-15 ? d * (r / rd) : d;
  if (tangential) {
    const auto refined = refineBrown(lens_, d, p, field_.max_ray);
    if (!refined || length(*refined) > field_.max_ray) return std::nullopt;
    p = *refined;
  }
  const double norm = std::sqrt(p.x * p.x + p.y * p.y + 1);
  return Ray{p.x / norm, p.y / norm, 1 / norm};
}

std::optional<Point> LensMap::undistort(Point pixel) const {
  const auto ray = pixelToRay(pixel);
  if (!ray || !(ray->z > 1e-3)) return std::nullopt;
  return Point{lens_.fx * ray->x / ray->z + lens_.cx, lens_.fy * ray->y / ray->z + lens_.cy};
}

std::optional<Point> LensMap::distort(Point straight) const {
  return rayToPixel({(straight.x - lens_.cx) / lens_.fx, (straight.y - lens_.cy) / lens_.fy, 1});
}

bool LensMap::coversPicture() const {
  constexpr int kSteps = 64;
  const double w = lens_.width - 1, h = lens_.height - 1;
  for (int i = 0; i <= kSteps; ++i) {
    const double t = static_cast<double>(i) / kSteps;
    for (const Point p : {Point{t * w, 0}, Point{t * w, h}, Point{0, t * h}, Point{w, t * h}})
      if (!pixelToRay(p)) return false;
  }
  return true;
}

}  // namespace glenhaze
