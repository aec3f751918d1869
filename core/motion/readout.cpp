#include "core/motion/readout.h"

#include <algorithm>
#include <cmath>

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/motion/detail/path_solver.h"

namespace glenhaze {

using namespace detail;

namespace {

constexpr size_t kMostFrames = 400;
constexpr size_t kFewestFrames = 12;
constexpr int kMostRounds = 25;
constexpr size_t kBlock = 5;      // frames whose errors go together
constexpr double kTrusted = 3.0;  // standard deviations that a readout must be away from 0

// What one frame says about both readouts, the rotation of its step eliminated.
struct FrameSums {
  Eigen::Matrix2d h = Eigen::Matrix2d::Zero();
  Eigen::Vector2d g = Eigen::Vector2d::Zero();
};

// How a ray of a frame moves per second of row time, at its own row time, in the middle of that frame.
Vector3 driftOf(const CameraPath& path, size_t frame, double offset, const Ray& ray) {
  constexpr double kStep = 5e-4;  // s: far below what shake does
  const Ray later = path.turnSince(frame, offset + kStep) * ray,
            sooner = path.turnSince(frame, offset - kStep) * ray;
  return (toVector(later) - toVector(sooner)) / (2 * kStep);
}

class ReadoutSolver {
 public:
  ReadoutSolver(const TrackRecord& record, const Lens& lens)
      : record_(record), map_(lens), solver_(record, lens, RowTimes()) {}

  /// `axes`: which of x and y are free.
  void solve(std::array<bool, 2> axes, double limit, const Progress& progress) {
    for (int round = 0; round < kMostRounds; ++round) {
      progress.check();
      sum();
      const Eigen::Vector2d change = step(axes);
      readout_ += change;
      readout_ = readout_.cwiseMax(-limit).cwiseMin(limit);
      solver_.setRows(rowsOf(readout_));
      solver_.round(false, progress);
      if (change.norm() < 1e-6) break;
    }
    sum();
    measureSpread(axes);
  }

  void start(const Progress& progress) {
    solver_.firstRound(progress);
    solver_.round(false, progress);
  }

  const Eigen::Vector2d& readout() const { return readout_; }
  Eigen::Vector2d spread() const { return spread_; }
  double rms() const { return std::sqrt(solver_.meanSquare()); }
  PathSolver& solver() { return solver_; }
  RowTimes rowsOf(const Eigen::Vector2d& r) const {
    return {Point{r.x(), r.y()}, record_.width, record_.height};
  }
  void set(const Eigen::Vector2d& r, const Progress& progress) {
    readout_ = r;
    solver_.setRows(rowsOf(r));
    solver_.round(false, progress);
    solver_.round(false, progress);
  }

 private:
  Eigen::Vector2d shares(Point p) const {
    return {p.x / std::max(1, record_.width - 1) - 0.5, p.y / std::max(1, record_.height - 1) - 0.5};
  }

  void sum() {
    sums_.assign(record_.frames.size(), {});
    const RowTimes rows = rowsOf(readout_);
    const CameraPath& path = solver_.path();
    parallelBlocks(static_cast<int>(sums_.size()), 8, [&](int first, int last) {
      for (int n = std::max(1, first); n < last; ++n) sumFrame(static_cast<size_t>(n), rows, path);
    });
  }

  void sumFrame(size_t i, const RowTimes& rows, const CameraPath& path) {
    if (record_.frames[i].cut || !solver_.step(i).known) return;
    const auto rays = raysOf(record_.frames[i], map_);
    const Eigen::Matrix3d q = matrixFrom(solver_.step(i).turn);
    struct One {
      Vector3 e, qb;
      Eigen::Matrix<double, 3, 2> j;
    };
    std::vector<One> all;
    std::vector<double> errors;
    for (const RayPair& p : rays) {
      const double ta = rows.at(p.at_a), tb = rows.at(p.at_b);
      One one;
      const Vector3 a = toVector(path.turnSince(i - 1, ta) * p.a);
      one.qb = q * toVector(path.turnSince(i, tb) * p.b);
      one.e = a - one.qb;
      one.j = driftOf(path, i - 1, ta, p.a) * shares(p.at_a).transpose() -
              q * driftOf(path, i, tb, p.b) * shares(p.at_b).transpose();
      errors.push_back(one.e.norm());
      all.push_back(one);
    }
    if (all.size() < 8) return;
    const double scale = std::clamp(medianOf(errors) / 1.177, 0.03 * solver_.pixel(), 1.5 * solver_.pixel());
    Eigen::Matrix3d n = Eigen::Matrix3d::Zero();
    Eigen::Matrix<double, 3, 2> c = Eigen::Matrix<double, 3, 2>::Zero();
    Vector3 gt = Vector3::Zero();
    FrameSums& to = sums_[i];
    for (size_t k = 0; k < all.size(); ++k) {
      const One& o = all[k];
      const double w = biweight(errors[k] / scale) / (scale * scale);
      if (w <= 0) continue;
      const Eigen::Matrix3d jt = crossOf(o.qb);
      n.noalias() += w * jt.transpose() * jt;
      c.noalias() += w * jt.transpose() * o.j;
      gt.noalias() += w * jt.transpose() * o.e;
      to.h.noalias() += w * o.j.transpose() * o.j;
      to.g.noalias() += w * o.j.transpose() * o.e;
    }
    const Eigen::LDLT<Eigen::Matrix3d> solved(n);
    to.h -= c.transpose() * solved.solve(c);
    to.g -= c.transpose() * solved.solve(gt);
    if (!to.h.allFinite() || !to.g.allFinite()) to = {};
  }

  Eigen::Vector2d step(std::array<bool, 2> axes) const {
    Eigen::Matrix2d h = Eigen::Matrix2d::Zero();
    Eigen::Vector2d g = Eigen::Vector2d::Zero();
    for (const FrameSums& s : sums_) {
      h += s.h;
      g += s.g;
    }
    for (int c = 0; c < 2; ++c)
      if (!axes[static_cast<size_t>(c)]) {
        h.row(c).setZero();
        h.col(c).setZero();
        h(c, c) = 1;
        g(c) = 0;
      }
    const Eigen::Vector2d change = -h.ldlt().solve(g);
    return change.allFinite() ? change : Eigen::Vector2d(Eigen::Vector2d::Zero());
  }

  // The sandwich estimate over blocks of frames: it holds although errors of neighbours go together.
  void measureSpread(std::array<bool, 2> axes) {
    Eigen::Matrix2d h = Eigen::Matrix2d::Zero(), spread = Eigen::Matrix2d::Zero();
    for (size_t i = 0; i < sums_.size(); i += kBlock) {
      Eigen::Vector2d g = Eigen::Vector2d::Zero();
      for (size_t j = i; j < std::min(sums_.size(), i + kBlock); ++j) {
        h += sums_[j].h;
        g += sums_[j].g;
      }
      spread += g * g.transpose();
    }
    for (int c = 0; c < 2; ++c) {
      const double own = h(c, c);
      spread_(c) = axes[static_cast<size_t>(c)] && own > 0 ? std::sqrt(spread(c, c)) / own : 0;
    }
    if (axes[0] && axes[1]) {
      const Eigen::Matrix2d inverse = h.inverse();
      const Eigen::Matrix2d covariance = inverse * spread * inverse;
      for (int c = 0; c < 2; ++c) spread_(c) = std::sqrt(std::max(0.0, covariance(c, c)));
    }
  }

  const TrackRecord& record_;
  LensMap map_;
  PathSolver solver_;
  Eigen::Vector2d readout_ = Eigen::Vector2d::Zero();
  Eigen::Vector2d spread_ = Eigen::Vector2d::Zero();
  std::vector<FrameSums> sums_;
};

// The stretch in which the picture's motion changes most from frame to frame.
TrackRecord mostShaken(const TrackRecord& record) {
  const size_t n = record.frames.size();
  if (n <= kMostFrames) return record;
  std::vector<double> change(n, 0);
  Point before;
  for (size_t i = 1; i < n; ++i) {
    std::vector<double> xs, ys;
    for (const TrackPair& p : record.frames[i].pairs) {
      xs.push_back(static_cast<double>(p.to_x - p.from_x));
      ys.push_back(static_cast<double>(p.to_y - p.from_y));
    }
    const Point now{medianOf(std::move(xs)), medianOf(std::move(ys))};
    change[i] = record.frames[i].cut ? 0 : dot(now - before, now - before);
    before = now;
  }
  double sum = 0, best = -1;
  size_t first = 0;
  for (size_t i = 0; i < n; ++i) {
    sum += change[i];
    if (i >= kMostFrames) sum -= change[i - kMostFrames];
    if (i + 1 >= kMostFrames && sum > best) {
      best = sum;
      first = i + 1 - kMostFrames;
    }
  }
  TrackRecord part{record.width, record.height, {}};
  part.frames.assign(record.frames.begin() + static_cast<ptrdiff_t>(first),
                     record.frames.begin() + static_cast<ptrdiff_t>(first + kMostFrames));
  return part;
}

ScanDirection directionOf(const Eigen::Vector2d& r, bool vertical) {
  if (vertical) return r.y() > 0 ? ScanDirection::Down : ScanDirection::Up;
  return r.x() > 0 ? ScanDirection::Right : ScanDirection::Left;
}

}  // namespace

ShutterFinding measureReadout(const TrackRecord& record, const Lens& lens, double frame_interval_s,
                              const Progress& progress) {
  if (record.width != lens.width || record.height != lens.height)
    throw Error(ErrorKind::BadRequest, "The tracks are of another picture size than the lens", "", "",
                "Choose the profile of this mode");
  const TrackRecord part = mostShaken(record);
  const auto usable = std::count_if(part.frames.begin(), part.frames.end(),
                                    [](const FrameTracks& f) { return f.pairs.size() >= 20; });
  if (static_cast<size_t>(usable) < kFewestFrames)
    throw Error(ErrorKind::Evidence, "The readout cannot be told", "",
                "too little can be tracked in this footage", "Use footage with more detail");
  ReadoutSolver solver(part, lens);
  const Progress quiet = partOf(progress, 0, 0);
  solver.start(quiet);
  progress.update(0.2);
  solver.solve({true, true}, frame_interval_s, quiet);
  const Eigen::Vector2d both = solver.readout();
  const Eigen::Vector2d trust = both.cwiseAbs().cwiseQuotient(solver.spread().cwiseMax(1e-9));
  const bool vertical = std::abs(both.y()) >= std::abs(both.x()) || trust.y() > 2 * trust.x();
  progress.update(0.5);
  solver.set(vertical ? Eigen::Vector2d(0, both.y()) : Eigen::Vector2d(both.x(), 0), quiet);
  solver.solve({!vertical, vertical}, 1.5 * frame_interval_s, quiet);
  progress.update(0.7);

  ShutterFinding found;
  const int axis = vertical ? 1 : 0;
  found.shutter.readout_s = std::abs(solver.readout()(axis));
  found.uncertainty_s = solver.spread()(axis);
  found.shutter.direction = directionOf(solver.readout(), vertical);
  found.share_of_frame = found.shutter.readout_s / frame_interval_s;
  found.frames = static_cast<int>(usable);
  found.residual = solver.rms();
  if (found.uncertainty_s > 0.25 * frame_interval_s)
    throw Error(ErrorKind::Evidence, "The readout cannot be told", "",
                "the camera turns too little, or too evenly", "Use footage that shakes");
  if (found.shutter.readout_s < kTrusted * found.uncertainty_s) {
    found.global = true;
    found.shutter.direction = ScanDirection::Unknown;
    found.warnings.emplace_back(
        "No readout can be seen within the uncertainty: a global shutter, or footage "
        "that shakes too little.");
  }
  const std::vector<std::string> odd =
      found.global ? std::vector<std::string>{} : plausibilityOf(found.shutter, frame_interval_s);
  found.warnings.insert(found.warnings.end(), odd.begin(), odd.end());

  found.kind = ShutterPlot::Disagreement;
  const Eigen::Vector2d best = solver.readout();
  constexpr int kPlot = 8;
  for (int i = -kPlot; i <= kPlot; ++i) {
    Eigen::Vector2d at = best;
    at(axis) = frame_interval_s * 1.1 * i / kPlot;
    solver.set(at, quiet);
    found.plot.emplace_back(at(axis) * 1000, solver.rms());
    progress.update(0.7 + 0.3 * (i + kPlot + 1) / (2 * kPlot + 1));
  }
  return found;
}

}  // namespace glenhaze
