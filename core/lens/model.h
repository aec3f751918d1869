#pragma once
// How a lens bends light: camera ray ↔ pixel of the picture as filmed.
//
// Three forward models, each with the pixel of a ray as
//   pixel = (fx·xd + cx, fy·yd + cy),
// where (xd, yd) is the ray's direction after the lens:
//  - Brown–Conrady (D. C. Brown, "Decentering distortion of lenses", Photogrammetric Engineering, 1966;
//    the form of OpenCV's calib3d): x = X/Z, y = Y/Z, r² = x² + y²,
//      xd = x(1 + k1 r² + k2 r⁴ + k3 r⁶) + 2 p1 xy + p2(r² + 2x²),   yd likewise with p1 and p2 swapped.
//    coefficients: k1 k2 p1 p2 k3. For ordinary lenses.
//  - Kannala–Brandt (J. Kannala, S. Brandt, "A generic camera model and calibration method for
//    conventional, wide-angle, and fish-eye lenses", PAMI 2006; the form of OpenCV's fisheye module):
//      θ = angle from the axis, rd = θ(1 + k1 θ² + k2 θ⁴ + k3 θ⁶ + k4 θ⁸), direction kept.
//    coefficients: k1 k2 k3 k4. For very wide lenses.
//  - Division (A. Fitzgibbon, "Simultaneous linear estimation of multiple view geometry and lens
//    distortion", CVPR 2001): r = rd / (1 + λ rd²).  coefficients: λ. By hand, and as a start.
//
// Pixel centres at integers; pixels of the picture as stored (not turned by a rotation tag).

#include <array>
#include <optional>
#include <string>
#include <vector>

#include "core/base/geometry.h"

namespace glenhaze {

enum class LensModel { BrownConrady, KannalaBrandt, Division };

/// Number of coefficients: 5, 4, 1.
int numCoefficients(LensModel model);
/// "brown-conrady", "kannala-brandt", "division", as in files and on the command line.
std::string lensModelName(LensModel model);
/// "Brown–Conrady", "Kannala–Brandt", "Division", as on the screen.
std::string lensModelTitle(LensModel model);
std::optional<LensModel> lensModelFromName(const std::string& name);
/// What the coefficients are called: {"k1","k2","p1","p2","k3"}, …
std::vector<std::string> coefficientNames(LensModel model);

struct Lens {
  LensModel model = LensModel::BrownConrady;
  int width = 0;  ///< picture size the values are for, px
  int height = 0;
  double fx = 0;  ///< focal length, px, > 0
  double fy = 0;
  double cx = 0;  ///< where the axis meets the picture, px
  double cy = 0;
  std::array<double, 5> k{};  ///< coefficients in the order above; unused ones 0

  bool operator==(const Lens&) const = default;

  /// Throws Error(BadRequest) naming the field, its value and the broken rule.
  void validate() const;
};

/// A lens that bends nothing, with `focal_px` in both directions and the axis in the middle.
Lens straightLens(int width, int height, double focal_px);

/// The lens for the same view at another picture size: pixel positions scale about the picture's
/// corner, (x + ½)·s − ½. Sound only when the other mode scales the same part of the sensor.
Lens scaledLens(const Lens& lens, int width, int height);

/// Where the model ends: the largest distance from the axis up to which rays and pixels correspond
/// one to one.
struct LensField {
  double max_ray = 0;    ///< r = tan θ for Brown–Conrady and division; θ in radians for Kannala–Brandt
  double max_pixel = 0;  ///< the same place as distorted radius in units of the focal length
};
LensField lensField(const Lens& lens);

/// The lens with its field worked out once; cheap to copy, safe from several threads.
class LensMap {
 public:
  explicit LensMap(const Lens& lens);

  const Lens& lens() const { return lens_; }
  const LensField& field() const { return field_; }

  /// Empty where the ray is outside the model's field (behind the camera, or past a fold).
  std::optional<Point> rayToPixel(const Ray& ray) const;

  /// Unit ray of a pixel, which may lie outside the picture; empty where no ray of the field meets it.
  /// Agrees with rayToPixel to better than 1e-6 px inside the field.
  std::optional<Ray> pixelToRay(Point pixel) const;

  /// Pixel of the picture as filmed → pixel of the straight picture with the lens's own focal length
  /// and centre. Empty outside the field and at 90° from the axis and beyond.
  std::optional<Point> undistort(Point pixel) const;

  /// The other way.
  std::optional<Point> distort(Point straight) const;

  /// True when the picture's whole frame lies inside the field: nothing is shown twice.
  bool coversPicture() const;

 private:
  Lens lens_;
  LensField field_;
};

}  // namespace glenhaze
