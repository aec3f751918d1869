#include "core/lens/detail/edge_solve.h"

#include <ceres/ceres.h>

#include <Eigen/Dense>
#include <algorithm>
#include <array>
#include <cmath>

#include "core/lens/detail/model_math.h"

namespace glenhaze::detail {

namespace {

constexpr int kLeastPoints = 8;  // fewer than there are values

// Distance from its line of one point, after undoing the lens. The inverse is found by Newton on plain
// numbers; one more step on Jets carries the derivatives (implicit function theorem).
struct PointCost {
  LensModel model;
  Point seen;
  double weight;       // px as filmed per unit on the plane, held for one solve
  mutable Point last;  // start of Newton; one residual is evaluated by one thread at a time

  static double plain(double v) { return v; }
  template <typename T, int N>
  static double plain(const ceres::Jet<T, N>& v) {
    return v.a;
  }

  bool invert(const double* lens, Point& u, Eigen::Matrix2d& slope) const {
    using J = ceres::Jet<double, 2>;
    const Point target{(seen.x - lens[2]) / lens[0], (seen.y - lens[3]) / lens[1]};
    u = last;
    for (int i = 0; i < 30; ++i) {
      const auto bent = bend(model, J(u.x, 0), J(u.y, 1), J(1.0), lens + 4);
      slope << bent.x.v[0], bent.x.v[1], bent.y.v[0], bent.y.v[1];
      const Eigen::Vector2d error(bent.x.a - target.x, bent.y.a - target.y);
      const double det = slope.determinant();
      if (!(det > 1e-7) || !error.allFinite()) return false;
      if (error.norm() < 1e-12) {
        last = u;
        return true;
      }
      const Eigen::Vector2d step = slope.inverse() * error;
      u.x -= step.x();
      u.y -= step.y();
      if (!(length(u) < 4 * kWidestTan)) return false;
    }
    return false;
  }

  template <typename T>
  bool operator()(const T* lens, const T* line, T* residual) const {
    double values[9];
    for (int i = 0; i < 9; ++i) values[i] = plain(lens[i]);
    Point u;
    Eigen::Matrix2d slope;
    if (!invert(values, u, slope)) {
      last = {(seen.x - values[2]) / values[0], (seen.y - values[3]) / values[1]};
      if (!invert(values, u, slope)) return false;
    }
    const auto bent = bend(model, T(u.x), T(u.y), T(1.0), lens + 4);
    const T ex = bent.x - (T(seen.x) - lens[2]) / lens[0];
    const T ey = bent.y - (T(seen.y) - lens[3]) / lens[1];
    const Eigen::Matrix2d inverse = slope.inverse();
    const T x = T(u.x) - inverse(0, 0) * ex - inverse(0, 1) * ey;
    const T y = T(u.y) - inverse(1, 0) * ex - inverse(1, 1) * ey;
    using std::cos;
    using std::sin;
    residual[0] = (cos(line[0]) * x + sin(line[0]) * y - line[1]) * weight;
    return true;
  }
};

std::vector<int> heldOf(const EdgeCandidate& c) {
  // Order: fx fy cx cy k0..k4. fx and fy move together through fx alone when the focal length is free,
  // so it is handled outside by a search; here both are held.
  std::array<bool, 9> free{};
  if (c.centre) free[2] = free[3] = true;
  static constexpr std::array<size_t, 3> kBrown = {4, 5, 8};
  static constexpr std::array<size_t, 3> kOther = {4, 5, 6};
  const auto& radial = c.model == LensModel::BrownConrady ? kBrown : kOther;
  for (size_t i = 0; i < std::min(radial.size(), static_cast<size_t>(c.coefficients)); ++i)
    free[radial[i]] = true;
  std::vector<int> held;
  for (size_t i = 0; i < free.size(); ++i)
    if (!free[i]) held.push_back(static_cast<int>(i));
  return held;
}

// A residual for each point of the edges in use; how many. `lines` are set to where they begin.
int addEdges(const EdgeWork& work, LensModel model, int width, int height, Intrinsics& lens,
             std::vector<std::array<double, 2>>& lines, ceres::Problem& problem) {
  const LensMap map(lensOf(lens, model, width, height));
  lines.assign(work.points.size(), {});
  int count = 0;
  for (size_t e = 0; e < work.points.size(); ++e) {
    if (!work.used[e]) continue;
    std::vector<Point> kept;
    for (const Point& p : work.points[e])
      if (const auto ray = map.pixelToRay(p); ray && std::hypot(ray->x, ray->y) < kWidestTan * ray->z)
        kept.push_back(p);
    const Straightened s = straighten(kept, map);
    if (s.points.size() < 3 || s.points.size() != kept.size()) continue;
    const LineFit line = fitLine(s.points, s.weight);
    lines[e] = {line.angle, line.offset};
    for (size_t i = 0; i < kept.size(); ++i) {
      auto* cost = new PointCost{model, kept[i], s.weight[i], s.points[i]};
      problem.AddResidualBlock(new ceres::AutoDiffCostFunction<PointCost, 1, 9, 2>(cost),
                               new ceres::HuberLoss(1.0), lens.data(), lines[e].data());
      ++count;
    }
  }
  return count;
}

// Empty where they cannot be told.
std::vector<double> deviations(const EdgeFit& fit, LensModel model, ceres::Problem& problem) {
  // A point whose inverse leaves the field has no slope there, and the covariance ends the process over it.
  double cost = 0;
  std::vector<double> gradient;
  if (!problem.Evaluate({}, &cost, nullptr, &gradient, nullptr)) return {};
  ceres::Covariance::Options wanted;
  wanted.algorithm_type = ceres::DENSE_SVD;
  wanted.null_space_rank = -1;
  ceres::Covariance covariance(wanted);
  const double* lens = fit.lens.data();
  const std::vector<std::pair<const double*, const double*>> blocks = {{lens, lens}};
  std::array<double, 81> values{};
  if (!covariance.Compute(blocks, &problem) || !covariance.GetCovarianceBlock(lens, lens, values.data()))
    return {};
  // Neighbouring points of one edge share their error (texture, compression), so they count as one
  // in eight; the plain count would promise far too much.
  const double variance = 8 * fit.rss / std::max(1.0, static_cast<double>(fit.points) - 9);
  std::vector<double> stddev;
  for (size_t i = 0; i < static_cast<size_t>(4 + numCoefficients(model)); ++i)
    stddev.push_back(std::sqrt(std::max(0.0, values[i * 9 + i] * variance)));
  return stddev;
}

}  // namespace

bool plausibleLens(const Intrinsics& values, LensModel model, int width, int height) {
  const Lens lens = lensOf(values, model, width, height);
  const bool centred =
      std::abs(lens.cx - width / 2.0) < 0.2 * width && std::abs(lens.cy - height / 2.0) < 0.2 * height;
  return centred && std::all_of(lens.k.begin(), lens.k.end(),
                                [](double k) { return std::isfinite(k) && std::abs(k) < 100; });
}

EdgeFit refineEdges(const EdgeWork& work, const EdgeCandidate& c, const Intrinsics& start, int width,
                    int height, Deviation deviation) {
  EdgeFit fit;
  fit.lens = start;
  std::vector<std::array<double, 2>> lines;  // of each edge: angle and offset
  for (int round = 0; round < 3; ++round) {
    if (!plausibleLens(fit.lens, c.model, width, height)) {
      fit.ok = false;
      return fit;
    }
    ceres::Problem problem;
    fit.points = addEdges(work, c.model, width, height, fit.lens, lines, problem);
    if (fit.points < kLeastPoints) return fit;
    problem.SetManifold(fit.lens.data(), new ceres::SubsetManifold(9, heldOf(c)));
    ceres::Solver::Options options;
    options.linear_solver_type = ceres::DENSE_SCHUR;
    options.max_num_iterations = 60;
    options.num_threads = 1;
    options.logging_type = ceres::SILENT;
    options.function_tolerance = 1e-9;
    ceres::Solver::Summary summary;
    ceres::Solve(options, &problem, &summary);
    if (!summary.IsSolutionUsable()) return fit;
    fit.rss = 2 * summary.final_cost;
    fit.ok = std::isfinite(fit.rss) && plausibleLens(fit.lens, c.model, width, height);
    if (deviation == Deviation::Leave || round < 2) continue;
    fit.stddev = deviations(fit, c.model, problem);
  }
  return fit;
}

}  // namespace glenhaze::detail
