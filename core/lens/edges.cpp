#include "core/lens/edges.h"

#include <ceres/ceres.h>

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <memory>
#include <numeric>

#include "core/base/error.h"
#include "core/base/statistics.h"
#include "core/lens/coverage.h"
#include "core/lens/detail/model_math.h"
#include "core/lens/detail/solve.h"

namespace glenhaze {

using detail::Intrinsics;

namespace {

constexpr size_t kPointsPerEdge = 40;
constexpr double kWidestTan = 5.0;         // points beyond 79° from the axis do not take part
constexpr double kOutlierLeast_px = 0.35;  // an edge this straight is never left out
constexpr double kOutlierTimes = 3.0;
constexpr double kLeastBow_px = 0.6;  // below this nothing can be told about a lens

// ---- straightness of a point set ----

struct LineFit {
  double angle = 0;   // of the normal, rad
  double offset = 0;  // normal · point
  double rms = 0, worst = 0;
};

// Total least squares; `weight[i]`: px as filmed per unit of distance.
LineFit fitLine(const std::vector<Point>& points, const std::vector<double>& weight) {
  Point mean;
  for (const Point& p : points) mean = mean + p * (1.0 / static_cast<double>(points.size()));
  double xx = 0, xy = 0, yy = 0;
  for (const Point& p : points) {
    const Point d = p - mean;
    xx += d.x * d.x;
    xy += d.x * d.y;
    yy += d.y * d.y;
  }
  LineFit fit;
  fit.angle = 0.5 * std::atan2(2 * xy, xx - yy) + M_PI / 2;
  const Point normal{std::cos(fit.angle), std::sin(fit.angle)};
  fit.offset = dot(normal, mean);
  double sum = 0;
  for (size_t i = 0; i < points.size(); ++i) {
    const double e = (dot(normal, points[i]) - fit.offset) * weight[i];
    sum += e * e;
    fit.worst = std::max(fit.worst, std::abs(e));
  }
  fit.rms = std::sqrt(sum / static_cast<double>(points.size()));
  return fit;
}

// Points through a lens onto the plane z = 1, with how many px as filmed one unit there is.
struct Straightened {
  std::vector<Point> points;
  std::vector<double> weight;
};

Straightened straighten(std::span<const Point> points, const LensMap& map) {
  Straightened out;
  const auto plane = [&](Point p) -> std::optional<Point> {
    const auto ray = map.pixelToRay(p);
    if (!ray || std::hypot(ray->x, ray->y) > kWidestTan * ray->z) return std::nullopt;
    return Point{ray->x / ray->z, ray->y / ray->z};
  };
  for (size_t i = 0; i < points.size(); ++i) {
    const auto here = plane(points[i]);
    if (!here) continue;
    // Scale across the edge: a px step along its normal as filmed.
    const Point before = points[i == 0 ? 0 : i - 1], after = points[std::min(i + 1, points.size() - 1)];
    const Point along = after - before;
    const double l = std::max(1e-9, length(along));
    const auto across = plane(points[i] + Point{-along.y / l, along.x / l});
    if (!across) continue;
    out.points.push_back(*here);
    out.weight.push_back(1 / std::max(1e-9, length(*across - *here)));
  }
  return out;
}

std::vector<Point> evenly(const std::vector<Point>& points, size_t most) {
  if (points.size() <= most) return points;
  std::vector<Point> out;
  for (size_t i = 0; i < most; ++i) out.push_back(points[i * (points.size() - 1) / (most - 1)]);
  return out;
}

double lengthOf(std::span<const Point> points) { return length(points.back() - points.front()); }

double bowOf(std::span<const Point> points) {
  const Point chord = points.back() - points.front();
  const double l = length(chord);
  if (l < 1e-9) return 0;
  double worst = 0;
  for (const Point& p : points) {
    const Point d = p - points.front();
    worst = std::max(worst, std::abs(d.x * chord.y - d.y * chord.x) / l);
  }
  return worst;
}

// The same of the smooth curve through the points (a cubic over the chord, robustly fitted): single points
// that texture beside the edge has drawn aside are not a bow.
double smoothBowOf(std::span<const Point> points) {
  constexpr size_t kTerms = 4;
  if (points.size() < 3 * kTerms) return bowOf(points);
  const Point first = points.front(), chord = points.back() - first;
  const double l = length(chord);
  if (l < 1e-9) return 0;
  const auto n = static_cast<Eigen::Index>(points.size());
  Eigen::MatrixX4d basis(n, 4);
  Eigen::VectorXd offset(n), weight = Eigen::VectorXd::Ones(n);
  for (Eigen::Index i = 0; i < n; ++i) {
    const Point d = points[static_cast<size_t>(i)] - first;
    const double t = 2 * (d.x * chord.x + d.y * chord.y) / (l * l) - 1;
    basis.row(i) << 1, t, t * t, t * t * t;
    offset(i) = (d.x * chord.y - d.y * chord.x) / l;
  }
  Eigen::Vector4d c;
  for (int round = 0; round < 5; ++round) {
    c = (basis.transpose() * weight.asDiagonal() * basis)
            .ldlt()
            .solve(basis.transpose() * weight.asDiagonal() * offset);
    const Eigen::ArrayXd left = (offset - basis * c).array().abs();
    // Huber's weights; half of the points lie within the median.
    std::vector<double> sorted(left.begin(), left.end());
    std::nth_element(sorted.begin(), sorted.begin() + n / 2, sorted.end());
    const double near = std::max(1e-3, 1.5 * sorted[static_cast<size_t>(n / 2)]);
    weight = (near / left.max(near)).matrix();
  }
  const auto at = [&](double t) { return c(0) + t * (c(1) + t * (c(2) + t * c(3))); };
  double worst = 0;
  for (double t = -1; t <= 1; t += 1.0 / 64)
    worst = std::max(worst, std::abs(at(t) - (at(-1) * (1 - t) + at(1) * (1 + t)) / 2));
  return worst;
}

// ---- the solver's cost ----

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
      const auto bent = detail::bend(model, J(u.x, 0), J(u.y, 1), J(1.0), lens + 4);
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
    const auto bent = detail::bend(model, T(u.x), T(u.y), T(1.0), lens + 4);
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

struct Work {
  std::vector<std::vector<Point>> points;  // thinned, per edge
  std::vector<bool> used;
};

// What a candidate model leaves free besides its coefficients.
struct Candidate {
  LensModel model;
  int coefficients;  // how many of the model's radial coefficients are free
  bool centre;
  bool focal;  // Kannala–Brandt: the shape of its curve tells the focal length
  const char* name;
};

std::vector<int> heldOf(const Candidate& c) {
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

struct Fit {
  Intrinsics lens{};
  double rss = 1e300;
  int points = 0;
  bool ok = false;
  std::vector<double> stddev;
};

// A solution can run away where the evidence is thin; such a lens is no lens.
bool plausible(const Intrinsics& values, LensModel model, int width, int height) {
  const Lens lens = detail::lensOf(values, model, width, height);
  const bool centred =
      std::abs(lens.cx - width / 2.0) < 0.2 * width && std::abs(lens.cy - height / 2.0) < 0.2 * height;
  return centred && std::all_of(lens.k.begin(), lens.k.end(),
                                [](double k) { return std::isfinite(k) && std::abs(k) < 100; });
}

Fit refine(const Work& work, const Candidate& c, Intrinsics start, int width, int height,
           bool with_deviation) {
  Fit fit;
  fit.lens = start;
  std::vector<std::array<double, 2>> lines;
  for (int round = 0; round < 3; ++round) {
    if (!plausible(fit.lens, c.model, width, height)) {
      fit.ok = false;
      return fit;
    }
    ceres::Problem problem;
    const LensMap map(detail::lensOf(fit.lens, c.model, width, height));
    lines.assign(work.points.size(), {});
    fit.points = 0;
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
        auto* cost = new PointCost{c.model, kept[i], s.weight[i], s.points[i]};
        problem.AddResidualBlock(new ceres::AutoDiffCostFunction<PointCost, 1, 9, 2>(cost),
                                 new ceres::HuberLoss(1.0), fit.lens.data(), lines[e].data());
        ++fit.points;
      }
    }
    if (fit.points < 8) return fit;
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
    fit.ok = std::isfinite(fit.rss) && plausible(fit.lens, c.model, width, height);
    if (!with_deviation || round < 2) continue;
    ceres::Covariance::Options wanted;
    wanted.algorithm_type = ceres::DENSE_SVD;
    wanted.null_space_rank = -1;
    ceres::Covariance covariance(wanted);
    const std::vector<std::pair<const double*, const double*>> blocks = {{fit.lens.data(), fit.lens.data()}};
    std::array<double, 81> values{};
    if (!covariance.Compute(blocks, &problem) ||
        !covariance.GetCovarianceBlock(fit.lens.data(), fit.lens.data(), values.data()))
      continue;
    // Neighbouring points of one edge share their error (texture, compression), so they count as one
    // in eight; the plain count would promise far too much.
    const double variance = 8 * fit.rss / std::max(1.0, static_cast<double>(fit.points) - 9);
    for (size_t i = 0; i < static_cast<size_t>(4 + numCoefficients(c.model)); ++i)
      fit.stddev.push_back(std::sqrt(std::max(0.0, values[i * 9 + i] * variance)));
  }
  return fit;
}

// ---- the start: one coefficient by search ----

double capped(const Work& work, const LensMap& map, double cap, std::vector<double>* each) {
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

// The bend that makes most of the edges straight, as a division model; robust because what is not
// straight in the world costs no more than `cap`.
Lens searchBend(const Work& work, int width, int height, double focal, double cap) {
  Lens best = straightLens(width, height, focal);
  best.model = LensModel::Division;
  const double unit =
      focal * focal / (0.25 * (static_cast<double>(width) * width + static_cast<double>(height) * height));
  const auto cost = [&](double bend) {
    Lens lens = best;
    lens.k[0] = bend * unit;
    return capped(work, LensMap(lens), cap, nullptr);
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

// Coefficients of another model that bend like `from` over the picture: linear least squares on the
// radial curve.
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
  return detail::intrinsicsOf(lens);
}

// ---- putting it together ----

// Marks edges as not used whose distance from straight stands out; true when the set changed.
bool rejectBent(Work& work, const std::vector<bool>& allowed, const LensMap& map) {
  std::vector<double> rms(work.points.size(), 1e9);
  capped(work, map, 1e9, &rms);
  std::vector<double> used;
  for (size_t e = 0; e < rms.size(); ++e)
    if (work.used[e]) used.push_back(rms[e]);
  const double limit = std::max(kOutlierLeast_px, kOutlierTimes * medianOf(used));
  bool changed = false;
  for (size_t e = 0; e < rms.size(); ++e) {
    const bool use = allowed[e] && rms[e] <= limit;
    changed = changed || use != work.used[e];
    work.used[e] = use;
  }
  return changed;
}

std::vector<Candidate> candidatesFor(const EdgeOptions& options, size_t edges, double coverage) {
  const bool enough = edges >= 6 && coverage > 0.25;
  const std::vector<Candidate> shapes = {{LensModel::Division, 1, false, false, "division"},
                                         {LensModel::BrownConrady, 2, false, false, "Brown–Conrady"},
                                         {LensModel::BrownConrady, 3, false, false, "Brown–Conrady"},
                                         {LensModel::KannalaBrandt, 2, false, true, "Kannala–Brandt"}};
  std::vector<Candidate> wanted;
  for (const bool centre : {false, true})
    for (Candidate c : shapes) {
      c.centre = centre;
      if ((!centre || enough) && (!options.model || *options.model == c.model)) wanted.push_back(c);
    }
  return wanted;
}

struct Chosen {
  Fit fit;
  Candidate candidate{};
  double focal = 0;
  double score = 1e300;
};

Chosen tryCandidate(const Work& work, const Candidate& c, const Lens& start, const EdgeOptions& options,
                    int width, int height) {
  Chosen best;
  best.candidate = c;
  std::vector<double> focals = {start.fx};
  if (c.focal && !options.focal_px) {
    focals.clear();
    for (const double share : {0.36, 0.44, 0.54, 0.68, 0.9, 1.3}) focals.push_back(share * width);
  }
  for (const double focal : focals) {
    const Intrinsics from = c.model == LensModel::Division
                                ? detail::intrinsicsOf(start)
                                : convertModel(start, c.model, focal, width, height);
    if (!plausible(from, c.model, width, height)) continue;
    Fit fit = refine(work, c, from, width, height, false);
    if (!fit.ok) continue;
    const bool folds = !LensMap(detail::lensOf(fit.lens, c.model, width, height)).coversPicture();
    const int parameters = c.coefficients + (c.centre ? 2 : 0) + (focals.size() > 1 ? 1 : 0);
    const double score = detail::informationCriterion(fit.rss, fit.points, parameters) + (folds ? 1e6 : 0);
    if (score < best.score) {
      best.score = score;
      best.fit = fit;
      best.focal = focal;
    }
  }
  return best;
}

void describeEdges(std::span<const StraightEdge> edges, const Work& work, const LensMap& map,
                   EdgeFinding& finding) {
  const LensMap straight(straightLens(finding.lens.width, finding.lens.height, finding.lens.fx));
  double before = 0, after = 0, count = 0;
  for (size_t e = 0; e < edges.size(); ++e) {
    EdgeResult result = measureStraightness(edges[e].points, map);
    const EdgeResult raw = measureStraightness(edges[e].points, straight);
    result.rms_before_px = raw.rms_px;
    result.left_out = !work.used[e];
    if (!edges[e].in_use)
      result.why = "left out by hand";
    else if (result.left_out)
      result.why =
          "not straight in the world, or not one edge: " + std::to_string(result.rms_px).substr(0, 4) +
          " px are left";
    if (!result.left_out) {
      const auto n = static_cast<double>(edges[e].points.size());
      before += raw.rms_px * raw.rms_px * n;
      after += result.rms_px * result.rms_px * n;
      count += n;
      finding.before.worst = std::max(finding.before.worst, raw.worst_px);
      finding.after.worst = std::max(finding.after.worst, result.worst_px);
      ++finding.edges_used;
    }
    finding.edges.push_back(result);
  }
  finding.before.rms = std::sqrt(before / std::max(1.0, count));
  finding.after.rms = std::sqrt(after / std::max(1.0, count));
}

}  // namespace

EdgeResult measureStraightness(std::span<const Point> points, const LensMap& map) {
  EdgeResult result;
  if (points.size() < 2) return result;
  result.length_px = lengthOf(points);
  result.bow_px = smoothBowOf(points);
  const Straightened s = straighten(points, map);
  if (s.points.size() < 2) {
    result.rms_px = result.worst_px = result.bow_px;
    return result;
  }
  const LineFit fit = fitLine(s.points, s.weight);
  result.rms_px = fit.rms;
  result.worst_px = fit.worst;
  return result;
}

EdgeFinding solveEdges(std::span<const StraightEdge> edges, int width, int height, const EdgeOptions& options,
                       const Progress& progress) {
  Work work;
  std::vector<bool> allowed;
  double longest_bow = 0;
  for (const StraightEdge& edge : edges) {
    if (edge.points.size() < 2)
      throw Error(ErrorKind::BadRequest, "An edge needs at least two points", edge.name, "",
                  "Mark it along its length");
    work.points.push_back(evenly(edge.points, kPointsPerEdge));
    const bool usable = edge.in_use && edge.points.size() >= 3;
    allowed.push_back(usable);
    if (usable) longest_bow = std::max(longest_bow, bowOf(edge.points));
  }
  work.used = allowed;
  if (std::count(allowed.begin(), allowed.end(), true) < 1)
    throw Error(ErrorKind::Evidence, "There are no usable edges", "",
                "an edge needs at least three points along it",
                "Mark edges that are straight in the world, along their whole length");
  const double focal = options.focal_px.value_or(0.75 * std::max(width, height));
  const double cap = 1.5 * width / 1920.0 + 0.5;
  // The search must not see edges that the user left out.
  Work searched;
  for (size_t e = 0; e < work.points.size(); ++e)
    if (allowed[e]) searched.points.push_back(work.points[e]);
  const Lens start = searchBend(searched, width, height, focal, cap);
  rejectBent(work, allowed, LensMap(start));
  std::vector<std::vector<Point>> sets;
  for (size_t e = 0; e < edges.size(); ++e)
    if (work.used[e]) sets.push_back(edges[e].points);
  const std::vector<bool> covered = coveredByPoints(sets, width, height);
  Chosen best;
  const auto candidates = candidatesFor(options, sets.size(), coveredShare(covered));
  for (size_t i = 0; i < candidates.size(); ++i) {
    progress.check();
    const Chosen tried = tryCandidate(work, candidates[i], start, options, width, height);
    // A richer model must earn its place clearly: evidence is never quite independent.
    if (tried.fit.ok && tried.score < best.score - 10) best = tried;
    progress.update(0.7 * static_cast<double>(i + 1) / static_cast<double>(candidates.size()));
  }
  if (!best.fit.ok)
    throw Error(
        ErrorKind::Evidence, "These edges do not tell how the lens bends", "",
        "no model makes them straight together",
        "Leave out edges that are curved in the world, or mark longer ones nearer the picture's border");
  for (int round = 0; round < 4; ++round) {
    const bool changed = rejectBent(
        work, allowed, LensMap(detail::lensOf(best.fit.lens, best.candidate.model, width, height)));
    const Fit again = refine(work, best.candidate, best.fit.lens, width, height, true);
    if (again.ok) best.fit = again;
    if (!changed) break;
  }
  EdgeFinding finding;
  finding.lens = detail::lensOf(best.fit.lens, best.candidate.model, width, height);
  finding.stddev = best.fit.stddev;
  const LensMap map(finding.lens);
  describeEdges(edges, work, map, finding);
  sets.clear();
  for (size_t e = 0; e < edges.size(); ++e)
    if (work.used[e]) sets.push_back(edges[e].points);
  finding.covered = coveredByPoints(sets, width, height);
  finding.coverage = coveredShare(finding.covered);
  finding.model_reason = options.model ? "Chosen by hand."
                                       : std::string(best.candidate.name) +
                                             " explains these edges best for its number of values.";
  const std::string bare = uncoveredCorners(finding.covered);
  if (!bare.empty())
    finding.warnings.push_back("No edge reaches " + bare + ". Bend there is extended, not measured.");
  if (longest_bow < kLeastBow_px)
    finding.warnings.emplace_back(
        "The edges are hardly bowed: this lens bends too little to tell from them.");
  if (finding.edges_used < 4)
    finding.warnings.push_back("Only " + std::to_string(finding.edges_used) +
                               " edges are used: mark some more, also near the border.");
  if (!best.candidate.centre)
    finding.warnings.emplace_back(
        "The centre is taken as the middle of the picture: there are too few edges to measure it.");
  if (!map.coversPicture())
    finding.warnings.emplace_back("The model folds over inside the picture; mark edges nearer the corners.");
  progress.update(1);
  return finding;
}

}  // namespace glenhaze
