// Where the solution over edges begins: one coefficient by search, carried over to other models.
#include <Eigen/Dense>
#include <cmath>

#include "core/lens/detail/edge_solve.h"

namespace glenhaze::detail {

double cappedBend(const EdgeWork& work, const LensMap& map, double cap, std::vector<double>* each) {
  double sum = 0;
  for (size_t e = 0; e < work.points.size(); ++e) {
    const Straightened s = straighten(work.points[e], map);
    const double rms = s.points.size() >= 3 && s.points.size() * 10 >= work.points[e].size() * 8
                           ? fitLine(s.points, s.weight).rms
                           : cap;
    if (each != nullptr) (*each)[e] = rms;
    sum += lengthOf(work.points[e]) * std::min(rms * rms, cap * cap);
  }
  return sum;
}

Lens searchBend(const EdgeWork& work, int width, int height, double focal, double cap) {
  Lens best = straightLens(width, height, focal);
  best.model = LensModel::Division;
  const double unit =
      focal * focal / (0.25 * (static_cast<double>(width) * width + static_cast<double>(height) * height));
  const auto cost = [&](double bend) {
    Lens lens = best;
    lens.k[0] = bend * unit;
    return cappedBend(work, LensMap(lens), cap, nullptr);
  };
  double at = 0, lowest = cost(0);
  for (double bend = -1.2; bend <= 0.24; bend += 0.02)
    if (const double c = cost(bend); c < lowest) {
      lowest = c;
      at = bend;
    }
  for (double step = 0.01; step > 1e-4; step /= 2)
    for (const double bend : {at - step, at + step})
      if (const double c = cost(bend); c < lowest) {
        lowest = c;
        at = bend;
      }
  best.k[0] = at * unit;
  return best;
}

Intrinsics convertModel(const Lens& from, LensModel model, double focal, int width, int height) {
  Lens lens = straightLens(width, height, focal);
  lens.model = model;
  lens.cx = from.cx;
  lens.cy = from.cy;
  const LensMap map(from);
  const double reach = 0.5 * std::hypot(width, height);
  std::vector<std::array<double, 3>> rows;
  std::vector<double> right;
  for (int i = 1; i <= 40; ++i) {
    const double r_px = reach * i / 40;
    const auto ray = map.pixelToRay({from.cx + r_px, from.cy});
    if (!ray || std::hypot(ray->x, ray->y) > kWidestTan * ray->z) break;
    // The straight plane's own scale is free, so `from`'s focal length stands for it.
    const double straight = ray->x / ray->z * from.fx / focal;
    const double t = model == LensModel::KannalaBrandt ? std::atan(straight) : straight;
    const double bent = r_px / focal;
    const double t2 = t * t;
    rows.push_back({t * t2, t * t2 * t2, t * t2 * t2 * t2});
    right.push_back(bent - t);
  }
  const auto n = static_cast<Eigen::Index>(rows.size());
  const int free = 2;
  Eigen::MatrixXd a(n, free);
  Eigen::VectorXd b(n);
  for (Eigen::Index i = 0; i < n; ++i) {
    for (int k = 0; k < free; ++k) a(i, k) = rows[static_cast<size_t>(i)][static_cast<size_t>(k)];
    b(i) = right[static_cast<size_t>(i)];
  }
  if (n >= 4) {
    const Eigen::VectorXd k = a.colPivHouseholderQr().solve(b);
    lens.k[0] = k(0);
    lens.k[1] = k(1);
  }
  return intrinsicsOf(lens);
}

}  // namespace glenhaze::detail
