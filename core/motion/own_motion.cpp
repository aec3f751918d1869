#include "core/motion/own_motion.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <opencv2/imgproc.hpp>
#include <opencv2/video/tracking.hpp>

#include "core/base/bilinear.h"
#include "core/base/parallel.h"
#include "core/motion/detail/reduced_luma.h"

namespace glenhaze {

namespace {

constexpr int kWorkingWidth = 640;
constexpr double kSpacing = 12;       // px of the reduced picture from point to point of the field
constexpr double kStill_px = 0.35;    // of the reduced picture a frame: what the measurement may be off
constexpr double kDisagree_px = 1.0;  // between both neighbours, and a third of the motion itself

double squared(double v) { return v * v; }

// Uniform cubic B-spline: smooth to the second derivative, so that the map stays easy to interpolate.
std::array<double, 4> splineWeights(double t) {
  const double u = 1 - t;
  return {u * u * u / 6, (3 * t * t * t - 6 * t * t + 4) / 6, (3 * u * u * u - 6 * u * u + 4) / 6,
          t * t * t / 6};
}

double sampled(const cv::Mat& picture, double x, double y) {
  const double cx = std::clamp(x, 0.0, picture.cols - 1.001), cy = std::clamp(y, 0.0, picture.rows - 1.001);
  const int x0 = static_cast<int>(cx), y0 = static_cast<int>(cy);
  const double tx = cx - x0, ty = cy - y0;
  const uint8_t *a = picture.ptr<uint8_t>(y0) + x0,
                *b = picture.ptr<uint8_t>(std::min(y0 + 1, picture.rows - 1)) + x0;
  const int right = std::min(1, picture.cols - 1 - x0);
  return bilinear<double>(a[0], a[right], b[0], b[right], tx, ty);
}

// Mean difference of the patch around a sample from where it is said to have gone, codes.
double mismatch(const cv::Mat& now, const cv::Mat& other, cv::Point p, Point moved) {
  constexpr int kHalf = 5;
  double sum = 0;
  for (int j = -kHalf; j <= kHalf; ++j) {
    const uint8_t* row = now.ptr<uint8_t>(std::clamp(p.y + j, 0, now.rows - 1));
    for (int i = -kHalf; i <= kHalf; ++i)
      sum += std::abs(row[std::clamp(p.x + i, 0, now.cols - 1)] -
                      sampled(other, p.x + i + moved.x, p.y + j + moved.y));
  }
  return sum / squared(2 * kHalf + 1);
}

// Own motion counts where the picture needs it: where a standing scene would explain it as well, as in plain
// sky, there is none. 0..1.
double neededBy(double standing, double moving) {
  constexpr double kNoise = 1;  // code
  return std::clamp(((standing + kNoise) / (moving + kNoise) - 1.12) / 0.2, 0.0, 1.0);
}

// How surely a place shows where it went: by its own detail, whatever that did. A stripe shows nothing of
// what goes along it. 0..1.
double toldBy(const cv::Mat& picture, cv::Point p) {
  const double detail =
      std::sqrt(mismatch(picture, picture, p, {2, 0}) * mismatch(picture, picture, p, {0, 2}));
  return std::clamp((detail - 1.5) / 3, 0.0, 1.0);
}

// Nothing below what the measurement may be off, everything well above, smooth between.
double trust(double px) {
  const double t = std::clamp((px - kStill_px) / kStill_px, 0.0, 1.0);
  return t * t * (3 - 2 * t);
}

}  // namespace

OwnMotion::OwnMotion(int columns, int rows, double spacing, std::vector<Point> values)
    : columns_(columns), rows_(rows), spacing_(spacing), values_(std::move(values)) {}

Point OwnMotion::at(Point source) const {
  if (values_.empty()) return {};
  const double gx = std::clamp(source.x / spacing_, 0.0, columns_ - 1.0),
               gy = std::clamp(source.y / spacing_, 0.0, rows_ - 1.0);
  const int c = static_cast<int>(gx), r = static_cast<int>(gy);
  const auto wx = splineWeights(gx - c), wy = splineWeights(gy - r);
  Point sum;
  for (int j = 0; j < 4; ++j) {
    const int row = std::clamp(r + j - 1, 0, rows_ - 1);
    for (int i = 0; i < 4; ++i) {
      const int column = std::clamp(c + i - 1, 0, columns_ - 1);
      sum = sum + values_[static_cast<size_t>(row * columns_ + column)] *
                      (wx[static_cast<size_t>(i)] * wy[static_cast<size_t>(j)]);
    }
  }
  return sum;
}

double OwnMotion::fastest() const {
  double most = 0;
  for (const Point& v : values_) most = std::max(most, length(v));
  return most;
}

std::optional<Point> carriedBy(const CameraPath& path, const RowTimes& rows, const LensMap& lens, size_t from,
                               size_t to, Point source) {
  const auto ray = lens.pixelToRay(source);
  if (!ray) return std::nullopt;
  const Ray world = (path.frames()[from].orientation * path.turnSince(from, rows.at(source))) * *ray;
  double time = rows.at(source);
  std::optional<Point> pixel;
  for (int step = 0; step < 3; ++step) {
    pixel = lens.rayToPixel(inverse(path.frames()[to].orientation * path.turnSince(to, time)) * world);
    if (!pixel) return std::nullopt;
    time = rows.at(*pixel);
  }
  return pixel;
}

Point shownAt(const OwnMotion& own, const RowTimes& rows, Point still) {
  Point at = still;
  for (int step = 0; step < 3; ++step) at = still + own.at(at) * rows.at(at);
  return at;
}

struct OwnMotionMeter::Inside {
  const CameraPath& path;
  const LensMap& lens;
  RowTimes rows;
  int factor;
  cv::Ptr<cv::DISOpticalFlow> flow = cv::DISOpticalFlow::create(cv::DISOpticalFlow::PRESET_FAST);
  // The pictures asked for last: neighbours are asked for again.
  std::array<std::pair<int64_t, cv::Mat>, 3> pictures{{{-1, {}}, {-1, {}}, {-1, {}}}};

  cv::Mat picture(const Frame& frame) {
    auto& kept = pictures[static_cast<size_t>(frame.index % 3)];
    if (kept.first != frame.index) kept = {frame.index, detail::reducedLuma(frame, factor)};
    return kept.second;
  }

  // Own velocity in px of the reduced picture a second, seen against a neighbour, and how sure it is, 0..1.
  struct Seen {
    Point velocity;
    double weight = 0;
  };

  std::vector<Seen> against(const Frame& now, const Frame& other, int columns, int rows_down,
                            double spacing) {
    std::vector<Seen> seen(static_cast<size_t>(columns * rows_down));
    const auto count = static_cast<int64_t>(path.frames().size());
    if (now.index < 0 || other.index < 0 || now.index >= count || other.index >= count) return seen;
    const auto from = static_cast<size_t>(now.index), to = static_cast<size_t>(other.index);
    if (path.frames()[std::max(from, to)].doubt == PathDoubt::Cut) return seen;
    cv::Mat field;
    const cv::Mat a = picture(now), b = picture(other);
    flow->calc(a, b, field);
    const double f = factor;
    parallelBlocks(rows_down, 4, [&](int first, int last) {
      for (int r = first; r < last; ++r)
        for (int c = 0; c < columns; ++c) {
          const Point source{std::min(c * spacing, lens.lens().width - 1.0),
                             std::min(r * spacing, lens.lens().height - 1.0)};
          const int x = std::clamp(static_cast<int>(source.x / f), 0, field.cols - 1),
                    y = std::clamp(static_cast<int>(source.y / f), 0, field.rows - 1);
          const auto carried = carriedBy(path, rows, lens, from, to, source);
          if (!carried) continue;
          const auto& moved = field.at<cv::Point2f>(y, x);
          const Point arrived{source.x + static_cast<double>(moved.x) * f,
                              source.y + static_cast<double>(moved.y) * f};
          const double seconds =
              path.frames()[to].time_s + rows.at(arrived) - path.frames()[from].time_s - rows.at(source);
          if (std::abs(seconds) < 1e-4) continue;
          const Point stood = (*carried - source) * (1 / f), went = (arrived - source) * (1 / f);
          const cv::Point small(x, y);
          const double needed = neededBy(mismatch(a, b, small, stood), mismatch(a, b, small, went));
          seen[static_cast<size_t>(r * columns + c)] = {(went - stood) * (needed / seconds),
                                                        std::max(needed, toldBy(a, small))};
        }
    });
    return seen;
  }
};

OwnMotionMeter::OwnMotionMeter(const CameraPath& path, const Shutter& shutter, const LensMap& lens)
    : inside_(new Inside{
          path, lens, RowTimes(shutter, lens.lens().width, lens.lens().height),
          std::max(1, static_cast<int>(std::lround(lens.lens().width / double{kWorkingWidth})))}) {}
OwnMotionMeter::~OwnMotionMeter() = default;

namespace {

// Values on the field's points, and how sure each is.
struct Field {
  int columns, rows;
  std::vector<Point> values;
  std::vector<double> weights;

  size_t index(int c, int r) const { return static_cast<size_t>(r * columns + c); }
  template <typename Visit>
  void around(int c, int r, int reach, Visit visit) const {
    for (int j = std::max(0, r - reach); j <= std::min(rows - 1, r + reach); ++j)
      for (int i = std::max(0, c - reach); i <= std::min(columns - 1, c + reach); ++i)
        visit(i - c, j - r, index(i, j));
  }
};

// Middle value of each component of the sure ones around every point: one that is off does not come through,
// and one that stands alone counts for little.
Field calmed(const Field& field) {
  constexpr double kSure = 0.3;
  Field out = field;
  for (int r = 0; r < field.rows; ++r)
    for (int c = 0; c < field.columns; ++c) {
      std::array<double, 9> x{}, y{};
      size_t n = 0;
      field.around(c, r, 1, [&](int, int, size_t at) {
        if (field.weights[at] < kSure) return;
        x[n] = field.values[at].x;
        y[n++] = field.values[at].y;
      });
      const size_t here = field.index(c, r);
      if (n < 3) {
        out.weights[here] *= 0.3;
        continue;
      }
      const auto half = static_cast<ptrdiff_t>(n / 2), end = static_cast<ptrdiff_t>(n);
      std::nth_element(x.begin(), x.begin() + half, x.begin() + end);
      std::nth_element(y.begin(), y.begin() + half, y.begin() + end);
      out.values[here] = {x[n / 2], y[n / 2]};
    }
  return out;
}

// What has no detail of its own goes with what surrounds it, and stands where nothing near says anything.
std::vector<Point> filled(const Field& field) {
  constexpr int kReach = 3;
  constexpr double kSigma = 1.2, kStanding = 0.02;
  std::vector<Point> out(field.values.size());
  for (int r = 0; r < field.rows; ++r)
    for (int c = 0; c < field.columns; ++c) {
      Point sum;
      double weight = kStanding;
      field.around(c, r, kReach, [&](int dx, int dy, size_t at) {
        const double w = field.weights[at] * std::exp(-(dx * dx + dy * dy) / (2 * kSigma * kSigma));
        sum = sum + field.values[at] * w;
        weight += w;
      });
      out[field.index(c, r)] = sum * (1 / weight);
    }
  return out;
}

// Both neighbours together. What they do not agree on is covered in one of them, or was not followed.
template <typename Seen>
Seen agreed(const Seen& a, const Seen& b, double interval) {
  const double weight = a.weight + b.weight;
  if (weight <= 0) return {};
  const Point mean = (a.velocity * a.weight + b.velocity * b.weight) * (1 / weight);
  double agreement = 1;
  if (a.weight > 0 && b.weight > 0) {
    const double off = length(a.velocity - b.velocity) * interval,
                 much = kDisagree_px + length(mean) * interval / 3;
    agreement = std::exp(-squared(off / much));
  }
  return {mean, std::max(a.weight, b.weight) * agreement};
}

double frameInterval(const CameraPath& path) {
  const auto& frames = path.frames();
  return frames.size() < 2
             ? 1
             : (frames.back().time_s - frames.front().time_s) / static_cast<double>(frames.size() - 1);
}

}  // namespace

OwnMotion OwnMotionMeter::measure(const Frame* before, const Frame& now, const Frame* after) {
  Inside& in = *inside_;
  const double spacing = kSpacing * in.factor, interval = frameInterval(in.path);
  Field field{static_cast<int>(now.width / spacing) + 2, static_cast<int>(now.height / spacing) + 2, {}, {}};
  std::vector<Inside::Seen> back(static_cast<size_t>(field.columns * field.rows)), ahead(back.size());
  if (before != nullptr) back = in.against(now, *before, field.columns, field.rows, spacing);
  if (after != nullptr) ahead = in.against(now, *after, field.columns, field.rows, spacing);
  for (size_t i = 0; i < back.size(); ++i) {
    const Inside::Seen both = agreed(back[i], ahead[i], interval);
    field.values.push_back(both.velocity);
    field.weights.push_back(both.weight);
  }
  std::vector<Point> values = filled(calmed(field));
  for (Point& v : values) v = v * (trust(length(v) * interval) * in.factor);
  return {field.columns, field.rows, spacing, std::move(values)};
}

}  // namespace glenhaze
