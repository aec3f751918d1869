#include "core/motion/detail/spline_fit.h"

#include <algorithm>
#include <cmath>

#include "core/motion/detail/turn_table.h"

namespace glenhaze::detail {

namespace {

constexpr double kSupposed_rad = 0.01;  // spread of a step that is supposed

}  // namespace

// One pair under the present spline: rays in the world, what separates them, and their weight.
struct SplineFit::Placed : PairTimes {
  Vector3 a, b, e;
  double share = 0;  // of the biweight
};

std::vector<double> timesOf(const std::vector<SplineFrame>& frames) {
  std::vector<double> times;
  for (const SplineFrame& f : frames) times.push_back(f.time_s);
  return times;
}

FrameSums supposedStep(FrameSums sums, const RotationSpline& spline, double before_s, double now_s,
                       const Quaternion& turn) {
  Eigen::VectorXd w = Eigen::VectorXd::Zero(sums.count);
  const auto put = [&](const RotationSpline::Support& s, double sign) {
    for (size_t k = 0; k < RotationSpline::kOrder; ++k)
      w(static_cast<int>(s.first + k) - sums.first) += sign * s.weights[k];
  };
  put(spline.supportAt(before_s), -1);
  put(spline.supportAt(now_s), 1);
  const Turn off = turnOf(spline.at(now_s) * inverse(spline.at(before_s) * turn));
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

SplineFit::SplineFit(std::vector<SplineFrame> frames, const SplineKnots& knots, const SplinePicture& picture,
                     double longest_readout_s)
    : SplineSystem(timesOf(frames), knots, longest_readout_s, picture.pixel, 2),
      frames_(std::move(frames)),
      picture_(picture) {}

FrameSums SplineFit::empty(size_t i) const {
  const double reach = reachOf(readout_);
  return emptySums(frames_[i - 1].time_s - reach, frames_[i].time_s + reach);
}

double SplineFit::weigh(std::vector<Placed>& placed) const {
  std::vector<double> errors, shares;
  errors.reserve(placed.size());
  for (const Placed& p : placed) errors.push_back(p.e.norm() / picture_.pixel);
  const double per_px = weightsOf(errors, shares);
  for (size_t i = 0; i < placed.size(); ++i) placed[i].share = shares[i];
  return per_px / (picture_.pixel * picture_.pixel);
}

std::vector<SplineFit::Placed> SplineFit::placed(size_t i) const {
  std::vector<Placed> all;
  all.reserve(frames_[i].pairs.size());
  const auto turning = [this](double t) { return spline().at(t); };
  const double reach = reachOf(readout_), before_s = frames_[i - 1].time_s, now_s = frames_[i].time_s;
  const TurnTable before(turning, before_s, reach), now(turning, now_s, reach);
  for (const RayPair& p : frames_[i].pairs) {
    Placed o;
    o.ta = before_s + readout_.dot(sharesOf(p.at_a, picture_));
    o.tb = now_s + readout_.dot(sharesOf(p.at_b, picture_));
    o.at_a = spline().supportAt(o.ta), o.at_b = spline().supportAt(o.tb);
    o.a = toVector(before.at(o.ta) * p.a);
    o.b = toVector(now.at(o.tb) * p.b);
    o.e = o.a - o.b;
    all.push_back(o);
  }
  return all;
}

// δe = Σ wⱼ δⱼ × a: with J = −w[a]×, JᵀJ = wwᵀ ⊗ (|a|²I − aaᵀ). Each pair for itself, or `together` those
// whose rows are read at about the same time.
std::vector<PairGroup> SplineFit::grouped(size_t i, const std::vector<Placed>& all, double per_variance,
                                          bool together) const {
  constexpr size_t kGroups = 16;
  std::vector<PairGroup> groups(together ? kGroups : all.size());
  const double reach = reachOf(readout_), first_s = frames_[i].time_s - reach,
               per_group = kGroups / (2 * reach + 1e-12);
  for (size_t k = 0; k < all.size(); ++k) {
    const Placed& o = all[k];
    const double weight = o.share * per_variance, x = o.a.x(), y = o.a.y(), z = o.a.z();
    const auto place = static_cast<size_t>(std::clamp((o.tb - first_s) * per_group, 0.0, kGroups - 1.0));
    PairGroup& group = groups[together ? place : k];
    const std::array<double, 6> m = {1 - x * x, -x * y, -x * z, 1 - y * y, -y * z, 1 - z * z};
    for (size_t c = 0; c < 6; ++c) group.m[c] += weight * m[c];
    group.ta += weight * o.ta;
    group.tb += weight * o.tb;
    group.weight += weight;
  }
  std::erase_if(groups, [](const PairGroup& g) { return g.weight <= 0; });
  return groups;
}

// What the pairs say of the readouts, and of readouts and controls together.
void SplineFit::addReadouts(FrameSums& sums, size_t i, const std::vector<Placed>& all,
                            double per_variance) const {
  const double reach = reachOf(readout_);
  const Speeds before(spline(), frames_[i - 1].time_s, reach), now(spline(), frames_[i].time_s, reach);
  for (size_t k = 0; k < all.size(); ++k) {
    const Placed& o = all[k];
    const double weight = o.share * per_variance;
    if (weight <= 0) continue;
    const RayPair& p = frames_[i].pairs[k];
    const Vector3 da = before.at(o.ta).cross(o.a), db = now.at(o.tb).cross(o.b);
    const Eigen::Vector2d of_a = sharesOf(p.at_a, picture_), of_b = sharesOf(p.at_b, picture_);
    Eigen::Matrix<double, 3, 2> j = Eigen::Matrix<double, 3, 2>::Zero();
    for (int c = 0; c < 2; ++c)
      if (isFree(static_cast<size_t>(c))) j.col(c) = da * of_a(c) - db * of_b(c);
    j -= o.a * (o.a.transpose() * j);  // only across the ray is seen
    sums.r.noalias() += weight * j.transpose() * j;
    sums.gr.noalias() += weight * j.transpose() * o.e;
    Eigen::Matrix<double, 3, 2> cross;
    cross << weight * o.a.cross(j.col(0)), weight * o.a.cross(j.col(1));
    addAt(sums.hr, o, sums.first, cross);
  }
}

FrameSums SplineFit::sumFrame(size_t i) const {
  FrameSums sums = empty(i);
  if (frames_[i].pairs.empty())
    return supposedStep(std::move(sums), spline(), frames_[i - 1].time_s, frames_[i].time_s, frames_[i].turn);
  std::vector<Placed> all = placed(i);
  const double per_variance = weigh(all);
  for (const Placed& o : all) {
    const double weight = o.share * per_variance;
    addAt(sums.g, o, sums.first, Vector3(weight * o.a.cross(o.e)));
    sums.energy += weight * o.e.squaredNorm() / 2;
    sums.squares += o.share * o.e.squaredNorm() / (picture_.pixel * picture_.pixel);
    sums.weight += 2 * o.share;
  }
  if (anyFree()) addReadouts(sums, i, all, per_variance);
  // Of the path alone the products only say which way to step: nearly right is as good. What is left of a
  // readout is the small difference of large sums, though.
  addProducts(sums, grouped(i, all, per_variance, !anyFree()), spline());
  return sums;
}

Eigen::VectorXd SplineFit::moveGlobals(const Eigen::VectorXd& change) {
  const Eigen::Vector2d to = withinLimit(readout_ + change, limit_s_);
  const Eigen::Vector2d moved = to - readout_;
  readout_ = to;
  return moved;
}

void SplineFit::solve(const Eigen::Vector2d& readout, const Progress& progress) {
  readout_ = readout;
  iterate({false, false}, progress);
}

SplineReadout SplineFit::solveReadout(const Eigen::Vector2d& readout, std::array<bool, 2> free,
                                      double limit_s, const Progress& progress) {
  readout_ = readout;
  limit_s_ = limit_s;
  iterate({free[0], free[1]}, progress);
  constexpr size_t kBlock = 5;  // frames
  const Posterior found = posterior(kBlock, progress);
  if (!found.known) return {readout_, Eigen::Vector2d::Constant(limit_s)};
  return {readout_, found.covariance.diagonal().cwiseMax(0).cwiseSqrt()};
}

double SplineFit::rmsPxAt(const Eigen::Vector2d& readout, const Progress& progress) const {
  SplineFit other = *this;
  other.readout_ = readout;
  other.followPath(progress);
  return other.rmsPx();
}

}  // namespace glenhaze::detail
