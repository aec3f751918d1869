#include "core/motion/detail/lens_fit.h"

#include <algorithm>
#include <cmath>

#include "core/base/parallel.h"
#include "core/motion/detail/turn_table.h"

namespace glenhaze::detail {

namespace {

// What is known of lenses beforehand (common practice, no source): standard deviations about the usual focal
// length, no or little bend and the middle of the picture. Footage that tells anything tells far more.
constexpr double kFocalSpread = 0.5;     // of its logarithm
constexpr double kBendSpread = 0.3;      // of a coefficient
constexpr double kCentreSpread = 0.005;  // of the picture's width
constexpr double kFarthestFocal = 2;     // of its logarithm: beyond, nothing is being measured any more
constexpr double kMostBend = 1.5;        // of a coefficient, the same
constexpr int kFirstOfLens = kLogFocal;
constexpr double kNudge = 1e-5;  // for slopes; of a logarithm, a coefficient and the width

}  // namespace

// One pair under the present values.
struct LensFit::Seen : PairTimes {
  size_t pair = 0;
  Vector3 world;                  // where its ray points
  Quaternion to_camera;           // of the frame it goes to
  Quaternion to_world;            // of the frame it comes from
  Eigen::Matrix<double, 2, 3> m;  // residual over the world's direction, px
  Eigen::Vector2d e;              // px
  double share = 0;               // of the biweight
};

LensFit::LensFit(std::vector<SplineFrame> frames, const SplineKnots& knots, const Lens& lens,
                 double expected_focal_px, double longest_readout_s)
    : SplineSystem(timesOf(frames), knots, longest_readout_s, 1 / lens.fx, kLensGlobals),
      frames_(std::move(frames)),
      map_(lens),
      expected_focal_px_(expected_focal_px),
      limit_s_(longest_readout_s) {
  takeLens(lens);
}

Lens LensFit::movedLens(const Eigen::VectorXd& change) const {
  Lens moved = lens_;
  moved.fx = moved.fy = lens_.fx * std::exp(change(kLogFocal));
  moved.k[0] += change(kK1);
  moved.k[1] += change(kK2);
  moved.cx += change(kCentreX) * lens_.width;
  moved.cy += change(kCentreY) * lens_.width;
  return moved;
}

void LensFit::takeLens(const Lens& lens) {
  lens_ = lens;
  map_ = LensMap(lens);
  near_.clear();
  for (int c = kFirstOfLens; c < kLensGlobals; ++c) {
    Eigen::VectorXd by = Eigen::VectorXd::Zero(kLensGlobals);
    by(c) = kNudge;
    near_.emplace_back(movedLens(by));
  }
}

FrameSums LensFit::empty(size_t i) const {
  const double reach = reachOf(readout_);
  return emptySums(frames_[i - 1].time_s - reach, frames_[i].time_s + reach);
}

namespace {

Ray toRay(const Vector3& v) { return {v.x(), v.y(), v.z()}; }

// Slope of a pixel over its ray, across the ray.
std::optional<Eigen::Matrix<double, 2, 3>> slopeOf(const LensMap& map, const Vector3& ray, Point pixel) {
  constexpr double kStep = 1e-5;
  const Vector3 side =
      (std::abs(ray.x()) < 0.5 ? Vector3::UnitX() : Vector3::UnitY()).cross(ray).normalized();
  Eigen::Matrix<double, 2, 3> slope = Eigen::Matrix<double, 2, 3>::Zero();
  for (const Vector3& way : {side, Vector3(ray.cross(side))}) {
    const auto moved = map.rayToPixel(toRay(Vector3(ray + kStep * way)));
    if (!moved) return std::nullopt;
    slope += Eigen::Vector2d(moved->x - pixel.x, moved->y - pixel.y) / kStep * way.transpose();
  }
  return slope;
}

}  // namespace

std::vector<LensFit::Seen> LensFit::seen(size_t i) const {
  std::vector<Seen> all;
  all.reserve(frames_[i].pairs.size());
  const auto turning = [this](double t) { return spline().at(t); };
  const double reach = reachOf(readout_), before_s = frames_[i - 1].time_s, now_s = frames_[i].time_s;
  const TurnTable before(turning, before_s, reach), now(turning, now_s, reach);
  const SplinePicture picture{lens_.width, lens_.height, 0};
  for (size_t k = 0; k < frames_[i].pairs.size(); ++k) {
    const RayPair& p = frames_[i].pairs[k];
    const auto ray = map_.pixelToRay(p.at_a);
    if (!ray) continue;
    Seen o;
    o.pair = k;
    o.ta = before_s + readout_.dot(sharesOf(p.at_a, picture));
    o.tb = now_s + readout_.dot(sharesOf(p.at_b, picture));
    o.at_a = spline().supportAt(o.ta), o.at_b = spline().supportAt(o.tb);
    o.to_world = before.at(o.ta);
    o.to_camera = inverse(now.at(o.tb));
    o.world = toVector(o.to_world * *ray);
    const Vector3 camera = toVector(o.to_camera * toRay(o.world));
    const auto pixel = map_.rayToPixel(toRay(camera));
    const auto slope = pixel ? slopeOf(map_, camera, *pixel) : std::nullopt;
    if (!slope) continue;
    o.e = {pixel->x - p.at_b.x, pixel->y - p.at_b.y};
    o.m = *slope * matrixFrom(o.to_camera);
    all.push_back(o);
  }
  return all;
}

// What the pairs say of readouts and lens, and of these and the controls together.
void LensFit::addGlobals(FrameSums& sums, size_t i, const std::vector<Seen>& all, double per_px) const {
  const double reach = reachOf(readout_);
  const Speeds before(spline(), frames_[i - 1].time_s, reach), now(spline(), frames_[i].time_s, reach);
  const SplinePicture picture{lens_.width, lens_.height, 0};
  for (const Seen& o : all) {
    const double weight = o.share * per_px;
    if (weight <= 0) continue;
    const RayPair& p = frames_[i].pairs[o.pair];
    Eigen::Matrix<double, 2, kLensGlobals> j = Eigen::Matrix<double, 2, kLensGlobals>::Zero();
    const Eigen::Vector2d of_a = sharesOf(p.at_a, picture), of_b = sharesOf(p.at_b, picture);
    const Eigen::Vector2d da = o.m * before.at(o.ta).cross(o.world), db = o.m * now.at(o.tb).cross(o.world);
    for (int c = 0; c < 2; ++c)
      if (isFree(static_cast<size_t>(c))) j.col(c) = da * of_a(c) - db * of_b(c);
    for (int c = kFirstOfLens; c < kLensGlobals; ++c) {
      if (!isFree(static_cast<size_t>(c))) continue;
      const LensMap& map = near_[static_cast<size_t>(c - kFirstOfLens)];
      const auto ray = map.pixelToRay(p.at_a);
      const auto pixel = ray ? map.rayToPixel(o.to_camera * (o.to_world * *ray)) : std::nullopt;
      if (pixel) j.col(c) = (Eigen::Vector2d(pixel->x - p.at_b.x, pixel->y - p.at_b.y) - o.e) / kNudge;
    }
    sums.r.noalias() += weight * j.transpose() * j;
    sums.gr.noalias() += weight * j.transpose() * o.e;
    const Eigen::Matrix<double, 3, kLensGlobals> cross =
        -weight * crossOf(o.world).transpose() * o.m.transpose() * j;
    addAt(sums.hr, o, sums.first, cross);
  }
}

// The turning δ about the world's axes moves what is seen by −m·[v]×·δ px.
FrameSums LensFit::sumFrame(size_t i) const {
  FrameSums sums = empty(i);
  std::vector<Seen> all = seen(i);
  if (all.empty())
    return supposedStep(std::move(sums), spline(), frames_[i - 1].time_s, frames_[i].time_s, frames_[i].turn);
  std::vector<double> errors, shares;
  for (const Seen& o : all) errors.push_back(o.e.norm());
  const double per_px = weightsOf(errors, shares);
  std::vector<PairGroup> groups;
  for (size_t k = 0; k < all.size(); ++k) {
    Seen& o = all[k];
    o.share = shares[k];
    const double weight = o.share * per_px;
    if (weight <= 0) continue;
    const Eigen::Matrix<double, 2, 3> u = -o.m * crossOf(o.world);
    addAt(sums.g, o, sums.first, Vector3(weight * u.transpose() * o.e));
    const Eigen::Matrix3d uu = weight * u.transpose() * u;
    groups.push_back(
        {{uu(0, 0), uu(1, 0), uu(2, 0), uu(1, 1), uu(2, 1), uu(2, 2)}, weight * o.ta, weight * o.tb, weight});
    sums.energy += weight * o.e.squaredNorm() / 2;
    sums.squares += o.share * o.e.squaredNorm();
    sums.weight += 2 * o.share;
  }
  if (anyFree()) addGlobals(sums, i, all, per_px);
  addProducts(sums, groups, spline());
  return sums;
}

void LensFit::addKnown(Eigen::MatrixXd& r, Eigen::VectorXd& gr, double& energy) const {
  const auto add = [&](int c, double off, double spread) {
    if (!isFree(static_cast<size_t>(c))) return;
    r(c, c) += 1 / (spread * spread);
    gr(c) += off / (spread * spread);
    energy += off * off / (2 * spread * spread);
  };
  add(kLogFocal, std::log(lens_.fx / expected_focal_px_), kFocalSpread);
  add(kK1, lens_.k[0], kBendSpread);
  add(kK2, lens_.k[1], kBendSpread);
  add(kCentreX, (lens_.cx - (lens_.width - 1) / 2.0) / lens_.width, kCentreSpread);
  add(kCentreY, (lens_.cy - (lens_.height - 1) / 2.0) / lens_.width, kCentreSpread);
}

Eigen::VectorXd LensFit::moveGlobals(const Eigen::VectorXd& change) {
  Eigen::VectorXd moved = change;
  const Eigen::Vector2d to = withinLimit(readout_ + change.head<2>(), limit_s_);
  moved.head<2>() = to - readout_;
  readout_ = to;
  // Far from the answer a step may be too long by far.
  constexpr double kLongest = 0.2;
  const double most = moved.tail<kLensGlobals - 2>().cwiseAbs().maxCoeff();
  if (most > kLongest) moved.tail<kLensGlobals - 2>() *= kLongest / most;
  const double focal = std::log(lens_.fx / expected_focal_px_);
  moved(kLogFocal) = std::clamp(focal + moved(kLogFocal), -kFarthestFocal, kFarthestFocal) - focal;
  moved(kK1) = std::clamp(lens_.k[0] + moved(kK1), -kMostBend, kMostBend) - lens_.k[0];
  moved(kK2) = std::clamp(lens_.k[1] + moved(kK2), -kMostBend, kMostBend) - lens_.k[1];
  takeLens(movedLens(moved));
  return moved;
}

// In ms and in px at the picture's sides.
double LensFit::sizeOf(const Eigen::VectorXd& moved) const {
  return std::max(moved.head<2>().cwiseAbs().maxCoeff() * 1000,
                  moved.tail<kLensGlobals - 2>().cwiseAbs().maxCoeff() * lens_.width * 0.1);
}

void LensFit::solve(const Free& free, const Progress& progress) {
  iterate(std::vector<bool>(free.begin(), free.end()), progress);
  // A place is followed for seconds, and as long it may be off the same way: parts of the whole must be long,
  // though not too few.
  constexpr size_t kParts = 9, kShortest = 5;
  covariance_ = posterior(std::max(kShortest, frames_.size() / kParts), progress).covariance;
}

double LensFit::costPx2() const {
  std::vector<double> sums(frames_.size(), 0), counts(frames_.size(), 0);
  parallelBlocks(static_cast<int>(frames_.size()), 8, [&](int first, int last) {
    for (auto i = static_cast<size_t>(std::max(1, first)); i < static_cast<size_t>(last); ++i) {
      if (frames_[i].pairs.empty()) continue;
      const std::vector<Seen> all = seen(i);
      for (const Seen& o : all) sums[i] += std::min(o.e.squaredNorm(), kWidest_px * kWidest_px);
      // What a lens cannot show at all is as wrong as can be.
      sums[i] += static_cast<double>(frames_[i].pairs.size() - all.size()) * kWidest_px * kWidest_px;
      counts[i] = static_cast<double>(frames_[i].pairs.size());
    }
  });
  double sum = 0, count = 0;
  for (size_t i = 0; i < sums.size(); ++i) sum += sums[i], count += counts[i];
  return count > 0 ? sum / count : 0;
}

}  // namespace glenhaze::detail
