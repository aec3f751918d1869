#pragma once
// Shaken footage whose path is known, and how far a path is from it.

#include <algorithm>
#include <cmath>

#include "core/motion/solve.h"
#include "core/motion/tracks.h"
#include "tests/support/footage.h"

namespace glenhaze::testing {

inline constexpr double kDegree = 3.14159265358979323846 / 180;

/// 320 × 180 looking at the mill with a bent lens; readout 15 ms of a frame of 33 ms, scanned down.
inline sim::CameraSetup shakyCamera(double readout_s = 0.015) {
  sim::CameraSetup setup = smallCamera();
  setup.readout_s = readout_s;
  setup.samples = 4;
  return setup;
}

/// Wind: `degrees` RMS in tilt and pan, a third of it in roll, while the camera pans slowly.
inline sim::Motion windy(double degrees, double pan_per_s = 3, unsigned seed = 3) {
  return [=](double t) {
    sim::Pose base;
    base.position = {-0.5F, -0.5F, 3.0F};
    base.ry = (-3 + pan_per_s * t) * kDegree;
    sim::Shake shake;
    shake.pitch = shake.yaw = degrees * kDegree;
    shake.roll = degrees / 3 * kDegree;
    shake.seed = seed;
    return sim::shaken(base, shake, t);
  };
}

/// Looks about from where it stands, ± 10° across and half of it up and down, in the hand.
inline sim::Motion lookingAbout() {
  return [](double t) {
    sim::Pose base;
    base.position = {-0.5F, -0.5F, 3.0F};
    base.ry = 10 * std::sin(3.4 * t) * kDegree;
    base.rx = 5 * std::sin(4.6 * t) * kDegree;
    sim::Shake shake;
    shake.pitch = shake.yaw = 0.5 * kDegree;
    shake.roll = kDegree;
    shake.seed = 4;
    return sim::shaken(base, shake, t);
  };
}

/// A film of that, 1.2 s of 640 × 360 with a readout of 15 ms; the camera it was made with.
inline sim::CameraSetup filmLookingAbout(const std::filesystem::path& path) {
  sim::CameraSetup setup = smallCamera(LensModel::BrownConrady, 640, 360);
  setup.samples = 4;  // details that alias would move the wrong way
  setup.readout_s = 0.015;
  sim::FilmSettings film = smallFilm(36);
  film.bit_rate = 0;
  rememberedFilm(path, "looking about", [&](const std::filesystem::path& to) {
    sim::writeFilm(to, {setup, sim::millScene(), lookingAbout()}, film);
  });
  return setup;
}

inline TrackRecord tracksOf(const sim::SimCamera& camera, int frames, const TrackOptions& options = {}) {
  const Lens& lens = camera.setup().lens;
  TrackRecord record;
  record.width = lens.width;
  record.height = lens.height;
  Tracker tracker(lens.width, lens.height, options);
  for (int i = 0; i < frames; ++i)
    record.frames.push_back(tracker.push(camera.frame(i), i / camera.setup().fps));
  return record;
}

inline Quaternion orientationOf(const sim::Pose& pose) { return rotationOf({pose.rx, pose.ry, pose.rz}); }

/// The camera's true path as a path.
inline CameraPath truePath(const sim::SimCamera& camera, int frames) {
  std::vector<PathFrame> all(static_cast<size_t>(frames));
  for (int i = 0; i < frames; ++i) {
    PathFrame& f = all[static_cast<size_t>(i)];
    f.time_s = i / camera.setup().fps;
    f.orientation = inverse(orientationOf(camera.pose(0))) * orientationOf(camera.pose(f.time_s));
  }
  return CameraPath(std::move(all));
}

/// Angles between two paths, degrees RMS, after the best common turn is taken out (a path starts anywhere).
inline double pathError(const CameraPath& path, const CameraPath& truth) {
  const size_t n = path.frames().size();
  const auto off = [&](size_t i) {
    return inverse(truth.frames()[i].orientation) * path.frames()[i].orientation;
  };
  Turn mean;
  for (size_t i = 0; i < n; ++i) mean = mean + turnOf(off(i)) * (1.0 / static_cast<double>(n));
  double sum = 0;
  for (size_t i = 0; i < n; ++i) {
    const double a = length(turnOf(inverse(rotationOf(mean)) * off(i)));
    sum += a * a;
  }
  return std::sqrt(sum / static_cast<double>(n)) / kDegree;
}

}  // namespace glenhaze::testing
