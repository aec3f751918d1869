#pragma once
// The one resampling: every geometric correction of a clip is composed into one map from output pixel
// to source pixel, and the picture is sampled through it once.
//
// The map is evaluated exactly on a grid of 16 or 32 px and interpolated by cubics between (error ≤ 0.02 px;
// cells where it would be more are evaluated pixel by pixel). Samples are taken with a Lanczos kernel of
// three lobes, widened where the picture shrinks so that nothing aliases. Y′, Cb and Cr are each sampled
// on their own raster with their own siting; nothing is converted to RGB on the way.

#include <array>
#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <span>
#include <vector>

#include "core/base/geometry.h"
#include "core/frame/frame.h"
#include "core/pipeline/detail/sample_kernel.h"

namespace glenhaze {

/// Output pixel → source pixel; empty: nothing to show there. Must be safe from several threads and
/// smooth wherever it is not empty, also somewhat outside both pictures.
using PixelMap = std::function<std::optional<Point>(Point output)>;

/// The map on its grid. Immutable; safe from several threads.
class WarpGrid {
 public:
  static constexpr double kAllowed_px = 0.006;  ///< interpolation error above which a cell is exact

  /// How cells are judged. Sampled: for maps that are made anew for every frame and are alike all over: cells
  /// are twice as wide where that does, and judged are the outer ones and one in eight of the others, and all
  /// of them as soon as one of those needs it.
  enum class Care { Every, Sampled };

  WarpGrid(PictureSize output, PictureSize source, PixelMap map, Care care = Care::Every);

  PictureSize output() const { return output_; }
  PictureSize source() const { return source_; }
  /// Output px between grid points: 16 or 32.
  int step() const { return step_; }

  /// What is known of the cell that holds output column `x` in row `y`.
  struct Cell {
    float shrink_x = 0;  ///< log2 of source px per output px: how far the kernel must reach
    float shrink_y = 0;
    bool exact = false;  ///< evaluated pixel by pixel
    bool blank = false;  ///< nothing of the source shows
    bool edge = false;   ///< the source's border may pass through
  };
  const Cell& cell(double x, double y) const;

  /// How one plane's samples lie in luma pixels: sample i sits at offset + i·step.
  struct Raster {
    double step_x = 1, step_y = 1, offset_x = 0, offset_y = 0;
  };

  /// A stretch of a row inside one cell.
  struct Stretch {
    const Cell* cell = nullptr;
    int first = 0;
    int end = 0;  ///< first sample behind it
  };
  /// One row's positions, in samples of the source plane. Reused from row to row of one plane: what all
  /// rows of a row of cells share is made once.
  struct RowPositions {
    std::vector<float> xs, ys;
    std::vector<Stretch> stretches;  ///< in order, covering the row
    bool new_cells = false;          ///< the stretches differ from those of the row before

    int cell_row = -1;
    std::vector<detail::CubicStretch> cubics;
    std::vector<float> gx, gy;  // the grid's points blended to this row
  };
  struct PlaneShape {
    Raster raster;
    int width = 0, height = 0;
  };
  static constexpr float kNowhere = -1.0e6F;
  /// Where row `y` (a sample number) of an output plane looks in the source plane. Positions are held to
  /// `margin` samples around the source plane; exact cells have kNowhere where nothing shows; blank cells
  /// have no positions.
  void placeRow(int y, const PlaneShape& output, const PlaneShape& source, float margin,
                RowPositions& row) const;

  /// What rows of a plane look like to whoever places them elsewhere.
  struct Points {
    int columns = 0, rows = 0;
    std::span<const float> x, y;
    std::span<const Cell> cells;  ///< of the square right of and below each point
  };
  Points points() const { return {columns_, rows_, px_, py_, cells_}; }
  /// Which row of cells an output row lies in, and how much the points' rows from the one before weigh there.
  struct BlendedRow {
    int cells = 0;
    std::array<float, 4> weights{};
  };
  BlendedRow blendedRow(double luma_y) const;
  /// The stretches of a row of cells.
  void listStretches(int row, const PlaneShape& output, RowPositions& to) const;

  /// The interpolated source position of an output point, in luma pixels; for checks and overlays.
  std::optional<Point> at(Point output) const;

 private:
  void setStep(int step);
  void fillPoints();
  /// True when a judged cell asks for more than interpolation although all around is known.
  bool judgeCells(bool all);
  bool isSample(int column, int row) const;
  /// True when interpolation does not do there although all around is known.
  bool judgeCell(int column, int row, bool exactly);
  void measureReach(Cell& cell, int column, int row) const;
  int firstSampleBehind(int column, const Raster& raster) const;
  void blendRows(const BlendedRow& row, RowPositions& to) const;
  void exactRun(double luma_y, int first, int last, const Raster& out, const Raster& in, float* xs,
                float* ys) const;
  Point interpolate(double x, double y) const;
  int columnOf(double x) const;
  int rowOf(double y) const;

  PictureSize output_, source_;
  PixelMap map_;
  int step_ = 16;
  int columns_ = 0, rows_ = 0;  ///< grid points, with one ring outside the picture and one behind it
  std::vector<float> px_, py_;
  std::vector<uint8_t> valid_;
  std::vector<Cell> cells_;
};

/// Samples `source` through the grid into a new frame of `format`. The frame's size must be the grid's
/// source size. Tags, time stamps and sample aspect are kept. The same bits whatever the number of
/// threads. Blank parts are black, with an anti-aliased edge.
Frame warpFrame(const Frame& source, const WarpGrid& grid, PixelFormat format);

/// The same samples in another format, unmoved: for clips that need no geometry.
Frame convertFormat(const Frame& source, PixelFormat format);

}  // namespace glenhaze
