#include "core/motion/frame_map.h"

#include <algorithm>
#include <cmath>

namespace glenhaze {

namespace {

constexpr double kBeyond = 1.2;  // of the readout is tabled: places somewhat outside the picture
constexpr int kSteps = 3;

std::array<double, 9> times(const std::array<double, 9>& a, const std::array<double, 9>& b) {
  std::array<double, 9> c{};
  for (size_t i = 0; i < 3; ++i)
    for (size_t j = 0; j < 3; ++j)
      c[3 * i + j] = a[3 * i] * b[j] + a[3 * i + 1] * b[3 + j] + a[3 * i + 2] * b[6 + j];
  return c;
}

// Rays as the lens sees them, from directions in the camera's frame.
std::array<double, 9> lensFrom(Point shift, double scale) {
  return {scale, 0, shift.x, 0, scale, shift.y, 0, 0, 1};
}
std::array<double, 9> lensTo(Point shift, double scale) {
  return {1 / scale, 0, -shift.x / scale, 0, 1 / scale, -shift.y / scale, 0, 0, 1};
}

size_t heldTo(const CameraPath& path, int64_t frame) {
  return static_cast<size_t>(std::clamp<int64_t>(frame, 0, static_cast<int64_t>(path.frames().size()) - 1));
}

// Shift and scale run straight between the frames of a scene.
void betweenFrames(const CameraPath& path, size_t i, double offset, Point& shift, double& scale) {
  const auto& frames = path.frames();
  shift = frames[i].shift;
  scale = frames[i].scale;
  const size_t j = offset < 0 ? (i > 0 ? i - 1 : i) : std::min(i + 1, frames.size() - 1);
  if (j == i || frames[std::max(i, j)].doubt == PathDoubt::Cut) return;
  const double t = offset / (frames[j].time_s - frames[i].time_s);
  shift = shift + (frames[j].shift - shift) * t;
  scale += (frames[j].scale - scale) * t;
}

}  // namespace

FrameMap::FrameMap(const ClipMotion& motion, int64_t frame, const LensMap& lens, const LensWindow& window)
    : FrameMap(motion.path, motion.shutter, heldTo(motion.path, frame),
               motion.frames[heldTo(motion.path, frame)], lens, window) {}

FrameMap::FrameMap(const CameraPath& path, const Shutter& shutter, size_t frame, const VirtualFrame& view,
                   const LensMap& lens, const LensWindow& window)
    : lens_(lens), window_(window), rows_(shutter, lens.lens().width, lens.lens().height) {
  zoom_ = view.zoom;
  offset_ = {view.offset.x * window.width(), view.offset.y * window.height()};
  middle_ = {(window.width() - 1) / 2.0, (window.height() - 1) / 2.0};
  source_per_output_ = 1 / (window.zoom() * view.zoom);
  const std::array<double, 9> from_view = lensTo(view.shift, view.scale);
  const double readout = shutter.rolls() ? shutter.readout_s : 0;
  first_time_ = -0.5 * kBeyond * readout;
  per_second_ = readout > 0 ? (kTimes - 1) / (kBeyond * readout) : 0;
  const Quaternion to_frame = inverse(path.frames()[frame].orientation) * view.orientation;
  for (int k = 0; k < kTimes; ++k) {
    const double time = per_second_ > 0 ? first_time_ + k / per_second_ : 0;
    Point shift;
    double scale = 1;
    betweenFrames(path, frame, time, shift, scale);
    const Quaternion turn = inverse(path.turnSince(frame, time)) * to_frame;
    matrices_[static_cast<size_t>(k)] = times(lensFrom(shift, scale), times(matrixOf(turn).m, from_view));
  }
}

FrameMap::Matrix FrameMap::matrixAt(double time) const {
  if (per_second_ <= 0) return matrices_[0];
  const double at = std::clamp((time - first_time_) * per_second_, 0.0, kTimes - 1.001);
  const auto k = static_cast<size_t>(at);
  const double t = at - static_cast<double>(k);
  Matrix m;
  for (size_t j = 0; j < 9; ++j) m[j] = matrices_[k][j] + t * (matrices_[k + 1][j] - matrices_[k][j]);
  return m;
}

std::optional<Point> FrameMap::pixelAt(const Ray& ray, double time) const {
  const Matrix m = matrixAt(time);
  return lens_.rayToPixel(RotationMatrix{m} * ray);
}

std::optional<Point> FrameMap::toSource(Point output) const {
  const Point at = middle_ + (output - middle_) * (1 / zoom_) + offset_;
  const auto ray = window_.toRay(at);
  if (!ray) return std::nullopt;
  if (per_second_ <= 0) return pixelAt(*ray, 0);
  // Near enough to begin with: where it would be in a picture that only differs in scale.
  const Point near{(output.x - middle_.x) * source_per_output_ + (lens_.lens().width - 1) / 2.0,
                   (output.y - middle_.y) * source_per_output_ + (lens_.lens().height - 1) / 2.0};
  double time = rows_.at(near);
  std::optional<Point> pixel;
  for (int step = 0; step < kSteps; ++step) {
    pixel = pixelAt(*ray, time);
    if (!pixel) return std::nullopt;
    const double next = rows_.at(*pixel);
    // What a row's time changes is at most a few hundredths of its own distance.
    if (std::abs(next - time) < 2e-7) break;
    time = next;
  }
  return pixel;
}

std::optional<Point> FrameMap::toOutput(Point source) const {
  const auto seen = lens_.pixelToRay(source);
  if (!seen) return std::nullopt;
  const Matrix m = matrixAt(rows_.at(source));
  const double a = m[4] * m[8] - m[5] * m[7], b = m[5] * m[6] - m[3] * m[8], c = m[3] * m[7] - m[4] * m[6];
  const double det = m[0] * a + m[1] * b + m[2] * c;
  if (std::abs(det) < 1e-12) return std::nullopt;
  const Matrix back = {a / det, (m[2] * m[7] - m[1] * m[8]) / det, (m[1] * m[5] - m[2] * m[4]) / det,
                       b / det, (m[0] * m[8] - m[2] * m[6]) / det, (m[2] * m[3] - m[0] * m[5]) / det,
                       c / det, (m[1] * m[6] - m[0] * m[7]) / det, (m[0] * m[4] - m[1] * m[3]) / det};
  const auto at = window_.fromRay(RotationMatrix{back} * *seen);
  if (!at) return std::nullopt;
  return middle_ + (*at - offset_ - middle_) * zoom_;
}

}  // namespace glenhaze
