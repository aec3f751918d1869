#pragma once
// The simulated camera: turns a scene into frames as a small camera would, with everything that is
// wrong with them known exactly. Deterministic by seed, whatever the number of threads.

#include <cstdint>
#include <functional>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "core/frame/frame.h"
#include "core/lens/model.h"
#include "simulator/scene.h"

namespace glenhaze::sim {

enum class ScanDirection { Down, Up, Left, Right };

struct Pose {
  double rx = 0, ry = 0, rz = 0;  ///< rotation vector, rad: world = R · camera
  V3 position;
};

/// Photon and read noise in linear light at the sensor: variance = photon·signal + read².
struct SensorNoise {
  double photon = 0;
  double read = 0;
  double blotch = 0;  ///< 0: white; 1: smeared as by strong in-camera processing
};
/// Noise of the simulated small sensor at an ISO.
SensorNoise sensorNoiseAt(double iso, double blotch = 0.5);

struct CameraSetup {
  Lens lens;
  double port_index = 1;  ///< above 1: behind a flat port in a medium of this refractive index
  double fps = 30;
  double readout_s = 0;  ///< 0: global shutter
  double open_s = 0;     ///< how long each row takes light in; the rays of a pixel are spread over it
  ScanDirection direction = ScanDirection::Down;
  double exposure = 1;     ///< gain before the tone curve
  double pulsing = 0;      ///< share by which exposure breathes from frame to frame
  double mains_depth = 0;  ///< share by which light on mains swings; rows see it at their own times
  double mains_hz = 100;
  double sharpening = 0;  ///< in-camera unsharp mask; 1 is strong
  SensorNoise noise;
  int hot_pixels = 0;
  PixelFormat format{Chroma::C420, 8};
  ColourTags colour{1, 1, 1, false, ChromaSiting::Left};
  int samples = 4;  ///< rays per pixel: 1, 4 or 9
  /// Side of what a pixel sees, as a share of its own: what is finer than that comes out as something else.
  double aperture = 1;
  unsigned seed = 1;
};

using Motion = std::function<Pose(double time_s)>;

/// Frame `index` at time index/fps. Row r is read at readout·(r/(rows−1) − ½) around it, along the
/// scan direction.
class SimCamera {
 public:
  SimCamera(CameraSetup setup, Scene scene, Motion motion);
  Frame frame(int64_t index) const;
  const CameraSetup& setup() const { return setup_; }
  const Scene& scene() const { return scene_; }
  Pose pose(double time_s) const { return motion_(time_s); }
  /// Where the sensor is hot: samples of the stored picture, left to right, top to bottom.
  std::vector<std::pair<int, int>> hotPixels() const;
  /// Where a world point appears at the given time (global shutter); empty outside the lens's field.
  std::optional<Point> project(V3 world, double time_s) const;

 private:
  std::vector<V3> traceLinear(int64_t index) const;
  void addNoise(std::vector<V3>& linear, int64_t index) const;
  std::vector<V3> rays_;  ///< per pixel and sub-sample, camera frame; zero length outside the field
  std::vector<float> spread_;
  CameraSetup setup_;
  Scene scene_;
  Motion motion_;
};

/// Smooth random shake: sum of sines with random phases; amplitude in rad RMS per axis.
struct Shake {
  double pitch = 0, yaw = 0, roll = 0;
  double low_hz = 0.5, high_hz = 6;
  unsigned seed = 1;
};
Pose shaken(const Pose& base, const Shake& shake, double time_s);

}  // namespace glenhaze::sim
