#include "core/lens/chart.h"

#include <ceres/ceres.h>
#include <ceres/rotation.h>

#include <algorithm>
#include <cmath>
#include <memory>
#include <numeric>
#include <opencv2/calib3d.hpp>
#include <opencv2/imgproc.hpp>
#include <optional>

#include "core/base/error.h"
#include "core/base/numbers.h"
#include "core/base/parallel.h"
#include "core/frame/rgb.h"
#include "core/lens/coverage.h"
#include "core/lens/detail/model_math.h"
#include "core/lens/detail/solve.h"

namespace glenhaze {

using detail::Intrinsics;

namespace {

constexpr int kLeastViews = 3;
constexpr double kOutlierTimes = 2.5;  // a view with this many times the median residual is left out
constexpr double kOutlierLeast_px = 0.4;

using Board = std::vector<cv::Point3d>;

Board boardOf(const ChartSpec& spec) {
  Board board;
  for (int r = 0; r < spec.rows; ++r)
    for (int c = 0; c < spec.columns; ++c) board.emplace_back(c * spec.square_mm, r * spec.square_mm, 0);
  return board;
}

using PoseVector = std::array<double, 6>;  // rotation vector, translation in mm

struct CornerCost {
  LensModel model;
  cv::Point3d board;
  Point seen;

  template <typename T>
  bool operator()(const T* lens, const T* pose, T* residual) const {
    const T p[3] = {T(board.x), T(board.y), T(board.z)};
    T q[3];
    ceres::AngleAxisRotatePoint(pose, p, q);
    for (int i = 0; i < 3; ++i) q[i] += pose[3 + i];
    if (model != LensModel::KannalaBrandt && !(q[2] > T(1e-6))) return false;
    const auto d = detail::bend(model, q[0], q[1], q[2], lens + 4);
    residual[0] = lens[0] * d.x + lens[2] - T(seen.x);
    residual[1] = lens[1] * d.y + lens[3] - T(seen.y);
    return true;
  }
};

struct Solution {
  Intrinsics lens{};
  std::vector<PoseVector> poses;
  double rss = 1e300;
  bool converged = false;
};

// Poses for a guessed lens: corners back through the lens onto the plane z = 1, then a plain PnP.
bool guessPoses(const Lens& lens, const std::vector<const ChartView*>& views, const Board& board,
                Solution& solution) {
  const LensMap map(lens);
  solution.poses.clear();
  for (const ChartView* view : views) {
    std::vector<cv::Point3d> object;
    std::vector<cv::Point2d> image;
    for (size_t i = 0; i < board.size(); ++i) {
      const auto ray = map.pixelToRay(view->corners[i]);
      if (!ray || ray->z < 0.1) continue;
      object.push_back(board[i]);
      image.emplace_back(ray->x / ray->z, ray->y / ray->z);
    }
    if (object.size() < 8) return false;
    cv::Vec3d r, t;
    if (!cv::solvePnP(object, image, cv::Matx33d::eye(), cv::noArray(), r, t, false, cv::SOLVEPNP_ITERATIVE))
      return false;
    solution.poses.push_back({r[0], r[1], r[2], t[0], t[1], t[2]});
  }
  return true;
}

// A model with its first `coefficients` radial terms free; the others stay zero.
struct Variant {
  LensModel model = LensModel::BrownConrady;
  int coefficients = 5;
};

std::vector<int> heldOf(const Variant& v) {
  std::vector<int> held = detail::unusedOf(v.model);
  // Brown–Conrady: k3 is the last of its five. Kannala–Brandt: k3 and k4 follow k1 and k2.
  for (int i = 4 + v.coefficients; i < 4 + numCoefficients(v.model); ++i) held.push_back(i);
  return held;
}

void buildProblem(ceres::Problem& problem, const Variant& variant, const std::vector<const ChartView*>& views,
                  const Board& board, Solution& s) {
  for (size_t v = 0; v < views.size(); ++v)
    for (size_t i = 0; i < board.size(); ++i)
      problem.AddResidualBlock(new ceres::AutoDiffCostFunction<CornerCost, 2, 9, 6>(
                                   new CornerCost{variant.model, board[i], views[v]->corners[i]}),
                               nullptr, s.lens.data(), s.poses[v].data());
  const auto held = heldOf(variant);
  if (!held.empty()) problem.SetManifold(s.lens.data(), new ceres::SubsetManifold(9, held));
}

void minimise(const Variant& variant, const std::vector<const ChartView*>& views, const Board& board,
              Solution& s, int iterations) {
  ceres::Problem problem;
  buildProblem(problem, variant, views, board, s);
  ceres::Solver::Options options;
  options.linear_solver_type = ceres::DENSE_SCHUR;
  options.max_num_iterations = iterations;
  options.function_tolerance = 1e-12;
  options.parameter_tolerance = 1e-10;
  options.num_threads = 2;
  options.logging_type = ceres::SILENT;
  ceres::Solver::Summary summary;
  ceres::Solve(options, &problem, &summary);
  s.rss = 2 * summary.final_cost;
  s.converged = summary.IsSolutionUsable() && std::isfinite(s.rss);
}

Solution solveModel(const Variant& variant, const std::vector<const ChartView*>& views, const Board& board,
                    int width, int height) {
  // Several focal lengths to start from: the picture may show 40° or 160°.
  Solution best;
  for (const double share : {0.32, 0.45, 0.6, 0.8, 1.1, 1.6}) {
    Lens guess = straightLens(width, height, share * width);
    guess.model = variant.model;
    Solution s;
    s.lens = detail::intrinsicsOf(guess);
    if (!guessPoses(guess, views, board, s)) continue;
    minimise(variant, views, board, s, 25);
    if (s.converged && s.lens[0] > 0 && s.lens[1] > 0 && s.rss < best.rss) best = s;
  }
  if (best.converged) minimise(variant, views, board, best, 200);
  return best;
}

// Of the lens's nine values, by what the residuals leave; empty where it cannot be told.
std::optional<std::array<double, 81>> covarianceOf(const Variant& variant,
                                                   const std::vector<const ChartView*>& views,
                                                   const Board& board, Solution s) {
  ceres::Problem problem;
  buildProblem(problem, variant, views, board, s);
  ceres::Covariance::Options options;
  options.algorithm_type = ceres::DENSE_SVD;
  options.null_space_rank = -1;
  ceres::Covariance covariance(options);
  const std::vector<std::pair<const double*, const double*>> blocks = {{s.lens.data(), s.lens.data()}};
  if (!covariance.Compute(blocks, &problem)) return std::nullopt;
  std::array<double, 81> c{};
  if (!covariance.GetCovarianceBlock(s.lens.data(), s.lens.data(), c.data())) return std::nullopt;
  const auto count = static_cast<double>(2 * views.size() * board.size());
  const double used = 4 + variant.coefficients + 6.0 * static_cast<double>(views.size());
  const double variance = s.rss / std::max(1.0, count - used);
  for (double& value : c) value *= variance;
  return c;
}

std::vector<double> deviations(const Variant& variant, const std::vector<const ChartView*>& views,
                               const Board& board, const Solution& s) {
  std::vector<double> out;
  if (const auto c = covarianceOf(variant, views, board, s))
    for (size_t i = 0; i < static_cast<size_t>(4 + numCoefficients(variant.model)); ++i)
      out.push_back(std::sqrt(std::max(0.0, (*c)[i * 9 + i])));
  return out;
}

void fillResiduals(LensModel model, const Solution& s, const Board& board,
                   const std::vector<ChartView*>& views) {
  for (size_t v = 0; v < views.size(); ++v) {
    ChartView& view = *views[v];
    view.residuals.clear();
    double sum = 0;
    for (size_t i = 0; i < board.size(); ++i) {
      double r[2] = {0, 0};
      CornerCost{model, board[i], view.corners[i]}(s.lens.data(), s.poses[v].data(), r);
      view.residuals.push_back({-r[0], -r[1]});
      sum += r[0] * r[0] + r[1] * r[1];
    }
    view.rms_px = std::sqrt(sum / static_cast<double>(board.size()));
  }
}

std::vector<ChartView*> inUse(std::vector<ChartView>& views) {
  std::vector<ChartView*> used;
  for (ChartView& view : views)
    if (view.left_out.empty()) used.push_back(&view);
  return used;
}

std::vector<const ChartView*> asConst(const std::vector<ChartView*>& views) {
  return {views.begin(), views.end()};
}

void requireViews(size_t count) {
  if (count < kLeastViews)
    throw Error(
        ErrorKind::Evidence, "The chart was not seen often enough", "",
        std::to_string(count) + " usable views, at least " + std::to_string(kLeastViews) + " are needed",
        "Film the whole chart from more sides, filling the picture, held still for a moment each time");
}

// Leaves out views whose residual is far above the others'; true when any was.
bool rejectOutliers(const std::vector<ChartView*>& views) {
  std::vector<double> all;
  for (const ChartView* v : views) all.push_back(v->rms_px);
  std::nth_element(all.begin(), all.begin() + static_cast<ptrdiff_t>(all.size() / 2), all.end());
  const double limit = std::max(kOutlierLeast_px, kOutlierTimes * all[all.size() / 2]);
  bool any = false;
  size_t left = views.size();
  for (ChartView* v : views)
    if (v->rms_px > limit && left > kLeastViews) {
      v->left_out = "does not fit: " + fixedText(v->rms_px, 2) + " px where the others leave " +
                    fixedText(all[all.size() / 2], 2) + " px";
      --left;
      any = true;
    }
  return any;
}

// All shapes of the models that are tried, the whole one of each first.
std::vector<Variant> variantsFor(std::optional<LensModel> model) {
  const std::vector<Variant> all = {{LensModel::BrownConrady, 5},  {LensModel::BrownConrady, 4},
                                    {LensModel::KannalaBrandt, 4}, {LensModel::KannalaBrandt, 2},
                                    {LensModel::KannalaBrandt, 1}, {LensModel::Division, 1}};
  std::vector<Variant> wanted;
  for (const Variant& v : all)
    if (model ? v.model == *model : v.model != LensModel::Division) wanted.push_back(v);
  // A model chosen by hand is the whole model, as the user knows it.
  if (model) wanted.resize(1);
  return wanted;
}

// One shape of a model with its solution.
struct Tried {
  ModelFit fit;
  Variant variant;
  Solution solution;
  double views_score = 1e300;  // by Bayes' criterion
  double score = 1e300;        // the same, models that fold over behind all others
};

constexpr double kClearly =
    10;                         // in units of the criterion, by which a model with more values must be better
constexpr double kAsGood = 16;  // models this near to the best have a say in what is not known

// Of those that explain the views about as well the one with fewest values comes first: views of one chart
// are never quite independent, and a thousandth of a pixel decides nothing.
void putSimplestFirst(std::vector<Tried>& tried) {
  std::stable_sort(tried.begin(), tried.end(),
                   [](const Tried& a, const Tried& b) { return a.score < b.score; });
  size_t best = 0;
  for (size_t i = 1; i < tried.size(); ++i)
    if (tried[i].score < tried[0].score + kClearly &&
        tried[i].variant.coefficients < tried[best].variant.coefficients)
      best = i;
  std::rotate(tried.begin(), tried.begin() + static_cast<ptrdiff_t>(best),
              tried.begin() + static_cast<ptrdiff_t>(best) + 1);
}

// What the bend at a place is without one group of views after the other.
double deviationOfViews(const Tried& best, const std::vector<const ChartView*>& views, const Board& board,
                        const Lens& lens, Point at) {
  constexpr size_t kMostGroups = 10;
  constexpr int kIterations = 40;
  const size_t groups = std::min(kMostGroups, views.size());
  std::vector<double> bends;
  for (size_t g = 0; g < groups; ++g) {
    std::vector<const ChartView*> left;
    Solution s = best.solution;
    s.poses.clear();
    for (size_t v = 0; v < views.size(); ++v) {
      if (v % groups == g) continue;
      left.push_back(views[v]);
      s.poses.push_back(best.solution.poses[v]);
    }
    if (left.size() < 2) continue;
    minimise(best.variant, left, board, s, kIterations);
    if (s.converged)
      bends.push_back(bendAt(detail::lensOf(s.lens, best.fit.model, lens.width, lens.height), at));
  }
  return leftOutDeviation(bends, groups);
}

// What the residuals say of the bend at a place, px.
double deviationByResiduals(const Tried& t, const std::vector<const ChartView*>& views, const Board& board,
                            int width, int height, Point at) {
  const auto c = covarianceOf(t.variant, views, board, t.solution);
  if (!c) return 0;
  std::array<double, 9> slope{};
  for (size_t i = 0; i < slope.size(); ++i) {
    // A step of one standard deviation: where the bend is no longer straight in it, that counts.
    const double step = std::sqrt(std::max(0.0, (*c)[i * 9 + i]));
    if (step <= 0) continue;
    Intrinsics more = t.solution.lens, less = more;
    more[i] += step / 2;
    less[i] -= step / 2;
    slope[i] = (bendAt(detail::lensOf(more, t.fit.model, width, height), at) -
                bendAt(detail::lensOf(less, t.fit.model, width, height), at)) /
               step;
  }
  double sum = 0;
  for (size_t i = 0; i < slope.size(); ++i)
    for (size_t j = 0; j < slope.size(); ++j) sum += slope[i] * slope[j] * (*c)[i * 9 + j];
  return std::sqrt(std::max(0.0, sum));
}

// Standard deviation of the bend: without views, and by what models that explain the views about as well say
// otherwise. A value that the views do not settle is still there: the richest of those models says what it
// does to the corner.
double bendDeviation(const std::vector<Tried>& tried, const std::vector<const ChartView*>& views,
                     const Board& board, const Lens& lens, const Bend& bend) {
  constexpr double kOfRange = 0.3;     // the farthest of several is about two standard deviations off
  constexpr double kFoldsOver = 0.07;  // of the bend, seen on drawn charts that leave the corners bare
  const double least = std::min_element(tried.begin(), tried.end(), [](const Tried& a, const Tried& b) {
                         return a.views_score < b.views_score;
                       })->views_score;
  double off = 0;
  const Tried* richest = &tried[0];
  for (const Tried& t : tried) {
    if (t.views_score > least + kAsGood) continue;
    if (!t.fit.usable) {
      // As good where there are views, and impossible where there are none: they do not settle the corner.
      off = std::max(off, kFoldsOver / kOfRange * std::abs(bend.value_px));
      continue;
    }
    const Lens other = detail::lensOf(t.solution.lens, t.fit.model, lens.width, lens.height);
    off = std::max(off, std::abs(bendAt(other, bend.at) - bend.value_px));
    if (t.variant.coefficients > richest->variant.coefficients) richest = &t;
  }
  const double own = deviationOfViews(tried[0], views, board, lens, bend.at);
  const double rich = richest == &tried[0] ? own : deviationOfViews(*richest, views, board, lens, bend.at);
  if (own < 0 && rich < 0) return -1;
  // Few views say little about their own spread; the residuals then say more.
  const double left = deviationByResiduals(*richest, views, board, lens.width, lens.height, bend.at);
  return std::hypot(std::max({own, rich, left}), kOfRange * off);
}

// The best fit of another model than the first.
const ModelFit* rivalOf(const std::vector<ModelFit>& fits) {
  for (const ModelFit& f : fits)
    if (f.model != fits.front().model) return &f;
  return nullptr;
}

std::string comparison(const ModelFit& best, const ModelFit& other) {
  return lensModelTitle(best.model) + " leaves " + fixedText(best.rms_px, 3) + " px, " +
         lensModelTitle(other.model) + " " + fixedText(other.rms_px, 3) + " px" +
         (other.usable ? "" : " and folds over inside the picture");
}

}  // namespace

void ChartSpec::validate() const {
  if (columns < 3 || rows < 3 || columns > 60 || rows > 60)
    throw Error(ErrorKind::BadRequest, "A chart has 3 to 60 inner corners each way", "",
                std::to_string(columns) + "x" + std::to_string(rows),
                "Count the corners where four squares meet");
  if (!(square_mm > 0 && square_mm < 10000))
    throw Error(ErrorKind::BadRequest, "The square size is not usable", "", std::to_string(square_mm) + " mm",
                "");
}

namespace {

// Corners at a reduced size first: most frames of a shot hold no chart, or not the whole of it, and are
// passed over quickly. Then again at full size, only where the chart is.
std::vector<cv::Point2f> locateCorners(const cv::Mat& image, cv::Size size) {
  constexpr double kQuickWidth = 800;
  const double scale = std::min(1.0, kQuickWidth / image.cols);
  cv::Mat small;
  cv::resize(image, small, {}, scale, scale, cv::INTER_AREA);
  std::vector<cv::Point2f> rough;
  if (!cv::findChessboardCornersSB(small, size, rough, cv::CALIB_CB_NORMALIZE_IMAGE) &&
      !cv::findChessboardCornersSB(small, size, rough,
                                   cv::CALIB_CB_NORMALIZE_IMAGE | cv::CALIB_CB_EXHAUSTIVE))
    return {};
  for (cv::Point2f& p : rough)
    p = {static_cast<float>((p.x + 0.5) / scale - 0.5), static_cast<float>((p.y + 0.5) / scale - 0.5)};
  cv::Rect area = cv::boundingRect(rough);
  // Half a square and more of margin, so that the outer squares are whole.
  const int margin = 24 + std::max(area.width, area.height) / std::min(size.width, size.height);
  area = cv::Rect(area.x - margin, area.y - margin, area.width + 2 * margin, area.height + 2 * margin) &
         cv::Rect(0, 0, image.cols, image.rows);
  std::vector<cv::Point2f> corners;
  if (cv::findChessboardCornersSB(image(area), size, corners,
                                  cv::CALIB_CB_NORMALIZE_IMAGE | cv::CALIB_CB_ACCURACY))
    for (cv::Point2f& p : corners) p += cv::Point2f(area.tl());
  else
    corners = rough;
  // The detector places corners to a few tenths of a pixel; the saddle of the gradients to hundredths. Its
  // window must stay inside the squares next to the corner, which are smallest where the chart is far.
  double square = 1e9;
  for (int r = 0; r < size.height; ++r)
    for (int c = 0; c + 1 < size.width; ++c)
      square = std::min(square, cv::norm(corners[static_cast<size_t>(r * size.width + c)] -
                                         corners[static_cast<size_t>(r * size.width + c + 1)]));
  const int window = std::clamp(static_cast<int>(square * 0.35), 2, 9);
  cv::cornerSubPix(image, corners, {window, window}, {-1, -1},
                   {cv::TermCriteria::EPS | cv::TermCriteria::COUNT, 60, 0.002});
  return corners;
}

// Those candidates that converge.
std::vector<Tried> tryAll(const std::vector<Variant>& candidates, const std::vector<ChartView*>& used,
                          const Board& board, int width, int height, const Progress& progress) {
  std::vector<Tried> tried;
  for (const Variant& candidate : candidates) {
    progress.check();
    Tried t;
    t.variant = candidate;
    t.fit.model = candidate.model;
    t.solution = solveModel(candidate, asConst(used), board, width, height);
    if (!t.solution.converged) continue;
    const auto corners = static_cast<int>(used.size() * board.size());
    t.fit.rms_px = std::sqrt(t.solution.rss / corners);
    t.fit.usable = LensMap(detail::lensOf(t.solution.lens, candidate.model, width, height)).coversPicture();
    t.views_score = detail::informationCriterion(t.solution.rss, 2 * corners, 4 + candidate.coefficients);
    t.score = t.views_score + (t.fit.usable ? 0 : 1e9);
    tried.push_back(std::move(t));
  }
  return tried;
}

void warnOfFit(ChartFinding& finding, bool usable) {
  const std::string bare = uncoveredCorners(finding.covered);
  if (!bare.empty())
    finding.warnings.push_back("No view covers " + bare + ". The bend there is extended: " +
                               fixedText(std::abs(finding.bend.value_px), 1) + " ± " +
                               fixedText(std::max(0.0, finding.bend.uncertainty_px), 1) + " px" +
                               (finding.bend.at_corner ? " at the corner." : " at 50° from the axis."));
  if (finding.views_used < 8)
    finding.warnings.push_back("Only " + std::to_string(finding.views_used) +
                               " views: more would steady the values.");
  if (finding.rms_px > 1)
    finding.warnings.emplace_back("The fit is poor: is the chart flat, and did it fill the picture?");
  if (!usable) finding.warnings.emplace_back("The model folds over inside the picture; try another one.");
}

}  // namespace

std::optional<ChartView> findChart(const Frame& frame, const ChartSpec& spec) {
  spec.validate();
  std::vector<uint8_t> luma = luma8(frame);
  const cv::Mat image(frame.height, frame.width, CV_8U, luma.data());
  const std::vector<cv::Point2f> corners = locateCorners(image, {spec.columns, spec.rows});
  if (corners.empty()) return std::nullopt;
  ChartView view;
  view.frame = std::max<int64_t>(0, frame.index);
  for (const auto& c : corners) view.corners.push_back({static_cast<double>(c.x), static_cast<double>(c.y)});
  cv::Mat laplacian;
  cv::Laplacian(image, laplacian, CV_32F);
  const cv::Rect area = cv::boundingRect(corners) & cv::Rect(0, 0, frame.width, frame.height);
  view.sharpness = cv::mean(laplacian(area).mul(laplacian(area)))[0];
  return view;
}

void pickViews(std::vector<ChartView>& views, int width, int height, int most) {
  // Greedy: each time the view that adds most new area, sharp ones preferred, until nothing is new.
  double sharpest = 0;
  for (const ChartView& v : views) sharpest = std::max(sharpest, v.sharpness);
  std::vector<size_t> open;
  for (size_t i = 0; i < views.size(); ++i)
    if (views[i].left_out.empty()) open.push_back(i);
  std::vector<const ChartView*> taken;
  const double diagonal = std::hypot(width, height);
  while (!open.empty()) {
    size_t best = 0;
    double best_score = -1;
    for (size_t n = 0; n < open.size(); ++n) {
      const ChartView& v = views[open[n]];
      // How far its corners lie from those of the nearest view taken, in shares of the diagonal.
      double nearest = 1;
      for (const ChartView* t : taken) {
        double sum = 0;
        for (size_t i = 0; i < v.corners.size(); ++i) sum += length(v.corners[i] - t->corners[i]);
        nearest = std::min(nearest, sum / static_cast<double>(v.corners.size()) / diagonal);
      }
      const double score = nearest * (0.3 + 0.7 * v.sharpness / std::max(1e-9, sharpest));
      if (score > best_score) {
        best_score = score;
        best = n;
      }
    }
    ChartView& view = views[open[best]];
    open.erase(open.begin() + static_cast<ptrdiff_t>(best));
    if (static_cast<int>(taken.size()) >= most) {
      view.left_out = "not needed: enough views";
    } else if (!taken.empty() && best_score < 0.012) {
      view.left_out = "shows the chart in the same place as another view";
    } else {
      taken.push_back(&view);
    }
  }
}

ChartFinding solveChart(std::vector<ChartView> views, int width, int height, const ChartSpec& spec,
                        std::optional<LensModel> model, const Progress& progress) {
  spec.validate();
  const Board board = boardOf(spec);
  ChartFinding finding;
  finding.views = std::move(views);
  requireViews(inUse(finding.views).size());
  const std::vector<Variant> candidates = variantsFor(model);
  std::vector<Tried> tried;
  for (int round = 0; round < 3; ++round) {
    const auto used = inUse(finding.views);
    tried = tryAll(candidates, used, board, width, height, progress);
    if (tried.empty())
      throw Error(ErrorKind::Evidence, "No lens model fits these views", "", "",
                  "Film the chart again, flat and whole in the picture");
    putSimplestFirst(tried);
    fillResiduals(tried[0].fit.model, tried[0].solution, board, used);
    progress.update((round + 1) / 3.0);
    if (!rejectOutliers(used)) break;
  }
  const auto used = inUse(finding.views);
  const Tried& best = tried.front();
  finding.lens = detail::lensOf(best.solution.lens, best.fit.model, width, height);
  finding.bend = bendOf(finding.lens);
  finding.bend.uncertainty_px = bendDeviation(tried, asConst(used), board, finding.lens, finding.bend);
  finding.rms_px = best.fit.rms_px;
  finding.views_used = static_cast<int>(used.size());
  finding.stddev = deviations(best.variant, asConst(used), board, best.solution);
  for (const Tried& t : tried) finding.fits.push_back(t.fit);
  finding.model_reason = model                   ? "Chosen by hand."
                         : rivalOf(finding.fits) ? comparison(tried[0].fit, *rivalOf(finding.fits)) + "."
                                                 : "The only model that converged.";
  std::vector<std::vector<Point>> sets;
  for (const ChartView* v : used) sets.push_back(v->corners);
  finding.covered = coveredByHulls(sets, width, height);
  finding.coverage = coveredShare(finding.covered);
  warnOfFit(finding, best.fit.usable);
  return finding;
}

std::string chartPdf(const ChartSpec& spec) {
  spec.validate();
  // A4 landscape in points; written by hand because a page of rectangles needs no library.
  constexpr double kWidth = 841.89, kHeight = 595.28, kPerMm = 72 / 25.4;
  const int columns = spec.columns + 1, rows = spec.rows + 1;
  const double cell = std::min({spec.square_mm * kPerMm, (kWidth - 40) / columns, (kHeight - 70) / rows});
  const double x0 = (kWidth - cell * columns) / 2, y0 = (kHeight - cell * rows) / 2 + 10;
  std::string page = "0 g\n";
  const std::string side = fixedText(cell, 3);
  for (int r = 0; r < rows; ++r)
    for (int c = 0; c < columns; ++c)
      if ((r + c) % 2 == 0)
        page += fixedText(x0 + c * cell, 3) + " " + fixedText(y0 + r * cell, 3) + " " + side + " " + side +
                " re\n";
  page += "f\nBT /F1 11 Tf 24 18 Td (Glenhaze chart, " + std::to_string(spec.columns) + " x " +
          std::to_string(spec.rows) + " inner corners, " + fixedText(cell / kPerMm, 2) +
          " mm squares when printed at 100 %. Keep it flat.) Tj ET\n";
  std::vector<std::string> objects = {
      "<< /Type /Catalog /Pages 2 0 R >>", "<< /Type /Pages /Kids [3 0 R] /Count 1 >>",
      "<< /Type /Page /Parent 2 0 R /MediaBox [0 0 841.89 595.28] /Contents 4 0 R /Resources << /Font << /F1 "
      "5 0 R >> >> >>",
      "<< /Length " + std::to_string(page.size()) + " >>\nstream\n" + page + "endstream",
      "<< /Type /Font /Subtype /Type1 /BaseFont /Helvetica >>"};
  std::string pdf = "%PDF-1.4\n";
  std::vector<size_t> offsets;
  for (size_t i = 0; i < objects.size(); ++i) {
    offsets.push_back(pdf.size());
    pdf += std::to_string(i + 1) + " 0 obj\n" + objects[i] + "\nendobj\n";
  }
  const size_t table = pdf.size();
  pdf += "xref\n0 6\n0000000000 65535 f \n";
  for (const size_t offset : offsets) {
    constexpr size_t kDigits = 10;
    const std::string number = std::to_string(offset);
    pdf += std::string(kDigits - number.size(), '0') + number + " 00000 n \n";
  }
  return pdf + "trailer << /Size 6 /Root 1 0 R >>\nstartxref\n" + std::to_string(table) + "\n%%EOF\n";
}

}  // namespace glenhaze
