#include "core/motion/solve.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <random>

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/motion/detail/path_solver.h"
#include "core/motion/detail/spline_path.h"
#include "core/motion/detail/step_fit.h"
#include "core/motion/detail/turn_table.h"

namespace glenhaze {

namespace detail {

std::vector<RayPair> raysOf(const FrameTracks& frame, const LensMap& lens) {
  std::vector<RayPair> rays;
  rays.reserve(frame.pairs.size());
  for (const TrackPair& p : frame.pairs.read()) {
    const Point from{p.from_x, p.from_y}, to{p.to_x, p.to_y};
    const auto a = lens.pixelToRay(from), b = lens.pixelToRay(to);
    if (a && b) rays.push_back({*a, *b, from, to});
  }
  return rays;
}

}  // namespace detail

namespace {

using namespace detail;

constexpr int kFewest = 8;              // pairs below which a step is not solved
constexpr int kDraws = 80;              // of two pairs: misses a consensus of 40 % once in a million
constexpr size_t kJury = 64;            // pairs that judge a draw: its score is known to a few per cent
constexpr double kFirstReach_px = 3.0;  // before row times are known
constexpr double kNextReach_px = 0.8;   // behind that: things that move a pixel a frame are told apart
constexpr double kMovingShare = 0.35;

}  // namespace

namespace detail {

namespace {

Ray unitRay(double x, double y, double z) {
  const double s = 1 / std::sqrt(x * x + y * y + z * z);
  return {x * s, y * s, z * s};
}

}  // namespace

Ray withoutShift(const Ray& r, const PathFrame& f) {
  return unitRay(r.x - f.shift.x * r.z, r.y - f.shift.y * r.z, f.scale * r.z);
}

Ray withShift(const Ray& r, const PathFrame& f) {
  return unitRay(f.scale * r.x + f.shift.x * r.z, f.scale * r.y + f.shift.y * r.z, r.z);
}

Eigen::Matrix3d crossOf(const Vector3& v) {
  Eigen::Matrix3d m;
  m << 0, -v.z(), v.y(), v.z(), 0, -v.x(), -v.y(), v.x(), 0;
  return m;
}

Eigen::Matrix3d matrixFrom(const Quaternion& q) {
  const RotationMatrix m = matrixOf(q);
  return Eigen::Map<const Eigen::Matrix<double, 3, 3, Eigen::RowMajor>>(m.m.data());
}

}  // namespace detail

namespace {

// The rotation that takes two directions to two others: their frames (first axis along the first).
std::optional<Eigen::Matrix3d> rotationOfTwo(const Vector3& a1, const Vector3& a2, const Vector3& b1,
                                             const Vector3& b2) {
  const auto frameOf = [](const Vector3& u, const Vector3& v) -> std::optional<Eigen::Matrix3d> {
    const Vector3 n = u.cross(v);
    if (n.norm() < 0.02) return std::nullopt;
    Eigen::Matrix3d m;
    m.col(0) = u;
    m.col(1) = n.normalized();
    m.col(2) = u.cross(m.col(1));
    return m;
  };
  const auto fa = frameOf(a1, a2), fb = frameOf(b1, b2);
  if (!fa || !fb) return std::nullopt;
  return *fa * fb->transpose();
}

Quaternion quaternionFrom(const Eigen::Matrix3d& m) {
  const Eigen::Quaterniond q(m);
  return normalized({q.w(), q.x(), q.y(), q.z()});
}

// Consensus of all pairs for one rotation; `reach` in units of rays.
Quaternion consensus(const Pairs& pairs, double reach, unsigned seed) {
  std::minstd_rand random(seed + 1);
  Eigen::Matrix3d best = Eigen::Matrix3d::Identity();
  double best_score = -1;
  const double per_limit = 1 / (reach * reach);
  const size_t stride = (pairs.size() + kJury - 1) / kJury;
  for (int draw = 0; draw <= kDraws; ++draw) {
    Eigen::Matrix3d q = Eigen::Matrix3d::Identity();
    if (draw > 0) {
      const size_t i = random() % pairs.size(), j = random() % pairs.size();
      if (i == j) continue;
      const auto found = rotationOfTwo(pairs.a[i], pairs.a[j], pairs.b[i], pairs.b[j]);
      if (!found) continue;
      q = *found;
    }
    double score = 0;
    for (size_t k = static_cast<size_t>(draw) % stride; k < pairs.size(); k += stride)
      score += std::max(0.0, 1 - (pairs.a[k] - q * pairs.b[k]).squaredNorm() * per_limit);
    if (score > best_score) {
      best_score = score;
      best = q;
    }
  }
  return quaternionFrom(best);
}

// What a step says of a frame. Frame i sees a direction d along A·q⁻¹d with A = (s, 0, hx; 0, s, hy; 0, 0,
// 1), and the step says that it sees along v what the frame before saw along Q·B·v, B = (1, 0, −hx; 0, 1,
// −hy; 0, 0, eˢ). So A'⁻¹·Q·B = R·A⁻¹ up to scale with R the camera's own turn: orthogonal times upper
// triangular. In a picture that is zoomed in by s, the same turn moves things s times as far.
void append(PathFrame& f, const PathFrame& before, const Step& step) {
  if (step.shift.x == 0 && step.shift.y == 0 && step.log_scale == 0 && before.scale == 1 &&
      before.shift.x == 0 && before.shift.y == 0) {
    f.orientation = normalized(before.orientation * step.turn);
    return;
  }
  Eigen::Matrix3d undo, b;
  undo << 1, 0, -before.shift.x, 0, 1, -before.shift.y, 0, 0, before.scale;
  b << 1, 0, -step.shift.x, 0, 1, -step.shift.y, 0, 0, std::exp(step.log_scale);
  const Eigen::HouseholderQR<Eigen::Matrix3d> qr(undo * matrixFrom(step.turn) * b);
  Eigen::Matrix3d r = qr.householderQ();
  Eigen::Matrix3d u = qr.matrixQR().triangularView<Eigen::Upper>();
  for (int c = 0; c < 3; ++c)
    if (u(c, c) < 0) {
      u.row(c) *= -1;
      r.col(c) *= -1;
    }
  const double side = (u(0, 0) + u(1, 1)) / 2;
  f.orientation = normalized(before.orientation * quaternionFrom(r));
  f.scale = u(2, 2) / side;
  f.shift = {-u(0, 2) / side, -u(1, 2) / side};
}

}  // namespace

namespace detail {

PathSolver::PathSolver(const TrackRecord& record, const Lens& lens, const RowTimes& rows)
    : record_(record),
      lens_(lens),
      rows_(rows),
      pixel_(1 / lens.fx),
      steps_(record.frames.size()),
      fits_(record.frames.size()) {}

template <typename Body>
void PathSolver::forAll(const Progress& progress, Body body) {
  const LensMap map(lens_);
  parallelBlocks(static_cast<int>(steps_.size()), 8, [&](int first, int last) {
    progress.check();
    for (int n = std::max(1, first); n < last; ++n) {
      const auto i = static_cast<size_t>(n);
      if (record_.frames[i].cut) continue;
      const auto rays = raysOf(record_.frames[i], map);
      fits_[i].pairs = static_cast<int>(rays.size());
      if (rays.size() >= kFewest) body(i, rays);
    }
  });
}

void PathSolver::firstRound(const Progress& progress) {
  forAll(progress, [this](size_t i, const std::vector<RayPair>& rays) {
    const Pairs pairs = atMiddles(i, rays, false);
    steps_[i] = {consensus(pairs, kFirstReach_px * pixel_, static_cast<unsigned>(i)), {}, 0, true};
    keep(i, refine(pairs, steps_[i], false, pixel_, Start::Far));
  });
  link();
}

void PathSolver::agreeAgain(const Progress& progress) {
  forAll(progress, [this](size_t i, const std::vector<RayPair>& rays) {
    const Pairs pairs = atMiddles(i, rays, true);
    steps_[i].turn = consensus(pairs, kNextReach_px * pixel_, static_cast<unsigned>(i));
    keep(i, refine(pairs, steps_[i], false, pixel_));
  });
  link();
}

double PathSolver::round(bool full, const Progress& progress) {
  std::vector<double> changes(steps_.size());
  forAll(progress, [&](size_t i, const std::vector<RayPair>& rays) {
    const Quaternion before = steps_[i].turn;
    keep(i, refine(atMiddles(i, rays, true), steps_[i], full, pixel_));
    changes[i] = length(turnOf(inverse(before) * steps_[i].turn));
  });
  link();
  return changes.empty() ? 0 : *std::max_element(changes.begin(), changes.end());
}

bool PathSolver::parallaxHelps(const Progress& progress) const {
  std::vector<double> plain, full;
  const size_t stride = std::max<size_t>(1, steps_.size() / 60);
  const LensMap map(lens_);
  for (size_t i = 1; i < steps_.size(); i += stride) {
    progress.check();
    if (!steps_[i].known) continue;
    const Pairs pairs = atMiddles(i, raysOf(record_.frames[i], map), true);
    plain.push_back(spreadOf(pairs, refine(pairs, steps_[i], false, pixel_)));
    full.push_back(spreadOf(pairs, refine(pairs, steps_[i], true, pixel_)));
  }
  const double a = medianOf(plain), b = medianOf(full);
  return a > 0.12 && b < 0.75 * a;
}

PathFinding PathSolver::finding(bool full) const {
  PathFinding found;
  found.path = path_;
  found.steps = fits_;
  found.shift_and_scale = full;
  std::vector<double> rms;
  for (size_t i = 1; i < fits_.size(); ++i)
    if (steps_[i].known) rms.push_back(fits_[i].rms_px);
  found.rms_px = medianOf(rms);
  return found;
}

// What was seen at its rows' times, as it would have been seen in the middle of the frame.
Pairs PathSolver::atMiddles(size_t i, const std::vector<RayPair>& rays, bool rows) const {
  Pairs pairs;
  pairs.a.reserve(rays.size());
  pairs.b.reserve(rays.size());
  if (!rows) {
    for (const RayPair& p : rays) {
      pairs.a.push_back(toVector(p.a));
      pairs.b.push_back(toVector(p.b));
    }
    return pairs;
  }
  const TurnTable turn_before = turnsSince(path_, i - 1, rows_), turn_now = turnsSince(path_, i, rows_);
  const auto atMiddle = [](const Quaternion& turn, const PathFrame& f, const Ray& ray) {
    return toVector(isPlain(f) ? turn * ray : withShift(turn * withoutShift(ray, f), f));
  };
  const PathFrame &before = path_.frames()[i - 1], &now = path_.frames()[i];
  for (const RayPair& p : rays) {
    pairs.a.push_back(atMiddle(turn_before.at(rows_.at(p.at_a)), before, p.a));
    pairs.b.push_back(atMiddle(turn_now.at(rows_.at(p.at_b)), now, p.b));
  }
  return pairs;
}

void PathSolver::keep(size_t i, const Refined& r) {
  steps_[i] = r.step;
  fits_[i].share = r.share;
  fits_[i].rms_px = r.rms / pixel_;
}

// Middle error of all pairs, px: also those that do not agree count here.
double PathSolver::spreadOf(const Pairs& pairs, const Refined& r) const {
  const Eigen::Matrix3d q = matrixFrom(r.step.turn);
  std::vector<double> errors;
  for (size_t k = 0; k < pairs.size(); ++k) {
    Vector3 b = pairs.b[k];
    b.x() -= r.step.shift.x * b.z();
    b.y() -= r.step.shift.y * b.z();
    b.z() *= std::exp(r.step.log_scale);
    errors.push_back((pairs.a[k] - q * b.normalized()).norm() / pixel_);
  }
  return medianOf(std::move(errors));
}

// The path from all steps.
void PathSolver::link() {
  std::vector<PathFrame> frames(steps_.size());
  Step last;
  for (size_t i = 0; i < frames.size(); ++i) {
    PathFrame& f = frames[i];
    f.time_s = record_.frames[i].time_s;
    if (i == 0) continue;
    const FrameTracks& tracks = record_.frames[i];
    const PathFrame& before = frames[i - 1];
    Step step = steps_[i];
    if (tracks.cut) {
      f.doubt = PathDoubt::Cut;
      f.orientation = before.orientation;
      last = {};
      continue;
    }
    if (!step.known) {
      f.doubt = PathDoubt::Nothing;
      step.turn = rotationOf(turnOf(last.turn) * 0.8);
    } else if (fits_[i].share < kMovingShare) {
      f.doubt = PathDoubt::Moving;
    } else if (blurred(i)) {
      f.doubt = PathDoubt::Blurred;
    }
    append(f, before, step);
    f.confidence =
        step.known ? std::min(1.0, fits_[i].share / 0.7) * std::min(1.0, fits_[i].pairs / 40.0) : 0;
    last = step;
  }
  path_ = CameraPath(std::move(frames));
}

// Less sharp than what came before and than what comes after: a view that just has less detail lasts.
bool PathSolver::blurred(size_t i) const {
  constexpr size_t kAround = 15, kFewest = 3;
  const auto sharpIn = [this](size_t first, size_t end) {
    std::vector<double> values;
    for (size_t j = first; j < end; ++j) values.push_back(static_cast<double>(record_.frames[j].sharpness));
    const auto at = values.begin() + static_cast<ptrdiff_t>(values.size() * 3 / 4);
    std::nth_element(values.begin(), at, values.end());
    return *at;
  };
  const size_t first = i > kAround ? i - kAround : 0, end = std::min(record_.frames.size(), i + 1 + kAround);
  if (i < first + kFewest || end < i + 1 + kFewest) return false;
  const double usual = std::min(sharpIn(first, i), sharpIn(i + 1, end));
  return static_cast<double>(record_.frames[i].sharpness) < 0.6 * usual;
}

}  // namespace detail

PathFinding solvePath(const TrackRecord& record, const Lens& lens, const Shutter& shutter,
                      const SolveOptions& options, const Progress& progress) {
  if (record.width != lens.width || record.height != lens.height)
    throw Error(ErrorKind::BadRequest, "The tracks are of another picture size than the lens", "",
                std::to_string(record.width) + " × " + std::to_string(record.height) + " instead of " +
                    std::to_string(lens.width) + " × " + std::to_string(lens.height),
                "Choose the profile of this mode");
  shutter.validate();
  detail::PathSolver solver(record, lens, RowTimes(shutter, record.width, record.height));
  constexpr double kSettled_rad = 1e-6, kNearEnough_px = 0.01;
  solver.firstRound(progress);
  solver.agreeAgain(progress);
  const auto share = [&](int round) { progress.update((round + 1.0) / (options.rounds + 1)); };
  share(0);
  bool full = options.model == MotionModel::RotationShiftScale;
  for (int round = 0; round < options.rounds; ++round) {
    // Row times first: what they cause would pass for parallax.
    if (round == 1 && options.model == MotionModel::Auto) full = solver.parallaxHelps(progress);
    const double change = solver.round(full && round > 0, progress);
    share(round + 1);
    // A plain step is only where the spline begins; shift and scale stay as they are here.
    if (change < (full ? kSettled_rad : kNearEnough_px / lens.fx) && round > 0) break;
  }
  PathFinding found = solver.finding(full);
  found.path = CameraPath(found.path.frames(),
                          detail::splinesOf(record, lens, signedReadout(shutter), solver, progress));
  return found;
}

}  // namespace glenhaze
