#include "core/motion/detail/spline_fit.h"

#include <algorithm>
#include <cmath>

#include "core/base/parallel.h"
#include "core/base/statistics.h"
#include "core/motion/detail/path_solver.h"
#include "core/motion/detail/turn_table.h"

namespace glenhaze::detail {

namespace {

constexpr int kKnotsPerFrame = 2;
constexpr double kShortest_s = 1e-4;  // frame interval
constexpr double kFloor_px = 0.05;  // what tracking is off at best, seen on photographs whose truth is known
constexpr double kWidest_px = 1.5;  // behind which a residual's scale is not believed
constexpr int kMostRounds = 14;
constexpr double kPathSettled =
    5e-3;                          // RMS px, where only the path is wanted: far below what tracking is off
constexpr double kSettled = 1e-3;  // of a change, in px and in ms
constexpr double kSupposed_rad = 0.01;  // spread of a step that is supposed
constexpr std::array<double, 5> kFourth = {1, -4, 6, -4, 1};
constexpr double kLn10 = 2.302585092994046;
// Spreads of the fourth difference that are tried, rad: from a camera on rails (0.3 Hz by 5° at 30 frames a
// second has 8e-8) to one that is beaten.
constexpr double kLeastSpread = 1e-7, kMostSpread = 1;

// Places are followed a little beyond the picture; further out there are none.
constexpr double kOutermost = 0.6;  // of the picture's width or height, from its middle
double precisionOf(double spread) { return -2 * std::log(spread); }  // its logarithm

double shareOf(double at, int count) {
  return std::clamp(at / std::max(1, count - 1) - 0.5, -kOutermost, kOutermost);
}

}  // namespace

// What one frame's pairs say of the controls from `first` on and of the readouts.
struct SplineFit::OfFrame {
  int first = 0, count = 0;  // controls
  Eigen::MatrixXd h;         // of the controls: 3·count square
  Eigen::VectorXd g;         // gradient
  Eigen::MatrixXd hr;        // controls against readouts, 3·count × 2
  Eigen::Matrix2d r = Eigen::Matrix2d::Zero();
  Eigen::Vector2d gr = Eigen::Vector2d::Zero();
  double energy = 0, squares = 0, weight = 0;
};

// All frames together; the prior of each axis apart, since its precision is chosen.
struct SplineFit::Sums {
  Band data;
  std::array<Band, 3> prior;
  Eigen::VectorXd g;
  std::array<Eigen::VectorXd, 3> prior_g;
  std::array<double, 3> prior_energy{};
  Eigen::MatrixXd hr;
  Eigen::Matrix2d r = Eigen::Matrix2d::Zero();
  Eigen::Vector2d gr = Eigen::Vector2d::Zero();
  double energy = 0, squares = 0, weight = 0;
  double differences = 0;  // of the prior, per axis
  std::vector<OfFrame> frames;
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

SplineFit::SplineFit(std::vector<SplineFrame> frames, const SplineKnots& knots, const SplinePicture& picture,
                     double longest_readout_s)
    : frames_(std::move(frames)), picture_(picture), spacing_s_(knots.spacing_s) {
  const double beyond = kOutermost * longest_readout_s;
  offset_ = static_cast<size_t>(
      std::max(0.0, std::floor((frames_.front().time_s - beyond - knots.first_s) / spacing_s_)));
  first_s_ = knots.first_s + static_cast<double>(offset_) * spacing_s_;
  const double spans = std::ceil((frames_.back().time_s + beyond - first_s_) / spacing_s_) + 1;
  count_ = static_cast<size_t>(spans) + RotationSpline::kOrder - 1;
  double longest = 0;
  for (size_t i = 1; i < frames_.size(); ++i)
    longest = std::max(longest, frames_[i].time_s - frames_[i - 1].time_s);
  band_ = static_cast<int>(std::ceil((longest + 2 * beyond) / spacing_s_)) + 1 +
          static_cast<int>(RotationSpline::kOrder);
}

// One pair under the present spline: rays in the world, what separates them, and their weight.
struct SplineFit::Placed {
  Vector3 a, b, e;
  RotationSpline::Support at_a, at_b;
  double ta, tb;
  double share = 0;  // of the biweight
};

// Σ wⱼ·v, at the controls that a pair's two times touch.
template <typename To, typename Vector>
void SplineFit::addAt(To& to, const Placed& o, int first, const Vector& v) {
  for (size_t c = 0; c < RotationSpline::kOrder; ++c) {
    to.template middleRows<3>(3 * (static_cast<int>(o.at_a.first + c) - first)) += o.at_a.weights[c] * v;
    to.template middleRows<3>(3 * (static_cast<int>(o.at_b.first + c) - first)) -= o.at_b.weights[c] * v;
  }
}

namespace {

// How fast the camera turns about a moment, in the world's axes, rad/s; tabled, since it is asked for often.
class Speeds {
 public:
  Speeds(const RotationSpline& spline, double around, double reach) : first_(around - reach) {
    const double step = spline.spacing() / 32;
    per_second_ = reach > 0 ? (kTimes - 1) / (2 * reach) : 0;
    for (int k = 0; k < kTimes; ++k) {
      const double t = per_second_ > 0 ? first_ + k / per_second_ : around;
      const Turn turn = turnOf(spline.at(t + step) * inverse(spline.at(t - step)));
      speeds_[static_cast<size_t>(k)] = Vector3(turn.x, turn.y, turn.z) / (2 * step);
    }
  }
  Vector3 at(double t) const {
    const double at = std::clamp((t - first_) * per_second_, 0.0, kTimes - 1.001);
    const auto k = static_cast<size_t>(at);
    return speeds_[k] + (speeds_[k + 1] - speeds_[k]) * (at - static_cast<double>(k));
  }

 private:
  static constexpr int kTimes = 9;
  double first_, per_second_;
  std::array<Vector3, kTimes> speeds_;
};

}  // namespace

// Weights that fall with the residual, as for single steps; the precision that one of full weight has.
double SplineFit::weigh(std::vector<Placed>& placed) const {
  std::vector<double> errors;
  errors.reserve(placed.size());
  for (const Placed& p : placed) errors.push_back(p.e.norm());
  const double scale = residualScale(errors, 0.03 * picture_.pixel, kWidest_px * picture_.pixel);
  for (size_t i = 0; i < placed.size(); ++i) placed[i].share = biweight(errors[i] / scale);
  const double sigma = std::max(scale, kFloor_px * picture_.pixel);
  return 1 / (sigma * sigma);
}

SplineFit::OfFrame SplineFit::emptySums(size_t i) const {
  OfFrame sums;
  // A little more than the farthest row, so that rounding puts none beyond the controls.
  const double reach = rowReach() + 1e-6 * spacing_s_;
  const size_t first = spline_.supportAt(frames_[i - 1].time_s - reach).first,
               last = spline_.supportAt(frames_[i].time_s + reach).first + RotationSpline::kOrder;
  sums.first = static_cast<int>(first);
  sums.count = static_cast<int>(last - first);
  sums.h = Eigen::MatrixXd::Zero(3 * sums.count, 3 * sums.count);
  sums.g = Eigen::VectorXd::Zero(3 * sums.count);
  sums.hr = Eigen::MatrixXd::Zero(3 * sums.count, 2);
  return sums;
}

SplineFit::OfFrame SplineFit::sumSupposed(size_t i) const {
  OfFrame sums = emptySums(i);
  Eigen::VectorXd w = Eigen::VectorXd::Zero(sums.count);
  const auto put = [&](const RotationSpline::Support& s, double sign) {
    for (size_t k = 0; k < RotationSpline::kOrder; ++k)
      w(static_cast<int>(s.first + k) - sums.first) += sign * s.weights[k];
  };
  put(spline_.supportAt(frames_[i - 1].time_s), -1);
  put(spline_.supportAt(frames_[i].time_s), 1);
  const Turn off =
      turnOf(spline_.at(frames_[i].time_s) * inverse(spline_.at(frames_[i - 1].time_s) * frames_[i].turn));
  const double precision = 1 / (kSupposed_rad * kSupposed_rad);
  const Vector3 e(off.x, off.y, off.z);
  for (int c = 0; c < 3; ++c)
    for (int j = 0; j < sums.count; ++j) {
      sums.g(3 * j + c) = precision * w(j) * e(c);
      for (int k = 0; k < sums.count; ++k) sums.h(3 * j + c, 3 * k + c) = precision * w(j) * w(k);
    }
  sums.energy = precision * e.squaredNorm() / 2;
  return sums;
}

// From a frame's time to its outermost row's, s.
double SplineFit::rowReach() const { return kOutermost * (std::abs(readout_.x()) + std::abs(readout_.y())); }

std::vector<SplineFit::Placed> SplineFit::placed(size_t i) const {
  std::vector<Placed> all;
  all.reserve(frames_[i].pairs.size());
  const auto timeAt = [&](size_t frame, Point p) {
    return frames_[frame].time_s + readout_.x() * shareOf(p.x, picture_.width) +
           readout_.y() * shareOf(p.y, picture_.height);
  };
  const auto turning = [this](double t) { return spline_.at(t); };
  const TurnTable before(turning, frames_[i - 1].time_s, rowReach()),
      now(turning, frames_[i].time_s, rowReach());
  for (const RayPair& p : frames_[i].pairs) {
    Placed o;
    o.ta = timeAt(i - 1, p.at_a), o.tb = timeAt(i, p.at_b);
    o.at_a = spline_.supportAt(o.ta), o.at_b = spline_.supportAt(o.tb);
    o.a = toVector(before.at(o.ta) * p.a);
    o.b = toVector(now.at(o.tb) * p.b);
    o.e = o.a - o.b;
    all.push_back(o);
  }
  return all;
}

// Pairs whose rays' products are summed as one, and when their rows were read.
struct SplineFit::Group {
  std::array<double, 6> m{};  // of |a|²I − aaᵀ: the lower half, column by column
  double ta = 0, tb = 0, weight = 0;
};

// Each pair for itself, or `together` those whose rows are read at about the same time.
std::vector<SplineFit::Group> SplineFit::grouped(size_t i, const std::vector<Placed>& all,
                                                 double per_variance, bool together) const {
  constexpr size_t kGroups = 16;
  std::vector<Group> groups(together ? kGroups : all.size());
  const double first_s = frames_[i].time_s - rowReach(), per_group = kGroups / (2 * rowReach() + 1e-12);
  for (size_t k = 0; k < all.size(); ++k) {
    const Placed& o = all[k];
    const double weight = o.share * per_variance, x = o.a.x(), y = o.a.y(), z = o.a.z();
    const auto place = static_cast<size_t>(std::clamp((o.tb - first_s) * per_group, 0.0, kGroups - 1.0));
    Group& group = groups[together ? place : k];
    const std::array<double, 6> m = {1 - x * x, -x * y, -x * z, 1 - y * y, -y * z, 1 - z * z};
    for (size_t c = 0; c < 6; ++c) group.m[c] += weight * m[c];
    group.ta += weight * o.ta;
    group.tb += weight * o.tb;
    group.weight += weight;
  }
  std::erase_if(groups, [](const Group& g) { return g.weight <= 0; });
  return groups;
}

// δe = Σ wⱼ δⱼ × a: with J = −w[a]×, JᵀJ = wwᵀ ⊗ (|a|²I − aaᵀ). All six entries in one go.
void SplineFit::addProducts(OfFrame& sums, const std::vector<Group>& groups) const {
  const auto n = static_cast<Eigen::Index>(groups.size());
  Eigen::MatrixXd w = Eigen::MatrixXd::Zero(sums.count, n), weighed(6 * sums.count, n);
  for (Eigen::Index k = 0; k < n; ++k) {
    const Group& group = groups[static_cast<size_t>(k)];
    const auto put = [&](double time, double sign) {
      const RotationSpline::Support at = spline_.supportAt(time);
      for (size_t c = 0; c < RotationSpline::kOrder; ++c)
        w(static_cast<int>(at.first + c) - sums.first, k) += sign * at.weights[c];
    };
    put(group.ta / group.weight, 1);
    put(group.tb / group.weight, -1);
    for (int c = 0; c < 6; ++c)
      weighed.col(k).segment(c * sums.count, sums.count) = group.m[static_cast<size_t>(c)] * w.col(k);
  }
  const Eigen::MatrixXd products = w * weighed.transpose();
  int column = 0;
  for (int c = 0; c < 3; ++c)
    for (int r = c; r < 3; ++r, ++column) {
      const auto part = products.middleCols(column * sums.count, sums.count);
      for (int j = 0; j < sums.count; ++j)
        for (int k = 0; k < sums.count; ++k) {
          sums.h(3 * j + r, 3 * k + c) = part(j, k);
          sums.h(3 * j + c, 3 * k + r) = part(j, k);
        }
    }
}

// What the pairs say of the readouts, and of readouts and controls together.
void SplineFit::addReadouts(OfFrame& sums, size_t i, const std::vector<Placed>& all, double per_variance,
                            std::array<bool, 2> free) const {
  const Speeds before(spline_, frames_[i - 1].time_s, rowReach()),
      now(spline_, frames_[i].time_s, rowReach());
  for (size_t k = 0; k < all.size(); ++k) {
    const Placed& o = all[k];
    const double weight = o.share * per_variance;
    if (weight <= 0) continue;
    const RayPair& p = frames_[i].pairs[k];
    const Vector3 da = before.at(o.ta).cross(o.a), db = now.at(o.tb).cross(o.b);
    Eigen::Matrix<double, 3, 2> j = Eigen::Matrix<double, 3, 2>::Zero();
    if (free[0]) j.col(0) = da * shareOf(p.at_a.x, picture_.width) - db * shareOf(p.at_b.x, picture_.width);
    if (free[1]) j.col(1) = da * shareOf(p.at_a.y, picture_.height) - db * shareOf(p.at_b.y, picture_.height);
    j -= o.a * (o.a.transpose() * j);  // only across the ray is seen
    sums.r.noalias() += weight * j.transpose() * j;
    sums.gr.noalias() += weight * j.transpose() * o.e;
    Eigen::Matrix<double, 3, 2> cross;
    cross << weight * o.a.cross(j.col(0)), weight * o.a.cross(j.col(1));
    addAt(sums.hr, o, sums.first, cross);
  }
}

SplineFit::OfFrame SplineFit::sumFrame(size_t i, std::array<bool, 2> free) const {
  if (frames_[i].pairs.empty()) return sumSupposed(i);
  OfFrame sums = emptySums(i);
  std::vector<Placed> all = placed(i);
  const double per_variance = weigh(all);
  for (const Placed& o : all) {
    const double weight = o.share * per_variance;
    addAt(sums.g, o, sums.first, Vector3(weight * o.a.cross(o.e)));
    sums.energy += weight * o.e.squaredNorm() / 2;
    sums.squares += o.share * o.e.squaredNorm();
    sums.weight += 2 * o.share;
  }
  const bool any = free[0] || free[1];
  if (any) addReadouts(sums, i, all, per_variance, free);
  // Of the path alone the products only say which way to step: nearly right is as good. What is left of a
  // readout is the small difference of large sums, though.
  addProducts(sums, grouped(i, all, per_variance, !any));
  return sums;
}

SplineFit::Sums SplineFit::sum(std::array<bool, 2> free, const Progress& progress) const {
  const int n = 3 * static_cast<int>(count_);
  Sums sums;
  sums.frames.resize(frames_.size());
  parallelBlocks(static_cast<int>(frames_.size()), 8, [&](int first, int last) {
    progress.check();
    for (int i = std::max(1, first); i < last; ++i)
      sums.frames[static_cast<size_t>(i)] = sumFrame(static_cast<size_t>(i), free);
  });
  sums.data = Band(n, 3 * band_);
  sums.g = Eigen::VectorXd::Zero(n);
  sums.hr = Eigen::MatrixXd::Zero(n, 2);
  for (size_t i = 1; i < sums.frames.size(); ++i) {
    const OfFrame& f = sums.frames[i];
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

void SplineFit::addPrior(Sums& sums) const {
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

// Unknowns of the path eliminated: what is left of the readouts. Axes that are not free have no curvature.
struct Reduced {
  Eigen::Matrix2d h;
  Eigen::Vector2d g;
  Eigen::Vector2d change() const { return -inverse() * g; }
  Eigen::Matrix2d inverse() const {
    Eigen::Matrix2d i = Eigen::Matrix2d::Zero();
    if (h(0, 0) > 0 && h(1, 1) > 0 && h.determinant() > 0) return h.inverse();
    for (int c = 0; c < 2; ++c)
      if (h(c, c) > 0) i(c, c) = 1 / h(c, c);
    return i;
  }
};

}  // namespace

namespace {

// Of a factor: the solutions for the gradient and for both readouts, where they tie to anything.
Eigen::MatrixXd solved(const Band& factor, const Eigen::VectorXd& g, const Eigen::MatrixXd& hr) {
  Eigen::MatrixXd x(g.size(), 3);
  x << g, hr;
  factor.solve(x.col(0));
  for (int c = 1; c < 3; ++c)
    if (!hr.col(c - 1).isZero(0)) factor.solve(x.col(c));
  return x;
}

}  // namespace

double SplineFit::evidence(const Sums& sums, const Prior& log_precision) const {
  Band h = sums.data;
  Eigen::VectorXd g = sums.g;
  double energy = sums.energy, logs = 0;
  for (size_t axis = 0; axis < 3; ++axis) {
    const double precision = std::exp(log_precision[axis]);
    h.add(sums.prior[axis], precision);
    g += precision * sums.prior_g[axis];
    energy += precision * sums.prior_energy[axis];
    logs += log_precision[axis] * sums.differences / 2;
  }
  if (!h.factorize()) return -1e300;
  const Eigen::MatrixXd x = solved(h, g, sums.hr);
  energy -= g.dot(x.col(0)) / 2;
  const Reduced left{sums.r - sums.hr.transpose() * x.rightCols<2>(),
                     sums.gr - sums.hr.transpose() * x.col(0)};
  energy -= left.g.dot(left.inverse() * left.g) / 2;
  return -energy + logs - h.logDeterminant() / 2;
}

std::vector<double> SplineFit::evidences(const Sums& sums, const std::vector<Prior>& priors) const {
  std::vector<double> found(priors.size());
  parallelBlocks(static_cast<int>(priors.size()), 1, [&](int first, int last) {
    for (auto k = static_cast<size_t>(first); k < static_cast<size_t>(last); ++k)
      found[k] = evidence(sums, priors[k]);
  });
  return found;
}

// A step up from the present prior, which has the evidence `best`: along each axis that way that is likelier,
// together or only along the best. False where all six ways lead down.
bool SplineFit::climb(const Sums& sums, double by, double& best) {
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
void SplineFit::choosePrior(const Sums& sums) {
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

SplineFit::Change SplineFit::step(const Sums& sums, std::array<bool, 2> free, double limit_s) {
  Band h = sums.data;
  Eigen::VectorXd g = sums.g;
  for (size_t axis = 0; axis < 3; ++axis) {
    const double precision = std::exp(log_precision_[axis]);
    h.add(sums.prior[axis], precision);
    g += precision * sums.prior_g[axis];
  }
  if (!h.factorize()) return {};
  const Eigen::MatrixXd x = solved(h, g, sums.hr);
  Eigen::Vector2d change = Eigen::Vector2d::Zero();
  if (free[0] || free[1]) {
    const Reduced left{sums.r - sums.hr.transpose() * x.rightCols<2>(),
                       sums.gr - sums.hr.transpose() * x.col(0)};
    change = left.change();
    Eigen::Vector2d to = readout_ + change;
    // Both axes together: what one frame's rows tie together, and so the band, has been laid out for that.
    if (const double both = to.cwiseAbs().sum(); both > limit_s) to *= limit_s / both;
    change = to - readout_;
    readout_ = to;
  }
  const Eigen::VectorXd turn = -x.col(0) - x.rightCols<2>() * change;
  std::vector<Quaternion> controls = spline_.controls();
  Change made;
  for (size_t j = 0; j < controls.size(); ++j) {
    const auto at = 3 * static_cast<Eigen::Index>(j);
    const Turn t{turn(at), turn(at + 1), turn(at + 2)};
    controls[j] = normalized(rotationOf(t) * controls[j]);
    const double moved = length(t) / picture_.pixel;
    made.largest = std::max(made.largest, moved);
    made.mean_square += moved * moved / static_cast<double>(controls.size());
  }
  spline_ = RotationSpline(first_s_, spacing_s_, std::move(controls));
  made.largest = std::max(made.largest, change.cwiseAbs().maxCoeff() * 1000);
  return made;
}

void SplineFit::iterate(std::array<bool, 2> free, double limit_s, const Progress& progress) {
  for (int round = 0; round < kMostRounds; ++round) {
    progress.check();
    const Sums sums = sum(free, progress);
    const bool path_only = !free[0] && !free[1];
    if (round == 0 || round == 2 || (round == 5 && !path_only)) choosePrior(sums);
    const Change made = step(sums, free, limit_s);
    const bool settled =
        free[0] || free[1] ? made.largest < kSettled : made.mean_square < kPathSettled * kPathSettled;
    if (settled && round >= 2) break;
  }
}

void SplineFit::solve(const Eigen::Vector2d& readout, const Progress& progress) {
  readout_ = readout;
  iterate({false, false}, 0, progress);
}

SplineReadout SplineFit::solveReadout(const Eigen::Vector2d& readout, std::array<bool, 2> free,
                                      double limit_s, const Progress& progress) {
  readout_ = readout;
  iterate(free, limit_s, progress);
  const Sums sums = sum(free, progress);
  mean_square_ = sums.weight > 0 ? sums.squares / sums.weight : 0;
  Band h = sums.data;
  for (size_t axis = 0; axis < 3; ++axis) h.add(sums.prior[axis], std::exp(log_precision_[axis]));
  SplineReadout found{readout_, Eigen::Vector2d::Constant(limit_s)};
  if (!h.factorize()) return found;
  Eigen::MatrixXd z = sums.hr;
  for (int c = 0; c < 2; ++c) h.solve(z.col(c));
  const Reduced left{sums.r - sums.hr.transpose() * z, Eigen::Vector2d::Zero()};
  const Eigen::Matrix2d posterior = left.inverse();
  // The sandwich estimate over blocks of frames: it holds although errors of neighbours go together.
  constexpr size_t kBlock = 5;
  Eigen::Matrix2d scores = Eigen::Matrix2d::Zero();
  for (size_t i = 1; i < sums.frames.size(); i += kBlock) {
    Eigen::Vector2d score = Eigen::Vector2d::Zero();
    for (size_t j = i; j < std::min(sums.frames.size(), i + kBlock); ++j) {
      const OfFrame& f = sums.frames[j];
      score += f.gr - z.middleRows(3 * f.first, 3 * f.count).transpose() * f.g;
    }
    scores += score * score.transpose();
  }
  const Eigen::Matrix2d blocks = posterior * scores * posterior;
  for (int c = 0; c < 2; ++c)
    found.spread(c) =
        free[static_cast<size_t>(c)] ? std::sqrt(std::max({0.0, posterior(c, c), blocks(c, c)})) : 0;
  return found;
}

double SplineFit::rmsPxAt(const Eigen::Vector2d& readout, const Progress& progress) const {
  constexpr int kRounds = 3;
  SplineFit other = *this;
  other.readout_ = readout;
  for (int round = 0; round < kRounds; ++round)
    other.step(other.sum({false, false}, progress), {false, false}, 0);
  const Sums sums = other.sum({false, false}, progress);
  other.mean_square_ = sums.weight > 0 ? sums.squares / sums.weight : 0;
  return other.rmsPx();
}

double SplineFit::rmsPx() const { return std::sqrt(mean_square_) / picture_.pixel; }

}  // namespace glenhaze::detail
