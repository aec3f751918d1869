#pragma once
// Which part of the straight picture is delivered, and what that costs: the delivery window between
// "everything the camera saw" and "no blank corner", partial correction, and the maps of enlargement.

#include <optional>
#include <vector>

#include "core/lens/model.h"

namespace glenhaze {

struct WindowSettings {
  int width = 0;  ///< output size, px; 0: the source's
  int height = 0;
  double amount = 1;  ///< share of the correction, 0..1 (0: as filmed)
  double fill = 1;    ///< 0: whole picture with blank corners; 1: filled frame
};

/// Output pixel → source pixel for one lens and one window. Safe from several threads.
class LensWindow {
 public:
  LensWindow(const Lens& lens, const WindowSettings& settings);

  int width() const { return width_; }
  int height() const { return height_; }
  /// Output pixels per source pixel at the picture's centre.
  double zoom() const { return zoom_; }
  /// The zoom at which the frame is just filled, and the one at which the whole source shows.
  double filledZoom() const { return filled_zoom_; }
  double wholeZoom() const { return whole_zoom_; }
  /// The whole source would need more than the straight picture can hold (field of 160° and more), so
  /// `wholeZoom` stops at that.
  bool wholeIsLimited() const { return whole_limited_; }

  /// Empty outside the lens's field; the pixel may lie outside the source.
  std::optional<Point> toSource(Point output) const;

  /// Source pixel → output pixel; empty where it has none. For overlays and marks.
  std::optional<Point> toOutput(Point source) const;

  /// The direction in which an output pixel looks, any length; empty outside the lens's field.
  std::optional<Ray> toRay(Point output) const;
  /// The other way; empty for directions that the window cannot show.
  std::optional<Point> fromRay(const Ray& ray) const;

 private:
  std::optional<Point> toSourceAt(Point output, double zoom) const;
  bool fillsFrame(double zoom) const;
  double findFilledZoom() const;
  double findWholeZoom(bool& limited) const;
  LensMap map_;
  int width_, height_;
  double amount_;
  double base_;  ///< output px per source px when nothing is corrected
  double filled_zoom_ = 1, whole_zoom_ = 1, zoom_ = 1;
  bool whole_limited_ = false;
};

/// Local enlargement on a grid over the output: output pixels per source pixel, as the square root of
/// the area ratio and along the most stretched direction. 0 where the output is blank.
struct EnlargementMap {
  int columns = 0;
  int rows = 0;
  std::vector<float> mean;     ///< row by row
  std::vector<float> longest;  ///< row by row
  double centre = 0;           ///< mean at the middle of the output
  double corner = 0;           ///< largest mean at the four corners; 0 when all are blank
};
EnlargementMap enlargementMap(const LensWindow& window, int columns, int rows);

/// What the window does to the picture as a whole.
struct WindowCost {
  double lost_share = 0;   ///< share of the source's pixels that are not in the output, 0..1
  double blank_share = 0;  ///< share of the output that is blank, 0..1
};
WindowCost windowCost(const LensWindow& window, const Lens& lens);

}  // namespace glenhaze
