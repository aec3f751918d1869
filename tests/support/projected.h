#pragma once
// Tracks that a camera of known motion would give: projected points, no pictures.

#include <functional>
#include <optional>
#include <random>

#include "tests/support/motion.h"

namespace glenhaze::testing {

struct ProjectedFilm {
  Lens lens = testLens(LensModel::BrownConrady, 1280, 720);
  sim::Motion motion;
  /// Of the camera, m to the right, where every second place is 3 m and the others 12 m away; none: it stays.
  std::function<double(double time_s)> aside;
  Shutter shutter;
  double noise_px = 0.1;
  int frames = 90;
  /// Directions of places, from −1 to 1 and −0.6 to 0.6 at a depth of 1, times this.
  double wide = 1;

  // Where a place appears in a frame: its row's time depends on where it appears.
  std::optional<Point> seen(const LensMap& map, const Ray& place, double time) const {
    const RowTimes rows(shutter, lens.width, lens.height);
    double t = time;
    std::optional<Point> p;
    for (int i = 0; i < 12; ++i) {
      Ray ray = place;
      if (aside) ray.x -= aside(t);
      p = map.rayToPixel(inverse(orientationOf(motion(t))) * ray);
      if (!p) return p;
      t = time + rows.at(*p);
    }
    if (p->x < 0 || p->y < 0 || p->x > lens.width - 1 || p->y > lens.height - 1) return std::nullopt;
    return p;
  }

  TrackRecord tracks() const {
    const LensMap map(lens);
    std::mt19937 random(5);
    std::normal_distribution<double> noise(0, noise_px);
    std::uniform_real_distribution<double> side(-1.0, 1.0);
    std::vector<Ray> places;
    for (int i = 0; i < 260 * std::max(1.0, wide); ++i) {
      const double away = !aside ? 1 : i % 2 == 0 ? 3 : 12;
      places.push_back({wide * away * side(random), 0.6 * wide * away * side(random), away});
    }
    TrackRecord record{lens.width, lens.height, {}};
    std::vector<std::optional<Point>> before(places.size());
    for (int f = 0; f < frames; ++f) {
      FrameTracks tracks;
      tracks.time_s = f / 30.0;
      tracks.sharpness = 1;
      std::vector<TrackPair> pairs;
      for (size_t i = 0; i < places.size(); ++i) {
        auto now = seen(map, places[i], tracks.time_s);
        if (now) *now = *now + Point{noise(random), noise(random)};
        if (f > 0 && now && before[i])
          pairs.push_back({static_cast<float>(before[i]->x), static_cast<float>(before[i]->y),
                           static_cast<float>(now->x), static_cast<float>(now->y)});
        before[i] = now;
      }
      tracks.pairs = std::move(pairs);
      record.frames.push_back(std::move(tracks));
    }
    return record;
  }
};

}  // namespace glenhaze::testing
