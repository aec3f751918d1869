#pragma once
// Structure without end that is known at every fraction of a pixel, and in which no two places look alike.

#include <array>
#include <cmath>
#include <random>

namespace glenhaze::testing {

/// Many waves of random direction, length and phase.
class Texture {
 public:
  /// `finest`: the shortest wave, px.
  explicit Texture(unsigned seed = 1, double finest = 9) {
    std::mt19937 random(seed);
    std::uniform_real_distribution<double> unit(0, 1);
    for (Wave& w : waves_) {
      const double length = finest * std::pow(8, unit(random)), direction = 2 * M_PI * unit(random);
      w = {2 * M_PI / length * std::cos(direction), 2 * M_PI / length * std::sin(direction),
           2 * M_PI * unit(random)};
    }
  }
  /// Around 110, mostly within 40 to 180.
  double operator()(double x, double y) const {
    double sum = 0;
    for (const Wave& w : waves_) sum += std::cos(w.x * x + w.y * y + w.phase);
    return 110 + 8 * sum;
  }

 private:
  struct Wave {
    double x = 0, y = 0, phase = 0;
  };
  std::array<Wave, 24> waves_;
};

}  // namespace glenhaze::testing
