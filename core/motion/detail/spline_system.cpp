#include "core/motion/detail/spline_system.h"

#include <algorithm>
#include <cmath>

#include "core/base/parallel.h"
#include "core/base/statistics.h"
#include "core/motion/detail/path_solver.h"

namespace glenhaze::detail {

namespace {

constexpr int kKnotsPerFrame = 2;
constexpr double kShortest_s = 1e-4;  // frame interval
constexpr int kMostRounds = 14;
// RMS px, where only the path is wanted: far below what tracking is off.
constexpr double kPathSettled = 5e-3;
constexpr double kSettled = 1e-3;       // of a change, in px and in ms
constexpr double kSupposed_rad = 0.01;  // how closely the middle of a scene stays where it began
constexpr std::array<double, 5> kFourth = {1, -4, 6, -4, 1};
constexpr double kLn10 = 2.302585092994046;
// Spreads of the fourth difference that are tried, rad: from a camera on rails (0.3 Hz by 5° at 30 frames a
// second has 8e-8) to one that is beaten.
constexpr double kLeastSpread = 1e-7, kMostSpread = 1;
double precisionOf(double spread) { return -2 * std::log(spread); }  // its logarithm

}  // namespace

// All frames together; the prior of each axis apart, since its precision is chosen.
struct SplineSystem::Sums {
  Band data;
  std::array<Band, 3> prior;
  Eigen::VectorXd g;
  std::array<Eigen::VectorXd, 3> prior_g;
  std::array<double, 3> prior_energy{};
  Eigen::MatrixXd hr, r;
  Eigen::VectorXd gr;
  double energy = 0, squares = 0, weight = 0;
  double differences = 0;  // of the prior, per axis
  std::vector<FrameSums> frames;
};

SplineKnots SplineKnots::of(const std::vector<double>& times_s, double longest_readout_s) {
  std::vector<double> steps;
  for (size_t i = 1; i < times_s.size(); ++i) steps.push_back(times_s[i] - times_s[i - 1]);
  SplineKnots knots;
  knots.spacing_s = std::max(kShortest_s, medianOf(std::move(steps))) / kKnotsPerFrame;
  knots.first_s = times_s.front() - kOutermost * longest_readout_s - knots.spacing_s;
  return knots;
}

bool isSteadyRate(const std::vector<double>& times_s) {
  constexpr double kMostIntervals = 12;  // without a frame: what a spline bridges by its smoothness
  std::vector<double> steps;
  for (size_t i = 1; i < times_s.size(); ++i) steps.push_back(times_s[i] - times_s[i - 1]);
  if (steps.empty()) return true;
  const double longest = *std::max_element(steps.begin(), steps.end());
  return longest <= kMostIntervals * medianOf(std::move(steps));
}

SplineSystem::SplineSystem(const std::vector<double>& times_s, const SplineKnots& knots,
                           double longest_readout_s, double pixel, int globals)
    : frames_(times_s.size()),
      pixel_(pixel),
      spacing_s_(knots.spacing_s),
      globals_(globals),
      free_(static_cast<size_t>(globals), false) {
  const double beyond = kOutermost * longest_readout_s;
  offset_ =
      static_cast<size_t>(std::max(0.0, std::floor((times_s.front() - beyond - knots.first_s) / spacing_s_)));
  first_s_ = knots.first_s + static_cast<double>(offset_) * spacing_s_;
  const double spans = std::ceil((times_s.back() + beyond - first_s_) / spacing_s_) + 1;
  count_ = static_cast<size_t>(spans) + RotationSpline::kOrder - 1;
  double longest = 0;
  for (size_t i = 1; i < times_s.size(); ++i) longest = std::max(longest, times_s[i] - times_s[i - 1]);
  band_ = static_cast<int>(std::ceil((longest + 2 * beyond) / spacing_s_)) + 1 +
          static_cast<int>(RotationSpline::kOrder);
}

void SplineSystem::addKnown(Eigen::MatrixXd&, Eigen::VectorXd&, double&) const {}

bool SplineSystem::anyFree() const { return std::find(free_.begin(), free_.end(), true) != free_.end(); }

// For pairs whose rows are read from `first_s` to `last_s`.
FrameSums SplineSystem::emptySums(double first_s, double last_s) const {
  // A little more than the farthest row, so that rounding puts none beyond the controls.
  const double margin = 1e-6 * spacing_s_;
  FrameSums sums;
  const size_t first = spline_.supportAt(first_s - margin).first,
               last = spline_.supportAt(last_s + margin).first + RotationSpline::kOrder;
  sums.first = static_cast<int>(first);
  sums.count = static_cast<int>(last - first);
  sums.h = Eigen::MatrixXd::Zero(3 * sums.count, 3 * sums.count);
  sums.g = Eigen::VectorXd::Zero(3 * sums.count);
  sums.hr = Eigen::MatrixXd::Zero(3 * sums.count, globals_);
  sums.r = Eigen::MatrixXd::Zero(globals_, globals_);
  sums.gr = Eigen::VectorXd::Zero(globals_);
  return sums;
}

SplineSystem::Sums SplineSystem::sum(const Progress& progress) const {
  const int n = 3 * static_cast<int>(count_);
  Sums sums;
  sums.frames.resize(frames_);
  parallelBlocks(static_cast<int>(frames_), 8, [&](int first, int last) {
    progress.check();
    for (int i = std::max(1, first); i < last; ++i)
      sums.frames[static_cast<size_t>(i)] = sumFrame(static_cast<size_t>(i));
  });
  sums.data = Band(n, 3 * band_);
  sums.g = Eigen::VectorXd::Zero(n);
  sums.hr = Eigen::MatrixXd::Zero(n, globals_);
  sums.r = Eigen::MatrixXd::Zero(globals_, globals_);
  sums.gr = Eigen::VectorXd::Zero(globals_);
  for (size_t i = 1; i < sums.frames.size(); ++i) {
    const FrameSums& f = sums.frames[i];
    for (int j = 0; j < 3 * f.count; ++j)
      for (int k = 0; k <= j; ++k) sums.data.at(3 * f.first + j, 3 * f.first + k) += f.h(j, k);
    sums.g.segment(3 * f.first, 3 * f.count) += f.g;
    sums.hr.middleRows(3 * f.first, 3 * f.count) += f.hr;
    sums.r += f.r;
    sums.gr += f.gr;
    sums.energy += f.energy;
    sums.squares += f.squares;
    sums.weight += f.weight;
  }
  if (anyFree()) addKnown(sums.r, sums.gr, sums.energy);
  // Where the whole stands in the world is open, unless controls are held: one stays.
  constexpr double kStays = 1e18;  // rad⁻²
  const auto middle = static_cast<int>(count_ / 2);
  if (held_ == 0)
    for (int c = 0; c < 3; ++c)
      sums.data.at(3 * middle + c, 3 * middle + c) += 1 / (kSupposed_rad * kSupposed_rad);
  for (int c = 0; c < 3 * static_cast<int>(held_); ++c) sums.data.at(c, c) += kStays;
  addPrior(sums);
  return sums;
}

void SplineSystem::addPrior(Sums& sums) const {
  const int n = 3 * static_cast<int>(count_);
  for (size_t axis = 0; axis < 3; ++axis) {
    sums.prior[axis] = Band(n, 15);
    sums.prior_g[axis] = Eigen::VectorXd::Zero(n);
  }
  const auto& steps = spline_.steps();
  for (size_t j = 0; j + 4 < count_; ++j) {
    const Turn d = steps[j + 3] - steps[j + 2] * 3 + steps[j + 1] * 3 - steps[j];
    const Eigen::Matrix3d body = matrixFrom(spline_.controls()[j + 2]);
    for (size_t axis = 0; axis < 3; ++axis) {
      const double value = axis == 0 ? d.x : axis == 1 ? d.y : d.z;
      const Vector3 direction = body.col(static_cast<int>(axis));
      const Eigen::Matrix3d m = direction * direction.transpose();
      sums.prior_energy[axis] += value * value / 2;
      const int base = 3 * static_cast<int>(j);
      for (int a = 0; a < 5; ++a) {
        const double ca = kFourth[static_cast<size_t>(a)];
        sums.prior_g[axis].segment<3>(base + 3 * a) += ca * value * direction;
        for (int b = 0; b <= a; ++b) {
          const double cb = ca * kFourth[static_cast<size_t>(b)];
          for (int r = 0; r < 3; ++r)
            for (int c = 0; c < (a == b ? r + 1 : 3); ++c)
              sums.prior[axis].at(base + 3 * a + r, base + 3 * b + c) += cb * m(r, c);
        }
      }
    }
    ++sums.differences;
  }
}

namespace {

// Unknowns of the path eliminated: what is left of the globals. Those that are not free have no curvature.
struct Reduced {
  Eigen::MatrixXd h;
  Eigen::VectorXd g;
  Eigen::VectorXd change() const { return -inverse() * g; }
  Eigen::MatrixXd inverse() const {
    std::vector<int> used;
    for (int c = 0; c < h.rows(); ++c)
      if (h(c, c) > 0) used.push_back(c);
    Eigen::MatrixXd whole = Eigen::MatrixXd::Zero(h.rows(), h.cols());
    if (used.empty()) return whole;
    const Eigen::MatrixXd part = h(used, used);
    const Eigen::LDLT<Eigen::MatrixXd> factor(part);
    if (factor.isPositive() && factor.vectorD().minCoeff() > 0) {
      const Eigen::MatrixXd inverse = factor.solve(Eigen::MatrixXd::Identity(part.rows(), part.cols()));
      whole(used, used) = inverse;
      return whole;
    }
    for (const int c : used) whole(c, c) = 1 / h(c, c);
    return whole;
  }
};

// Of a factor: the solutions for the gradient and for the globals, where they tie to anything.
Eigen::MatrixXd solved(const Band& factor, const Eigen::VectorXd& g, const Eigen::MatrixXd& hr) {
  Eigen::MatrixXd x(g.size(), 1 + hr.cols());
  x << g, hr;
  factor.solve(x.col(0));
  for (int c = 0; c < hr.cols(); ++c)
    if (!hr.col(c).isZero(0)) factor.solve(x.col(c + 1));
  return x;
}

}  // namespace

// Data and prior together, factorized; false where that cannot be.
bool SplineSystem::factorWith(const Sums& sums, const Prior& log_precision, Band& h,
                              Eigen::VectorXd& g) const {
  h = sums.data;
  g = sums.g;
  for (size_t axis = 0; axis < 3; ++axis) {
    const double precision = std::exp(log_precision[axis]);
    h.add(sums.prior[axis], precision);
    g += precision * sums.prior_g[axis];
  }
  return h.factorize();
}

double SplineSystem::evidence(const Sums& sums, const Prior& log_precision) const {
  Band h;
  Eigen::VectorXd g;
  if (!factorWith(sums, log_precision, h, g)) return -1e300;
  double energy = sums.energy, logs = 0;
  for (size_t axis = 0; axis < 3; ++axis) {
    energy += std::exp(log_precision[axis]) * sums.prior_energy[axis];
    logs += log_precision[axis] * sums.differences / 2;
  }
  const Eigen::MatrixXd x = solved(h, g, sums.hr);
  energy -= g.dot(x.col(0)) / 2;
  const Reduced left{sums.r - sums.hr.transpose() * x.rightCols(globals_),
                     sums.gr - sums.hr.transpose() * x.col(0)};
  energy -= left.g.dot(left.inverse() * left.g) / 2;
  return -energy + logs - h.logDeterminant() / 2;
}

std::vector<double> SplineSystem::evidences(const Sums& sums, const std::vector<Prior>& priors) const {
  std::vector<double> found(priors.size());
  parallelBlocks(static_cast<int>(priors.size()), 1, [&](int first, int last) {
    for (auto k = static_cast<size_t>(first); k < static_cast<size_t>(last); ++k)
      found[k] = evidence(sums, priors[k]);
  });
  return found;
}

// A step up from the present prior, which has the evidence `best`: along each axis that way that is likelier,
// together or only along the best. False where all six ways lead down.
bool SplineSystem::climb(const Sums& sums, double by, double& best) {
  std::vector<Prior> ways;
  std::vector<size_t> axes;
  for (size_t axis = 0; axis < 3; ++axis)
    for (const double sign : {1.0, -1.0}) {
      Prior p = log_precision_;
      p[axis] = std::clamp(p[axis] + sign * by, precisionOf(kMostSpread), precisionOf(kLeastSpread));
      if (p[axis] == log_precision_[axis]) continue;
      ways.push_back(p);
      axes.push_back(axis);
    }
  const std::vector<double> found = evidences(sums, ways);
  std::array<double, 3> up = {best, best, best};
  Prior together = log_precision_, alone = log_precision_;
  const double before = best;
  int count = 0;
  for (size_t k = 0; k < ways.size(); ++k) {
    const size_t axis = axes[k];
    if (found[k] <= up[axis]) continue;
    count += up[axis] == before ? 1 : 0;
    up[axis] = found[k];
    together[axis] = ways[k][axis];
    if (found[k] <= best) continue;
    best = found[k];
    alone = ways[k];
  }
  log_precision_ = alone;
  if (count > 1)
    if (const double all = evidence(sums, together); all > best) {
      best = all;
      log_precision_ = together;
    }
  return count > 0;
}

// All sizes first, far apart, then uphill in ever smaller steps. What is near enough at first is looked at
// more closely when the weights have settled.
void SplineSystem::choosePrior(const Sums& sums) {
  constexpr double kFine = 0.2, kCoarse = 1;  // of the logarithm of the precision
  double best, by = kLn10 / 2, least = kFine;
  if (!prior_known_) {
    std::vector<Prior> starts;
    for (double spread = kLeastSpread; spread <= kMostSpread; spread *= 10)
      starts.push_back({precisionOf(spread), precisionOf(spread), precisionOf(spread)});
    const std::vector<double> found = evidences(sums, starts);
    const auto at = std::max_element(found.begin(), found.end());
    best = *at;
    log_precision_ = starts[static_cast<size_t>(at - found.begin())];
    by = kLn10;
    least = kCoarse;
  } else {
    best = evidence(sums, log_precision_);
  }
  for (; by > least; by /= 2)
    while (climb(sums, by, best)) {
    }
  prior_known_ = true;
}

SplineSystem::Change SplineSystem::step(const Sums& sums) {
  Band h;
  Eigen::VectorXd g;
  if (!factorWith(sums, log_precision_, h, g)) return {};
  const Eigen::MatrixXd x = solved(h, g, sums.hr);
  Eigen::VectorXd moved = Eigen::VectorXd::Zero(globals_);
  Change made;
  if (anyFree()) {
    const Reduced left{sums.r - sums.hr.transpose() * x.rightCols(globals_),
                       sums.gr - sums.hr.transpose() * x.col(0)};
    moved = moveGlobals(left.change());
    made.largest = sizeOf(moved);
  }
  const Eigen::VectorXd turn = -x.col(0) - x.rightCols(globals_) * moved;
  std::vector<Quaternion> controls = spline_.controls();
  for (size_t j = 0; j < controls.size(); ++j) {
    const auto at = 3 * static_cast<Eigen::Index>(j);
    const Turn t{turn(at), turn(at + 1), turn(at + 2)};
    controls[j] = normalized(rotationOf(t) * controls[j]);
    const double by = length(t) / pixel_;
    made.largest = std::max(made.largest, by);
    made.mean_square += by * by / static_cast<double>(controls.size());
  }
  spline_ = RotationSpline(first_s_, spacing_s_, std::move(controls));
  return made;
}

void SplineSystem::iterate(std::vector<bool> free, const Progress& progress) {
  free_ = std::move(free);
  const bool path_only = !anyFree();
  for (int round = 0; round < kMostRounds; ++round) {
    progress.check();
    const Sums sums = sum(progress);
    if (round == 0 || round == 2 || (round == 5 && !path_only)) choosePrior(sums);
    const Change made = step(sums);
    const bool settled = path_only ? made.mean_square < kPathSettled * kPathSettled : made.largest < kSettled;
    if (settled && round >= 2) break;
  }
}

void SplineSystem::followPath(const Progress& progress) {
  constexpr int kRounds = 3;
  free_.assign(free_.size(), false);
  for (int round = 0; round < kRounds; ++round) step(sum(progress));
  const Sums sums = sum(progress);
  mean_square_ = sums.weight > 0 ? sums.squares / sums.weight : 0;
}

SplineSystem::Posterior SplineSystem::posterior(size_t block, const Progress& progress) {
  const Sums sums = sum(progress);
  mean_square_ = sums.weight > 0 ? sums.squares / sums.weight : 0;
  Posterior found;
  found.covariance = Eigen::MatrixXd::Zero(globals_, globals_);
  Band h;
  Eigen::VectorXd g;
  if (!factorWith(sums, log_precision_, h, g)) return found;
  found.known = true;
  Eigen::MatrixXd z = sums.hr;
  for (int c = 0; c < z.cols(); ++c) h.solve(z.col(c));
  const Reduced left{sums.r - sums.hr.transpose() * z, Eigen::VectorXd::Zero(globals_)};
  const Eigen::MatrixXd plain = left.inverse();
  Eigen::MatrixXd scores = Eigen::MatrixXd::Zero(globals_, globals_);
  for (size_t i = 1; i < sums.frames.size(); i += block) {
    Eigen::VectorXd score = Eigen::VectorXd::Zero(globals_);
    for (size_t j = i; j < std::min(sums.frames.size(), i + block); ++j) {
      const FrameSums& f = sums.frames[j];
      score += f.gr - z.middleRows(3 * f.first, 3 * f.count).transpose() * f.g;
    }
    scores += score * score.transpose();
  }
  // Of few blocks the spread itself is not well known: Student's distribution is this much wider.
  const double count = std::max(4.0, static_cast<double>(frames_) / static_cast<double>(block));
  const Eigen::MatrixXd blocks = (count - 1) / (count - 3) * plain * scores * plain;
  // The larger of both, scaled so that what goes together still does.
  Eigen::VectorXd larger(globals_);
  for (int c = 0; c < globals_; ++c)
    larger(c) = plain(c, c) > 0 ? std::sqrt(std::max(1.0, blocks(c, c) / plain(c, c))) : 0;
  found.covariance = larger.asDiagonal() * plain * larger.asDiagonal();
  return found;
}

double SplineSystem::rmsPx() const { return std::sqrt(mean_square_); }

}  // namespace glenhaze::detail
