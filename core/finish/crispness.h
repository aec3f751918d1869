#pragma once
// Edges of luma: the camera's own over-sharpening taken back, and a little crispness given where there is an
// edge above the noise that is left.

#include <array>
#include <memory>
#include <vector>

#include "core/finish/edge_response.h"
#include "core/frame/frame.h"

namespace glenhaze {

/// Of one clip, in px of the finished picture.
struct Crispness {
  Sharpening taken_back;  ///< the camera's own
  double amount = 0;      ///< how much of the finest detail is added at an edge
  double halo = 6;        ///< how far beyond what is beside it, 8-bit codes
  bool operator==(const Crispness&) const = default;
  bool changes() const { return taken_back.amount > 0 || amount > 0; }
};

/// Deviation of the finest detail where a picture is flattest, by luma: the noise that is left in it, 8-bit
/// codes.
struct FineNoise {
  static constexpr int kLevels = 16;
  std::array<float, kLevels> variance{};  ///< never 0
};
FineNoise fineNoiseOf(const Frame& frame);

/// Bands of finished luma.
class CrispBand {
 public:
  /// `frame` and `noise` must outlive it.
  CrispBand(const Crispness& what, const Frame& frame, const FineNoise& noise);
  /// Rows [first, last) of the picture, tight, into `out`. Safe from several threads with bands of their own.
  void rows(int first, int last, std::vector<float>& out);

 private:
  using Samples = std::unique_ptr<float[]>;
  float* row(const Samples& of, int y) const;
  void load(int first, int last);
  void takeBack();
  void crispen(int first, int last, std::vector<float>& out);

  const Crispness what_;
  const Frame& frame_;
  const FineNoise& noise_;
  int stride_, top_ = 0, rows_ = 0;  // of the band with its margins
  Samples luma_, detail_, work_;
  size_t count_ = 0;  // of floats in each
};

}  // namespace glenhaze
