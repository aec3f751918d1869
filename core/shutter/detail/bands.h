#pragma once
// Bands that a lamp on mains draws over a picture, one row of brightness a frame: as they pass, and as they
// stand still.

#include <cstddef>
#include <utility>
#include <vector>

namespace glenhaze::detail {

/// Brightness along one axis of the picture, one series a frame.
struct Bands {
  std::vector<std::vector<double>> series;
  size_t bins = 0;
};

/// The top of a function near a start, by golden section.
template <typename F>
double topOf(F value, double low, double high, int steps = 40) {
  constexpr double kGolden = 0.6180339887498949;
  double a = low, b = high, x = b - kGolden * (b - a), y = a + kGolden * (b - a);
  double fx = value(x), fy = value(y);
  for (int i = 0; i < steps; ++i) {
    if (fx > fy) {
      b = y, y = x, fy = fx;
      x = b - kGolden * (b - a), fx = value(x);
    } else {
      a = x, x = y, fx = fy;
      y = a + kGolden * (b - a), fy = value(y);
    }
  }
  return 0.5 * (a + b);
}

/// What is left out of a fit: frames or rows from `first` to before `end`.
struct Without {
  size_t first_frame = 0, end_frame = 0, first_row = 0, end_row = 0;
};

/// The light that all frames saw together. The brightness of row i in frame n is
///   Sᵢ·(1 + wₙᵢ),  w = a·cos φ + b·sin φ,  φ = 2πf·(tₙ + readout·xᵢ),  xᵢ from −½ to ½,
/// with Sᵢ the scene's own. As a share z of its row's mean over time it is z − 1 = w − z·w̄: a straight least
/// squares in a and b for every readout (its sign is the way) and frequency (mains drift a little), so that a
/// scene of any kind is told from the bands, unless they stand still.
class PassingBands {
 public:
  /// Of the swing: what of the variance a fit explains, as a share and as a power; its depth as a share of
  /// the light; and how much of it is not common to all frames (0: the bands stand still), as a share.
  struct Fit {
    double explained = 0, power = 0, depth = 0, told = 0;
  };
  /// Keeps a reference to `times` (s).
  PassingBands(const Bands& bands, const std::vector<double>& times);
  /// `stride`: every so many rows are looked at.
  Fit fit(double readout_s, double hz, const Without& without = {}, size_t stride = 1) const;
  size_t frames() const { return times_.size(); }
  size_t bins() const { return bins_; }

 private:
  const std::vector<double>& times_;
  size_t bins_;
  std::vector<double> brightness_;  // a row of bins a frame
};

/// `readout_s`: signed, with the rows positive; `plot`: bands over the picture, and what they explain.
struct BandReading {
  double readout_s = 0, hz = 0;
  double other_way = 0;  ///< what the best readout of the other sign explains
  PassingBands::Fit fit;
  std::vector<std::pair<double, double>> plot;
};

/// Readouts up to `longest_s` both ways; `span_s` is how long the frames last.
BandReading readPassing(const PassingBands& light, double flicker_hz, double longest_s, double span_s);

/// Jackknife over stretches of frames and over parts of the picture, which hold other errors each, s.
double spreadOf(const PassingBands& light, const BandReading& reading, double reach_s);

/// Bands that stand still: how many over the picture, their depth (a share of the light), how much of each
/// frame's course they explain, as a share and as a power, and the count's standard deviation.
struct StandingBands {
  double count = 0, depth = 0, explained = 0, power = 0, spread = 0;
  std::vector<std::pair<double, double>> plot;
};
StandingBands readStanding(Bands bands, double most);

}  // namespace glenhaze::detail
