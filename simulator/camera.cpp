#include "simulator/camera.h"

#include <cmath>
#include <random>

#include "core/base/parallel.h"
#include "simulator/reach.h"

namespace glenhaze::sim {

namespace {

// Snell's law at a thin flat port: the angle in the medium has sin(θ') = sin(θ) / n.
V3 throughPort(V3 ray, double index) {
  if (index <= 1) return ray;
  const float s = std::hypot(ray.x, ray.y) / static_cast<float>(index);
  const float c = std::sqrt(std::max(0.0F, 1 - s * s));
  return {ray.x / static_cast<float>(index), ray.y / static_cast<float>(index), c};
}

constexpr double kPi = 3.14159265358979323846;
constexpr int kTile = 16;
constexpr float kConeMargin = 0.004F;  // rad: what float's arc cosine loses near 1, tenfold

// BT.709 opto-electronic curve (ITU-R BT.709-6, item 1.2), with a soft shoulder above 0.8 as cameras have.
float toneCurve(float linear) {
  const float soft = linear < 0.7F ? linear : 0.7F + 0.3F * (1 - std::exp(-(linear - 0.7F) / 0.45F));
  const float l = std::clamp(soft, 0.0F, 1.0F);
  return l < 0.018F ? 4.5F * l : 1.099F * std::pow(l, 0.45F) - 0.099F;
}

// Luma weights of BT.709 (ITU-R BT.709-6, item 3.2).
constexpr float kR = 0.2126F, kB = 0.0722F, kG = 1 - kR - kB;

// Independent of the order in which rows are worked on.
std::mt19937 rowRandom(unsigned seed, int64_t frame, int row) {
  std::seed_seq sequence{seed, static_cast<unsigned>(frame), static_cast<unsigned>(row), 0x5eedU};
  return std::mt19937(sequence);
}

// Standard normal from two uniforms (Box–Muller); std::normal_distribution differs between libraries.
float gauss(std::mt19937& random) {
  const float u = (static_cast<float>(random() >> 8) + 1) * (1.0F / 16777217.0F);
  const float v = static_cast<float>(random() >> 8) * (1.0F / 16777216.0F);
  return std::sqrt(-2 * std::log(u)) * std::cos(2 * static_cast<float>(kPi) * v);
}

template <typename Store>
void sharpenInto(const std::vector<float>& luma, int width, int height, double amount, Store store) {
  parallelBlocks(height, 16, [&](int first, int last) {
    for (int y = first; y < last; ++y)
      for (int x = 0; x < width; ++x) {
        const auto at = [&](int i, int j) {
          return luma[static_cast<size_t>(std::clamp(y + j, 0, height - 1)) * static_cast<size_t>(width) +
                      static_cast<size_t>(std::clamp(x + i, 0, width - 1))];
        };
        float blur = 0;
        for (int j = -1; j <= 1; ++j)
          for (int i = -1; i <= 1; ++i) blur += at(i, j) * (i == 0 ? 2.0F : 1.0F) * (j == 0 ? 2.0F : 1.0F);
        const float centre = at(0, 0);
        store(x, y, centre + static_cast<float>(amount) * 1.2F * (centre - blur / 16));
      }
  });
}

void put(Plane& plane, int x, int y, float value, int max) {
  const auto v = static_cast<int>(std::lround(std::clamp(value, 0.0F, static_cast<float>(max))));
  if (max > 255)
    plane.row<uint16_t>(y)[x] = static_cast<uint16_t>(v);
  else
    plane.row<uint8_t>(y)[x] = static_cast<uint8_t>(v);
}

float angleOf(float cosine) { return std::acos(std::clamp(cosine, -1.0F, 1.0F)); }

double rowShare(ScanDirection direction, double x, double y, int width, int height) {
  switch (direction) {
    case ScanDirection::Up:
      return 0.5 - y / (height - 1);
    case ScanDirection::Right:
      return x / (width - 1) - 0.5;
    case ScanDirection::Left:
      return 0.5 - x / (width - 1);
    default:
      return y / (height - 1) - 0.5;
  }
}

}  // namespace

SensorNoise sensorNoiseAt(double iso, double blotch) {
  // Signal 1.0 is a white card; a small sensor collects about 9000 electrons of it at ISO 100.
  const double electrons = 9000 * 100 / iso;
  return {1 / electrons, 4.5 / electrons + 0.0006, blotch};
}

SimCamera::SimCamera(CameraSetup setup, Scene scene, Motion motion)
    : setup_(std::move(setup)), scene_(std::move(scene)), motion_(std::move(motion)) {
  const LensMap map(setup_.lens);
  const int w = setup_.lens.width, h = setup_.lens.height;
  const int side = std::max(1, static_cast<int>(std::lround(std::sqrt(setup_.samples))));
  setup_.samples = side * side;
  const auto per_pixel = static_cast<size_t>(setup_.samples);
  rays_.resize(static_cast<size_t>(w) * static_cast<size_t>(h) * per_pixel);
  parallelBlocks(h, 8, [&](int first, int last) {
    for (int y = first; y < last; ++y)
      for (int x = 0; x < w; ++x)
        for (int s = 0; s < setup_.samples; ++s) {
          const double ox = setup_.aperture * ((s % side + 0.5) / side - 0.5),
                       oy = setup_.aperture * ((s / side + 0.5) / side - 0.5);
          const auto ray = map.pixelToRay({x + ox, y + oy});
          V3& to =
              rays_[(static_cast<size_t>(y) * static_cast<size_t>(w) + static_cast<size_t>(x)) * per_pixel +
                    static_cast<size_t>(s)];
          if (ray)
            to = throughPort(
                {static_cast<float>(ray->x), static_cast<float>(ray->y), static_cast<float>(ray->z)},
                setup_.port_index);
        }
  });
}

std::optional<Point> SimCamera::project(V3 world, double time_s) const {
  const Pose pose = motion_(time_s);
  const Rotation r = rotationFrom(-pose.rx, -pose.ry, -pose.rz);
  const V3 c = r * (world - pose.position);
  return LensMap(setup_.lens).rayToPixel({c.x, c.y, c.z});
}

std::vector<V3> SimCamera::traceLinear(int64_t index) const {
  const int w = setup_.lens.width, h = setup_.lens.height;
  const double t0 = static_cast<double>(index) / setup_.fps;
  std::vector<V3> linear(static_cast<size_t>(w) * static_cast<size_t>(h));
  const auto per_pixel = static_cast<size_t>(setup_.samples);
  // Slightly wider than a sub-sample, so that textures are smooth between them.
  const float spread = static_cast<float>(1.2 * setup_.aperture / setup_.lens.fx / std::sqrt(setup_.samples));
  const Reach reach(scene_, t0);
  // Everything read at one time shares one pose: a row, or a column when the sensor scans sideways.
  struct Line {
    double time;
    V3 position;
    Rotation rotation;
  };
  const bool sideways = setup_.direction == ScanDirection::Left || setup_.direction == ScanDirection::Right;
  std::vector<Line> lines;  // for each row (or column), one for each moment of its exposure
  const size_t moments = setup_.open_s > 0 ? per_pixel : 1;
  for (int i = 0; i < (sideways ? w : h); ++i)
    for (size_t m = 0; m < moments; ++m) {
      const double within = (static_cast<double>(m) + 0.5) / static_cast<double>(moments) - 0.5;
      const double time =
          t0 + setup_.readout_s * rowShare(setup_.direction, i, i, w, h) + setup_.open_s * within;
      const Pose at = motion_(time);
      lines.push_back({time, at.position, rotationFrom(at.rx, at.ry, at.rz)});
    }
  const int tiles_x = (w + kTile - 1) / kTile, tiles_y = (h + kTile - 1) / kTile;
  parallelBlocks(tiles_x * tiles_y, 4, [&](int first, int last) {
    std::vector<int> candidates;
    for (int tile = first; tile < last; ++tile) {
      const int x0 = tile % tiles_x * kTile, y0 = tile / tiles_x * kTile;
      const int x1 = std::min(w, x0 + kTile), y1 = std::min(h, y0 + kTile);
      const auto rayAt = [&](int x, int y) {
        return rays_[(static_cast<size_t>(y) * static_cast<size_t>(w) + static_cast<size_t>(x)) * per_pixel];
      };
      // Cone around the tile, a pixel to each side with it, and around all that the camera turns while
      // reading it.
      const V3 axis_camera = rayAt((x0 + x1) / 2, (y0 + y1) / 2);
      float tile_cosine = 1, turn_cosine = 1;
      for (const int x : {std::max(x0 - 1, 0), std::min(x1, w - 1)})
        for (const int y : {std::max(y0 - 1, 0), std::min(y1, h - 1)})
          tile_cosine = std::min(tile_cosine, dot(axis_camera, rayAt(x, y)));
      const size_t first_line = static_cast<size_t>(sideways ? x0 : y0) * moments,
                   end_line = static_cast<size_t>(sideways ? x1 : y1) * moments;
      const Line& middle = lines[(first_line + end_line) / 2];
      const V3 axis = middle.rotation * axis_camera;
      for (size_t i = first_line; i < end_line; ++i)
        turn_cosine = std::min(turn_cosine, dot(axis, lines[i].rotation * axis_camera));
      const float angle = angleOf(tile_cosine) + angleOf(turn_cosine) + kConeMargin;
      reach.find(middle.position, axis, angle, candidates);
      for (int y = y0; y < y1; ++y)
        for (int x = x0; x < x1; ++x) {
          const Line* line = &lines[static_cast<size_t>(sideways ? x : y) * moments];
          V3 sum;
          for (size_t s = 0; s < per_pixel; ++s) {
            const auto& [time, position, r] = line[s % moments];
            const V3 ray =
                rays_[(static_cast<size_t>(y) * static_cast<size_t>(w) + static_cast<size_t>(x)) * per_pixel +
                      s];
            if (dot(ray, ray) > 0) sum = sum + castRay(scene_, position, r * ray, time, spread, &candidates);
          }
          linear[static_cast<size_t>(y) * static_cast<size_t>(w) + static_cast<size_t>(x)] =
              sum * (1.0F / static_cast<float>(per_pixel));
        }
    }
  });
  return linear;
}

void SimCamera::addNoise(std::vector<V3>& linear, int64_t index) const {
  const SensorNoise& n = setup_.noise;
  if (n.photon <= 0 && n.read <= 0) return;
  const int w = setup_.lens.width, h = setup_.lens.height;
  std::vector<V3> noise(linear.size());
  parallelBlocks(h, 8, [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      std::mt19937 random = rowRandom(setup_.seed, index, y);
      for (int x = 0; x < w; ++x) {
        const size_t at = static_cast<size_t>(y) * static_cast<size_t>(w) + static_cast<size_t>(x);
        const auto one = [&](float signal) {
          const double variance = n.photon * std::max(0.0F, signal) + n.read * n.read;
          return gauss(random) * static_cast<float>(std::sqrt(variance));
        };
        // Red and blue sites are fewer and their gain is higher: their noise is stronger.
        noise[at] = {1.5F * one(linear[at].x), one(linear[at].y), 1.7F * one(linear[at].z)};
      }
    }
  });
  // In-camera processing smears part of the noise into blotches of a few pixels.
  const auto blotch = static_cast<float>(n.blotch);
  parallelBlocks(h, 8, [&](int first, int last) {
    for (int y = first; y < last; ++y)
      for (int x = 0; x < w; ++x) {
        V3 blur;
        for (int j = -1; j <= 1; ++j)
          for (int i = -1; i <= 1; ++i)
            blur = blur + noise[static_cast<size_t>(std::clamp(y + j, 0, h - 1)) * static_cast<size_t>(w) +
                                static_cast<size_t>(std::clamp(x + i, 0, w - 1))];
        const size_t at = static_cast<size_t>(y) * static_cast<size_t>(w) + static_cast<size_t>(x);
        // The mean of nine has a third of the deviation; 0.6·3 keeps the blotches as strong as cameras leave
        // them.
        linear[at] = linear[at] + noise[at] * (1 - blotch) + blur * (blotch * 0.2F);
      }
  });
}

std::vector<std::pair<int, int>> SimCamera::hotPixels() const {
  const auto w = static_cast<size_t>(setup_.lens.width);
  std::mt19937 hot = rowRandom(setup_.seed, 0, -1);
  std::vector<std::pair<int, int>> all;
  for (int i = 0; i < setup_.hot_pixels; ++i) {
    const size_t at = hot() % (w * static_cast<size_t>(setup_.lens.height));
    hot();  // its level
    all.emplace_back(static_cast<int>(at % w), static_cast<int>(at / w));
  }
  std::sort(all.begin(), all.end(), [](const auto& a, const auto& b) {
    return std::pair(a.second, a.first) < std::pair(b.second, b.first);
  });
  return all;
}

Frame SimCamera::frame(int64_t index) const {
  const int w = setup_.lens.width, h = setup_.lens.height;
  std::vector<V3> linear = traceLinear(index);
  const double pulse = 1 + setup_.pulsing * std::sin(2 * kPi * 0.37 * static_cast<double>(index));
  const auto gain = static_cast<float>(setup_.exposure * pulse);
  for (V3& v : linear) v = v * gain;
  if (setup_.mains_depth > 0)
    for (int y = 0; y < h; ++y) {
      const double t = static_cast<double>(index) / setup_.fps +
                       setup_.readout_s * (static_cast<double>(y) / std::max(1, h - 1) - 0.5);
      const auto light = static_cast<float>(1 + setup_.mains_depth * std::cos(2 * kPi * setup_.mains_hz * t));
      for (int x = 0; x < w; ++x) {
        V3& v = linear[static_cast<size_t>(y) * static_cast<size_t>(w) + static_cast<size_t>(x)];
        v = v * light;
      }
    }
  addNoise(linear, index);
  std::mt19937 hot = rowRandom(setup_.seed, 0, -1);
  for (int i = 0; i < setup_.hot_pixels; ++i) {
    const size_t at = hot() % linear.size();
    const float level = 0.25F + 0.7F * static_cast<float>(hot() >> 8) / 16777216.0F;
    linear[at] = linear[at] + V3{level, level * 0.3F, level * 0.2F};
  }
  Frame frame = makeFrame(w, h, setup_.format);
  frame.colour = setup_.colour;
  frame.index = index;
  const float up = static_cast<float>(1 << (setup_.format.bit_depth - 8));
  const int max = setup_.format.maxValue();
  std::vector<float> luma(linear.size()), cb(linear.size()), cr(linear.size());
  for (size_t i = 0; i < linear.size(); ++i) {
    const float r = toneCurve(linear[i].x), g = toneCurve(linear[i].y), b = toneCurve(linear[i].z);
    luma[i] = kR * r + kG * g + kB * b;
    cb[i] = (b - luma[i]) / (2 * (1 - kB));
    cr[i] = (r - luma[i]) / (2 * (1 - kR));
  }
  sharpenInto(luma, w, h, setup_.sharpening,
              [&](int x, int y, float v) { put(frame.planes[0], x, y, (16 + 219 * v) * up, max); });
  const int sx = setup_.format.shiftX(), sy = setup_.format.shiftY();
  for (size_t p = 1; p < static_cast<size_t>(setup_.format.numPlanes()); ++p) {
    const std::vector<float>& from = p == 1 ? cb : cr;
    Plane& plane = frame.planes[p];
    for (int y = 0; y < plane.height; ++y)
      for (int x = 0; x < plane.width; ++x) {
        // Left siting: weights 1 2 1 around the even column; two rows averaged.
        float sum = 0, weight = 0;
        for (int j = 0; j <= sy; ++j)
          for (int i = -sx; i <= sx; ++i) {
            const int px = std::clamp((x << sx) + i, 0, w - 1), py = std::min(h - 1, (y << sy) + j);
            const float k = i == 0 ? 2.0F : 1.0F;
            sum += k * from[static_cast<size_t>(py) * static_cast<size_t>(w) + static_cast<size_t>(px)];
            weight += k;
          }
        put(plane, x, y, (128 + 224 * sum / weight) * up, max);
      }
  }
  return frame;
}

Pose shaken(const Pose& base, const Shake& shake, double time_s) {
  constexpr int kWaves = 9;
  Pose pose = base;
  const auto axis = [&](double amplitude, unsigned which) {
    double sum = 0;
    for (int i = 0; i < kWaves; ++i) {
      const double f = shake.low_hz * std::pow(shake.high_hz / shake.low_hz, (i + 0.5) / kWaves);
      const double phase = 2 * kPi * static_cast<double>(hash01(i, static_cast<int>(which), shake.seed));
      // Slow movements are larger: amplitude falls with frequency.
      sum += std::sin(2 * kPi * f * time_s + phase) * std::pow(shake.low_hz / f, 0.7);
    }
    return amplitude * sum * 0.6;
  };
  pose.rx += axis(shake.pitch, 1);
  pose.ry += axis(shake.yaw, 2);
  pose.rz += axis(shake.roll, 3);
  return pose;
}

}  // namespace glenhaze::sim
