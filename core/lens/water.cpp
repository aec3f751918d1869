#include "core/lens/water.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/base/error.h"

namespace glenhaze {

namespace {

// A pixel and the direction in water that it sees.
struct Sample {
  Point pixel;
  double x = 0, y = 0;  // of the direction, z 1
};

// From the direction of the ray that enters the lens to where in the water the subject lies, as seen from the
// lens.
double angleInWater(double in_air, const Port& port, double index) {
  const double refracted = std::asin(std::sin(in_air) / index);
  const double height = port.distance_mm * std::tan(in_air) + port.subject_mm * std::tan(refracted);
  return std::atan2(height, port.distance_mm + port.subject_mm);
}

std::vector<Sample> samplesOf(const Lens& lens, const Port& port, double index) {
  constexpr int kColumns = 33, kRows = 21;
  const LensMap map(lens);
  std::vector<Sample> samples;
  for (int row = 0; row < kRows; ++row)
    for (int column = 0; column < kColumns; ++column) {
      const Point pixel{column * (lens.width - 1.0) / (kColumns - 1),
                        row * (lens.height - 1.0) / (kRows - 1)};
      const auto ray = map.pixelToRay(pixel);
      if (!ray) continue;
      const double across = std::hypot(ray->x, ray->y), in_air = std::atan2(across, ray->z);
      // Grazing the port nothing comes through any more.
      constexpr double kMostInAir = 88 * std::numbers::pi / 180;
      if (in_air > kMostInAir) continue;
      const double out = std::tan(angleInWater(in_air, port, index));
      samples.push_back(across > 1e-12 ? Sample{pixel, ray->x / across * out, ray->y / across * out}
                                       : Sample{pixel, 0, 0});
    }
  return samples;
}

// For a given centre both models are linear in the focal length and its products with the coefficients.
Eigen::VectorXd rowOf(LensModel model, double x, double y, bool across) {
  if (model == LensModel::KannalaBrandt) {
    const double r = std::hypot(x, y), t = std::atan(r), share = r > 1e-12 ? (across ? x : y) / r : 0;
    Eigen::VectorXd row(5);
    row << t, std::pow(t, 3), std::pow(t, 5), std::pow(t, 7), std::pow(t, 9);
    return row * share;
  }
  const double rr = x * x + y * y, own = across ? x : y;
  Eigen::VectorXd row(6);
  row << own, own * rr, own * rr * rr, across ? 2 * x * y : rr + 2 * y * y,
      across ? rr + 2 * x * x : 2 * x * y, own * rr * rr * rr;
  return row;
}

WaterLens fitted(LensModel model, const Lens& like, const std::vector<Sample>& samples) {
  const auto n = static_cast<Eigen::Index>(samples.size());
  const double aspect = like.fy / like.fx;
  Eigen::MatrixXd a(2 * n, model == LensModel::KannalaBrandt ? 5 : 6);
  Eigen::VectorXd b(2 * n);
  for (Eigen::Index i = 0; i < n; ++i) {
    const Sample& s = samples[static_cast<size_t>(i)];
    a.row(2 * i) = rowOf(model, s.x, s.y, true);
    a.row(2 * i + 1) = rowOf(model, s.x, s.y, false);
    b(2 * i) = s.pixel.x - like.cx;
    b(2 * i + 1) = (s.pixel.y - like.cy) / aspect;
  }
  const Eigen::VectorXd v = a.colPivHouseholderQr().solve(b);
  WaterLens out;
  out.lens = like;
  out.lens.model = model;
  out.lens.fx = v(0);
  out.lens.fy = v(0) * aspect;
  out.lens.k = {};
  for (Eigen::Index i = 1; i < v.size(); ++i) out.lens.k[static_cast<size_t>(i - 1)] = v(i) / v(0);
  const LensMap map(out.lens);
  for (const Sample& s : samples) {
    const auto at = map.rayToPixel({s.x, s.y, 1});
    out.worst_px = std::max(out.worst_px, at ? length(*at - s.pixel) : 1e9);
  }
  return out;
}

}  // namespace

double refractiveIndex(Water water) { return water == Water::Sea ? 1.339 : 1.333; }

double angleInAir(double in_water, const Port& port, double index) {
  double low = 0, high = std::numbers::pi / 2;
  for (int i = 0; i < 60; ++i) {
    const double middle = (low + high) / 2;
    (angleInWater(middle, port, index) < in_water ? low : high) = middle;
  }
  return (low + high) / 2;
}

WaterLens underWater(const Lens& in_air, Water water, const Port& port) {
  in_air.validate();
  if (!(port.distance_mm >= 0 && port.subject_mm > 0))
    throw Error(ErrorKind::BadRequest, "The port is not usable", "", "",
                "Give its distance in mm, 0 or more");
  const std::vector<Sample> samples = samplesOf(in_air, port, refractiveIndex(water));
  constexpr size_t kLeast = 60;
  if (samples.size() < kLeast)
    throw Error(ErrorKind::BadRequest, "The lens cannot be described under water", "",
                "too little of its picture comes through a flat port", "Measure it under water");
  const WaterLens ordinary = fitted(LensModel::BrownConrady, in_air, samples),
                  wide = fitted(LensModel::KannalaBrandt, in_air, samples);
  return wide.worst_px < ordinary.worst_px ? wide : ordinary;
}

}  // namespace glenhaze
