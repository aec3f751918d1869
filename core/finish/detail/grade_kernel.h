#pragma once
// The hot loops of Grade: rows through curves and through tables of three dimensions.

#include <array>
#include <vector>

namespace glenhaze::detail {

/// A table from R′G′B′ to R′G′B′ over 0..1, red running fastest; four floats a node, the last one unused.
struct CubeTable {
  int side = 0;  ///< nodes along each axis, 2..129
  std::vector<float> nodes;
};

/// How R′, G′ and B′ come from Y′ and from Cb and Cr less 128, and where they are put: v·gain + offset.
struct PrimaryMix {
  float red_v = 0, green_u = 0, green_v = 0, blue_u = 0;
  float gain = 1, offset = 0;
};

struct GradeWeights {
  float red = 0, green = 0, blue = 0;  ///< of luma
};

/// How strong colour is against grey: times `dark` in the darkest third, eased in, and likewise in the
/// brightest.
struct ColourStrength {
  float all = 1, dark = 1, bright = 1;
};

/// Codes of black, and from black to white.
struct CodeRange {
  float black = 16, luma = 219, chroma = 224;
};

/// Three rows of each; what is written may be what is read.
class GradeRows {
 public:
  using Rows = std::array<float*, 3>;

  GradeRows();
  void toPrimaries(const PrimaryMix& mix, const Rows& codes, const Rows& rgb, int count) const {
    primaries_(mix, codes.data(), rgb.data(), count);
  }
  void saturate(const GradeWeights& weights, const ColourStrength& strength, const Rows& rgb,
                int count) const {
    saturate_(weights, strength, rgb.data(), count);
  }
  void toCodes(const GradeWeights& weights, const CodeRange& range, const Rows& rgb, const Rows& codes,
               int count) const {
    codes_(weights, range, rgb.data(), codes.data(), count);
  }
  /// Places in a curve of `steps` steps come in, its values go out, straight lines between; beyond its ends
  /// as at them.
  void throughCurve(const float* curve, int steps, float* v, int count) const {
    curve_(curve, steps, v, count);
  }
  /// Interpolation by tetrahedra; beyond 0..1 as at the ends. What comes in is v·gain + offset, and what goes
  /// out is brought back likewise.
  void throughCube(const CubeTable& table, const Rows& rgb, int count, float gain, float offset) const {
    cube_(table.nodes.data(), table.side, rgb.data(), count, gain, offset);
  }

 private:
  void (*primaries_)(const PrimaryMix&, float* const*, float* const*, int);
  void (*saturate_)(const GradeWeights&, const ColourStrength&, float* const*, int);
  void (*codes_)(const GradeWeights&, const CodeRange&, float* const*, float* const*, int);
  void (*curve_)(const float*, int, float*, int);
  void (*cube_)(const float*, int, float* const*, int, float, float);
};

}  // namespace glenhaze::detail
