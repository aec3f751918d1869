#include "core/motion/self_calibration.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <memory>
#include <numbers>

#include "core/base/error.h"
#include "core/base/numbers.h"
#include "core/lens/usual.h"
#include "core/motion/detail/lens_fit.h"
#include "core/motion/detail/path_solver.h"
#include "core/motion/detail/spline_path.h"
#include "core/motion/detail/stretch.h"
#include "core/motion/readout.h"

namespace glenhaze {

using namespace detail;

namespace {

constexpr double kLongestShare = 1.5;  // of the frame interval, that is believed of a readout
constexpr size_t kFewestFrames = 20;
constexpr size_t kFewestPairs = 20;        // of a frame that counts
constexpr double kTrusted = 3;             // standard deviations from which a value is told from none
constexpr double kFocalTold = 0.025;       // uncertainty of the focal length with which it is of use
constexpr double kGlobalWithin_s = 0.002;  // three standard deviations below which no readout is none
// What stays off however long one looks, since places are followed a little wrongly the same way (seen on
// photographs, docs/accuracy.md): shares of the focal length and of the bend.
constexpr double kFocalFloor = 0.002, kBendFloor = 0.005;
// What coding adds to that at a coarseness of 1: shares of the focal length, and, of the bend, of half the
// picture's diagonal (seen on coded photographs, likewise).
constexpr double kFocalPull = 0.025, kBendPull = 0.008;
constexpr double kDegrees = 180 / std::numbers::pi;
// How much more a model with as many values must explain to be taken for the usual one, and how much less for
// the other one to be out of the question; as shares of the residuals' mean square.
constexpr double kBetter = 0.05, kOutOfQuestion = 0.3;

constexpr bool kYes = true, kNo = false;
constexpr LensFit::Free kFocalOnly = {kYes, kYes, kYes, kNo, kNo, kNo, kNo};
constexpr LensFit::Free kOneValue = {kYes, kYes, kYes, kYes, kNo, kYes, kYes};
constexpr LensFit::Free kTwoValues = {kYes, kYes, kYes, kYes, kYes, kYes, kYes};

// A fit that begins where another one has come to.
std::unique_ptr<LensFit> begun(const std::vector<SplineFrame>& frames, const Lens& lens, double usual_px,
                               double limit_s, const std::function<Quaternion(double)>& start) {
  return std::make_unique<LensFit>(frames, SplineKnots::of(timesOf(frames), limit_s), lens, usual_px, limit_s,
                                   start);
}

// From the middle to the corner a Kannala–Brandt lens that is like this straight one: tan θ = θ + θ³/3 + ….
Lens asKannalaBrandt(const Lens& lens) {
  Lens other = lens;
  other.model = LensModel::KannalaBrandt;
  other.k = {1.0 / 3 + lens.k[0], 2.0 / 15, 0, 0, 0};
  return other;
}

double deviation(const LensFit& fit, int global) {
  return std::sqrt(std::max(0.0, fit.covariance()(global, global)));
}

// How far the picture's corner is bent, with what is not sure of the lens.
Bend bendOfFit(const LensFit& fit) {
  Bend bend = bendOf(fit.lens());
  Eigen::VectorXd slope = Eigen::VectorXd::Zero(kLensGlobals);
  constexpr double kNudge = 1e-4;
  for (int c = kLogFocal; c < kLensGlobals; ++c) {
    Eigen::VectorXd by = Eigen::VectorXd::Zero(kLensGlobals);
    by(c) = kNudge;
    slope(c) = (bendAt(fit.movedLens(by), bend.at) - bend.value_px) / kNudge;
  }
  bend.uncertainty_px = std::sqrt(std::max(0.0, slope.dot(fit.covariance() * slope)));
  return bend;
}

double widestTurn(const RotationSpline& spline) {
  double widest = 0;
  const size_t step = std::max<size_t>(1, spline.controls().size() / 60);
  for (size_t i = 0; i < spline.controls().size(); i += step)
    for (size_t j = 0; j < i; j += step)
      widest = std::max(widest, length(turnOf(inverse(spline.controls()[i]) * spline.controls()[j])));
  return widest * kDegrees;
}

// How far from the middle places were followed, as a share of the way to the corner.
double seenTo(const TrackRecord& part) {
  std::vector<double> shares;
  const double half = std::hypot(part.width, part.height) / 2;
  for (const FrameTracks& f : part.frames)
    for (const TrackPair& p : f.pairs.read())
      shares.push_back(std::hypot(static_cast<double>(p.to_x) - part.width / 2.0,
                                  static_cast<double>(p.to_y) - part.height / 2.0) /
                       half);
  if (shares.empty()) return 0;
  const auto at = shares.begin() + static_cast<ptrdiff_t>(shares.size() * 99 / 100);
  std::nth_element(shares.begin(), at, shares.end());
  return std::min(1.0, *at);
}

void takeReadout(const LensFit& fit, const CodingDoubt& doubt, FootageLens& found) {
  const Eigen::Vector2d r = fit.readout();
  const Eigen::Vector2d spread(doubt.of(deviation(fit, kReadoutX), r.x()),
                               doubt.of(deviation(fit, kReadoutY), r.y()));
  const int axis =
      std::abs(r.y()) / std::max(1e-9, spread.y()) >= std::abs(r.x()) / std::max(1e-9, spread.x());
  found.readout_uncertainty_s = spread(axis);
  found.shutter.readout_s = std::abs(r(axis));
  if (std::abs(r(axis)) > kTrusted * spread(axis)) {
    found.readout_told = true;
    found.shutter.direction = axis == 1 ? (r.y() > 0 ? ScanDirection::Down : ScanDirection::Up)
                                        : (r.x() > 0 ? ScanDirection::Right : ScanDirection::Left);
  } else {
    found.readout_told = kTrusted * spread.maxCoeff() < kGlobalWithin_s;
    found.shutter = {};
  }
}

std::vector<double> deviationsOf(const LensFit& fit) {
  const double focal = deviation(fit, kLogFocal) * fit.lens().fx, width = fit.lens().width;
  std::vector<double> values(4 + static_cast<size_t>(numCoefficients(fit.lens().model)), 0);
  values[0] = values[1] = focal;
  values[2] = deviation(fit, kCentreX) * width;
  values[3] = deviation(fit, kCentreY) * width;
  values[4] = deviation(fit, kK1);
  values[5] = deviation(fit, kK2);
  return values;
}

// The lens of a stretch, from the lens that is usual on.
class Calibration {
 public:
  Calibration(const TrackRecord& part, double frame_interval_s, const Coding& coding,
              const Progress& progress)
      : part_(part),
        progress_(progress),
        coarseness_(coarsenessOf(part, coding)),
        doubt_(codingDoubtOf(part, coding)),
        limit_s_(kLongestShare * frame_interval_s),
        usual_(usualLens(part.width, part.height)) {}

  FootageLens solve() {
    PathSolver solver(part_, usual_, RowTimes());
    const Progress quiet = partOf(progress_, 0, 0);
    solver.firstRound(quiet);
    solver.round(false, quiet);
    frames_ = splineFrames(part_, LensMap(usual_), solver, 0, part_.frames.size());
    progress_.update(0.1);
    const CameraPath& path = solver.path();
    auto plain = begun(frames_, usual_, usual_.fx, limit_s_,
                       [&path](double t) { return path.orientationAt(t, frameAt(path, t)); });
    plain->solve(kFocalOnly, quiet);
    progress_.update(0.3);
    const Fits bent = bestBent(*plain);
    FootageLens found = described(*plain, bent);
    checkThatItOnlyTurns(found);
    progress_.update(1);
    return found;
  }

 private:
  using Fit = std::unique_ptr<LensFit>;
  // What is taken, and others that explain the footage as well.
  struct Fits {
    Fit taken;
    std::vector<Fit> rivals;
  };

  // Of both models with two values the one that explains more; with one where the second says nothing.
  Fits bestBent(const LensFit& plain) {
    const Progress quiet = partOf(progress_, 0, 0);
    auto brown = next(plain, plain.lens());
    brown->solve(kOneValue, quiet);
    brown->solve(kTwoValues, quiet);
    progress_.update(0.6);
    auto kannala = next(*brown, asKannalaBrandt(brown->lens()));
    kannala->solve(kTwoValues, quiet);
    progress_.update(0.85);
    const double ahead = (brown->costPx2() - kannala->costPx2()) / (brown->rmsPx() * brown->rmsPx());
    Fits fits;
    if (ahead > kBetter) {
      fits.taken = std::move(kannala);
      if (ahead < kOutOfQuestion) fits.rivals.push_back(std::move(brown));
      return fits;
    }
    if (std::abs(brown->lens().k[1]) > kTrusted * deviation(*brown, kK2)) {
      fits.taken = std::move(brown);
    } else {
      Lens simpler = brown->lens();
      simpler.k[1] = 0;
      fits.taken = next(*brown, simpler);
      fits.taken->solve(kOneValue, quiet);
      fits.rivals.push_back(std::move(brown));
    }
    if (ahead > -kOutOfQuestion) fits.rivals.push_back(std::move(kannala));
    return fits;
  }

  Fit next(const LensFit& from, const Lens& lens) {
    auto fit = begun(frames_, lens, usual_.fx, limit_s_, [&from](double t) { return from.spline().at(t); });
    fit->beginWithReadout(from.readout());
    return fit;
  }

  Bend bendWith(const Fits& fits) const {
    Bend bend = bendOfFit(*fits.taken);
    double rivals = 0;
    for (const Fit& fit : fits.rivals)
      rivals = std::max(rivals, std::abs(bendAt(fit->lens(), bend.at) - bend.value_px));
    const double coded = kBendPull * coarseness_ * std::hypot(part_.width, part_.height) / 2;
    bend.uncertainty_px =
        std::hypot(std::hypot(bend.uncertainty_px, rivals, kBendFloor * bend.value_px), coded);
    return bend;
  }

  FootageLens described(const LensFit& plain, const Fits& bent) const {
    FootageLens found;
    const Bend bend = bendWith(bent);
    found.bend_told = std::abs(bend.value_px) > kTrusted * bend.uncertainty_px;
    const LensFit& taken = found.bend_told ? *bent.taken : plain;
    found.lens = taken.lens();
    found.bend = bend;
    double rivals = 0;
    const auto rival = [&](const LensFit& fit) {
      rivals = std::max(rivals, std::abs(std::log(fit.lens().fx / taken.lens().fx)));
    };
    for (const Fit& fit : bent.rivals) rival(*fit);
    if (!found.bend_told) {
      found.bend = bendOf(found.lens);
      found.bend.value_px = 0;
      found.bend.uncertainty_px = std::hypot(bend.value_px, bend.uncertainty_px);
      rival(*bent.taken);
    }
    found.focal_uncertainty =
        std::hypot(std::hypot(deviation(taken, kLogFocal), rivals, kFocalFloor), kFocalPull * coarseness_);
    found.stddev = deviationsOf(taken);
    found.stddev[0] = found.stddev[1] = found.focal_uncertainty * found.lens.fx;
    takeReadout(taken, doubt_, found);
    found.turned_deg = widestTurn(taken.spline());
    found.seen_to = seenTo(part_);
    found.rms_px = taken.rmsPx();
    found.frames = static_cast<int>(part_.frames.size());
    found.usable = found.focal_uncertainty < kFocalTold;
    if (!found.usable)
      found.why =
          "The focal length cannot be told here (± " + fixedText(100 * found.focal_uncertainty, 0) +
          " %): the camera turns too little, or moves through the scene. Use footage in which it turns "
          "by 15° or more about where it stands.";
    constexpr double kFarOut = 0.8;  // of the way to the corner
    if (found.usable && found.seen_to < kFarOut)
      found.warnings.push_back("Places were followed out to " + fixedText(100 * found.seen_to, 0) +
                               " % of the way to the corner; the bend beyond is extended.");
    return found;
  }

  // What moves through the scene sees near and far things part: no turning explains that, and a lens would.
  void checkThatItOnlyTurns(FootageLens& found) const {
    if (!found.usable) return;
    const Progress quiet = partOf(progress_, 0, 0);
    PathSolver solver(part_, found.lens, RowTimes(found.shutter, part_.width, part_.height));
    solver.firstRound(quiet);
    solver.round(false, quiet);
    if (!solver.parallaxHelps(quiet)) return;
    found.usable = false;
    found.why =
        "The camera moves through the scene or zooms here: near and far things part, which would pass for a "
        "lens. Use footage in which it turns about where it stands.";
  }

  const TrackRecord& part_;
  const Progress& progress_;
  double coarseness_;
  CodingDoubt doubt_;
  double limit_s_;
  Lens usual_;
  std::vector<SplineFrame> frames_;
};

}  // namespace

ShutterFinding FootageLens::readout() const {
  ShutterFinding found;
  found.shutter = shutter;
  found.uncertainty_s = readout_uncertainty_s;
  found.frames = frames;
  found.residual = rms_px;
  found.global = readout_told && !shutter.rolls();
  return found;
}

FootageLens measureLensFrom(const TrackRecord& record, double frame_interval_s, const Coding& coding,
                            const Progress& progress) {
  const TrackRecord part = stretchWithMost(motionsOf(record), record, frame_interval_s);
  const auto usable = std::count_if(part.frames.begin(), part.frames.end(),
                                    [](const FrameTracks& f) { return f.pairs.size() >= kFewestPairs; });
  if (static_cast<size_t>(usable) < kFewestFrames)
    throw Error(ErrorKind::Evidence, "The lens cannot be told from this footage", "",
                "too little can be tracked in it", "Use footage with more detail in which the camera turns");
  return Calibration(part, frame_interval_s, coding, progress).solve();
}

}  // namespace glenhaze
