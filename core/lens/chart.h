#pragma once
// Measuring a lens from a chessboard that was filmed freely.

#include <filesystem>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/base/progress.h"
#include "core/frame/frame.h"
#include "core/lens/bend.h"
#include "core/lens/model.h"

namespace glenhaze {

/// A chessboard by its inner corners.
struct ChartSpec {
  int columns = 9;
  int rows = 6;
  double square_mm = 25;
  /// Throws Error(BadRequest).
  void validate() const;
};

struct ChartView {
  std::string source;  ///< path of the reference shot
  int64_t frame = 0;
  std::vector<Point> corners;    ///< row by row, px
  double sharpness = 0;          ///< mean squared Laplacian of luma; comparable within one shot only
  double rms_px = -1;            ///< after solving
  std::vector<Point> residuals;  ///< measured − modelled, after solving
  std::string left_out;          ///< why it is not used, "" when it is
};

/// Looks for the whole chart in one frame (OpenCV's findChessboardCornersSB). Empty when it is not there.
std::optional<ChartView> findChart(const Frame& frame, const ChartSpec& spec);

/// Marks views that add nothing as left out: `most` views are kept, sharp ones and ones that cover new
/// area or tilt first. Views already left out stay so.
void pickViews(std::vector<ChartView>& views, int width, int height, int most = 24);

struct ModelFit {
  LensModel model = LensModel::BrownConrady;
  double rms_px = 0;
  bool usable = true;  ///< false: folds over inside the picture, or did not converge
};

struct ChartFinding {
  Lens lens;
  Bend bend;          ///< how far it bends the corner; its uncertainty counts models that fit as well
  double rms_px = 0;  ///< reprojection error over all corners used
  std::vector<double> stddev;  ///< of fx fy cx cy and the coefficients
  std::vector<ChartView> views;
  int views_used = 0;
  double coverage = 0;         ///< share of the picture inside the corners of any view used
  std::vector<bool> covered;   ///< the same on a grid of kCoverageColumns × kCoverageRows
  std::vector<ModelFit> fits;  ///< every model tried, best first
  std::string model_reason;    ///< why this model
  std::vector<std::string> warnings;
};

constexpr int kCoverageColumns = 32;
constexpr int kCoverageRows = 18;

/// Least squares over all corners (Ceres), views with residuals far above the others left out. `model`
/// empty: of those that Bayes' information criterion holds for about as good, the one with fewest values.
/// Throws Error(Evidence) when fewer than 3 views are usable.
ChartFinding solveChart(std::vector<ChartView> views, int width, int height, const ChartSpec& spec,
                        std::optional<LensModel> model, const Progress& progress = {});

/// The chart as a one-page PDF (A4 landscape) to print at 100 %, with its spec written on it.
std::string chartPdf(const ChartSpec& spec);

}  // namespace glenhaze
