#include "core/motion/tracks.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <fstream>
#include <opencv2/imgproc.hpp>
#include <opencv2/video/tracking.hpp>
#include <thread>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/queue.h"

namespace glenhaze {

bool MotionMask::operator==(const MotionMask& other) const {
  const auto same = [](Point a, Point b) { return a.x == b.x && a.y == b.y; };
  return first == other.first && last == other.last &&
         std::equal(corners.begin(), corners.end(), other.corners.begin(), other.corners.end(), same);
}

namespace {

constexpr int kCellsAcross = 16, kCellsDown = 10;
constexpr int kWindow = 15;  // px of the reduced picture that a track looks at
constexpr int kLevels = 3;   // so that ±60 px are followed
constexpr int kBorder = 4;   // corners nearer to the picture's edge leave it at once
constexpr double kWeakest =
    2e-5;  // smaller eigenvalue of a corner, 1 = full contrast: about one code a pixel
constexpr float kWorstMatch = 24;      // mean difference of a patch, codes
constexpr float kMostSettling = 1.5F;  // px that a match against the anchor may move a point
constexpr int kBins = 32;

// Positions are kept in steps that fit 16 bits: 1/50 px at 1280 wide, 1/17 px at 3840. Rounded as they are
// tracked, so that a record read from its file is the same.
double stepsPerPixel(int width, int height) { return 65000.0 / (std::max(width, height) + 2); }
uint16_t toSteps(double v, double per_pixel) {
  return static_cast<uint16_t>(std::clamp(std::lround((v + 1) * per_pixel), 0L, 65535L));
}
float fromSteps(uint16_t steps, double per_pixel) { return static_cast<float>(steps / per_pixel - 1); }

// Luma as 8 bit, reduced by a whole factor: each sample the mean of factor × factor.
cv::Mat reducedLuma(const Frame& frame, int factor) {
  const Plane& luma = frame.planes[0];
  const int w = std::max(1, frame.width / factor), h = std::max(1, frame.height / factor);
  const bool bytes = frame.format.bytesPerSample() == 1;
  // Borrowed, not copied; OpenCV takes no const data but does not write to it.
  const cv::Mat whole(luma.height, luma.width, bytes ? CV_8U : CV_16U,
                      const_cast<uint8_t*>(luma.row<uint8_t>(0)), static_cast<size_t>(luma.stride));
  const cv::Mat used =
      whole(cv::Rect(0, 0, std::min(luma.width, w * factor), std::min(luma.height, h * factor)));
  cv::Mat out;
  if (factor > 1)
    cv::resize(used, out, {w, h}, 0, 0, cv::INTER_AREA);
  else
    out = used;
  if (!bytes)
    out.convertTo(out, CV_8U, 1.0 / (1 << (frame.format.bit_depth - 8)));
  else if (factor == 1)
    out = out.clone();
  return out;
}

float sharpnessOf(const cv::Mat& picture) {
  double sum = 0;
  int count = 0;
  for (int y = 0; y + 2 < picture.rows; y += 2) {
    const auto* row = picture.ptr<uint8_t>(y);
    const auto* below = picture.ptr<uint8_t>(y + 2);
    for (int x = 0; x + 2 < picture.cols; x += 2) {
      const int dx = row[x + 2] - row[x], dy = below[x] - row[x];
      sum += dx * dx + dy * dy;
      ++count;
    }
  }
  return static_cast<float>(sum / std::max(1, count));
}

using Histogram = std::array<float, kBins>;

Histogram histogramOf(const cv::Mat& picture) {
  Histogram h{};
  int count = 0;
  for (int y = 0; y < picture.rows; y += 2) {
    const auto* row = picture.ptr<uint8_t>(y);
    for (int x = 0; x < picture.cols; x += 2, ++count) h[row[x] / (256 / kBins)] += 1;
  }
  for (float& v : h) v /= static_cast<float>(std::max(1, count));
  return h;
}

float overlap(const Histogram& a, const Histogram& b) {
  float sum = 0;
  for (size_t i = 0; i < a.size(); ++i) sum += std::min(a[i], b[i]);
  return sum;
}

int cellOf(const cv::Point2f& p, const cv::Size& size) {
  const int cx =
      std::clamp(static_cast<int>(p.x * kCellsAcross / static_cast<float>(size.width)), 0, kCellsAcross - 1);
  const int cy =
      std::clamp(static_cast<int>(p.y * kCellsDown / static_cast<float>(size.height)), 0, kCellsDown - 1);
  return cy * kCellsAcross + cx;
}

// A picture in which corners were found. Points are matched against it for as long as they live, because
// errors of matching from frame to frame would add up.
struct Anchor {
  std::vector<cv::Mat> pyramid;
};

struct TrackPoint {
  cv::Point2f at;      // in the frame before
  cv::Point2f origin;  // in its anchor
  std::shared_ptr<const Anchor> anchor;
};

struct Corner {
  float strength;
  cv::Point2f at;
};

bool isPeak(const cv::Mat& strength, int x, int y) {
  const float here = strength.at<float>(y, x);
  for (int dy = -2; dy <= 2; ++dy)
    for (int dx = -2; dx <= 2; ++dx)
      if (strength.at<float>(y + dy, x + dx) > here) return false;
  return true;
}

}  // namespace

struct Tracker::Inside {
  TrackOptions options;
  int width = 0, height = 0, factor = 1;
  int64_t index = 0;
  std::vector<cv::Mat> before;  // pyramid of the frame before
  std::vector<TrackPoint> points;
  Histogram histogram{};
  double reference_mean = -1;
  size_t filled = 0;  // points behind the last refill

  int perCell() const {
    constexpr int kCells = kCellsAcross * kCellsDown;
    return std::max(1, (options.features + kCells / 2) / kCells);
  }

  // 255 where the scene may be tracked.
  cv::Mat sceneMask(const cv::Size& size) const {
    cv::Mat mask;
    for (const MotionMask& m : options.masks) {
      if (m.corners.size() < 3 || index < m.first || (m.last >= 0 && index >= m.last)) continue;
      if (mask.empty()) mask = cv::Mat(size, CV_8U, cv::Scalar(255));
      std::vector<cv::Point> polygon;
      for (const Point& p : m.corners)
        polygon.emplace_back(static_cast<int>(std::lround(p.x * size.width)),
                             static_cast<int>(std::lround(p.y * size.height)));
      cv::fillPoly(mask, std::vector<std::vector<cv::Point>>{polygon}, cv::Scalar(0));
    }
    return mask;
  }

  // Brings the exposure to that of the clip's beginning: what is followed is taken to keep its brightness.
  void evenExposure(cv::Mat& picture) {
    const double mean = cv::mean(picture)[0];
    if (reference_mean < 0) reference_mean = mean;
    const double gain = std::clamp(reference_mean / std::max(1.0, mean), 0.25, 4.0);
    if (std::abs(gain - 1) > 0.01) picture.convertTo(picture, CV_8U, gain);
  }

  // Tops the points up to what each cell should have, strongest corners first.
  void refill(const cv::Mat& picture, const std::vector<cv::Mat>& pyramid) {
    std::array<int, kCellsAcross * kCellsDown> have{};
    const cv::Size size = picture.size();
    const auto anchor = std::make_shared<const Anchor>(Anchor{pyramid});
    for (TrackPoint& p : points) {
      ++have[static_cast<size_t>(cellOf(p.at, size))];
      if (p.anchor) continue;
      p.anchor = anchor;
      p.origin = p.at;
    }
    cv::Mat strength;
    cv::cornerMinEigenVal(picture, strength, 3, 3);
    const cv::Mat mask = sceneMask(size);
    std::array<std::vector<Corner>, kCellsAcross * kCellsDown> found;
    for (int y = kBorder; y < size.height - kBorder; ++y) {
      const auto* row = strength.ptr<float>(y);
      for (int x = kBorder; x < size.width - kBorder; ++x) {
        if (row[x] < kWeakest || (!mask.empty() && mask.at<uint8_t>(y, x) == 0)) continue;
        const cv::Point2f at(static_cast<float>(x), static_cast<float>(y));
        const auto cell = static_cast<size_t>(cellOf(at, size));
        if (have[cell] < perCell() && isPeak(strength, x, y)) found[cell].push_back({row[x], at});
      }
    }
    const size_t old = points.size();
    for (size_t cell = 0; cell < found.size(); ++cell) {
      auto& corners = found[cell];
      std::stable_sort(corners.begin(), corners.end(),
                       [](const Corner& a, const Corner& b) { return a.strength > b.strength; });
      for (const Corner& c : corners) {
        if (have[cell] >= perCell()) break;
        const bool crowded = std::any_of(
            points.begin(), points.begin() + static_cast<ptrdiff_t>(old), [&](const TrackPoint& p) {
              return std::abs(p.at.x - c.at.x) < 6 && std::abs(p.at.y - c.at.y) < 6;
            });
        if (crowded) continue;
        points.push_back({c.at, c.at, anchor});
        ++have[cell];
      }
    }
  }
};

namespace {

// Where points that are about at `at` in the picture of `pyramid` lie against their anchors. Those that do
// not look as they did keep their place, and lose their anchor.
void settle(std::vector<TrackPoint>& points, std::vector<cv::Point2f>& at,
            const std::vector<cv::Mat>& pyramid) {
  for (size_t next = 0; next < points.size();) {
    // Points of one anchor were found together, so they stand together.
    const std::shared_ptr<const Anchor> anchor = points[next].anchor;
    size_t end = next;
    while (end < points.size() && points[end].anchor == anchor) ++end;
    if (anchor) {
      std::vector<cv::Point2f> from, to;
      for (size_t i = next; i < end; ++i) {
        from.push_back(points[i].origin);
        to.push_back(at[i]);
      }
      std::vector<uint8_t> status;
      std::vector<float> error;
      cv::calcOpticalFlowPyrLK(anchor->pyramid, pyramid, from, to, status, error, {kWindow, kWindow}, 0,
                               {cv::TermCriteria::COUNT + cv::TermCriteria::EPS, 12, 0.02},
                               cv::OPTFLOW_USE_INITIAL_FLOW);
      for (size_t i = next; i < end; ++i) {
        const cv::Point2f& found = to[i - next];
        const bool same = status[i - next] != 0 && error[i - next] < 0.6F * kWorstMatch &&
                          std::hypot(found.x - at[i].x, found.y - at[i].y) < kMostSettling;
        if (same)
          at[i] = found;
        else
          points[i].anchor.reset();
      }
    }
    next = end;
  }
}

}  // namespace

Tracker::Tracker(int width, int height, const TrackOptions& options) : inside_(std::make_unique<Inside>()) {
  if (options.working_width < 320 || options.working_width > 1920)
    throw Error(ErrorKind::BadRequest, "The working width must be from 320 to 1920 px", "",
                std::to_string(options.working_width), "");
  if (options.features < 40 || options.features > 2000)
    throw Error(ErrorKind::BadRequest, "The number of features must be from 40 to 2000", "",
                std::to_string(options.features), "");
  inside_->options = options;
  inside_->width = width;
  inside_->height = height;
  inside_->factor =
      std::max(1, static_cast<int>(std::lround(static_cast<double>(width) / options.working_width)));
}
Tracker::~Tracker() = default;
Tracker::Tracker(Tracker&&) noexcept = default;
Tracker& Tracker::operator=(Tracker&&) noexcept = default;

FrameTracks Tracker::push(const Frame& frame, double time_s) {
  Inside& in = *inside_;
  FrameTracks result;
  result.time_s = time_s;
  cv::Mat picture = reducedLuma(frame, in.factor);
  in.evenExposure(picture);
  result.sharpness = sharpnessOf(picture);
  const Histogram histogram = histogramOf(picture);
  std::vector<cv::Mat> pyramid;
  cv::buildOpticalFlowPyramid(picture, pyramid, {kWindow, kWindow}, kLevels);
  size_t asked = 0, kept = 0;
  if (!in.before.empty() && !in.points.empty()) {
    std::vector<cv::Point2f> from, moved;
    for (const TrackPoint& p : in.points) from.push_back(p.at);
    std::vector<uint8_t> status;
    std::vector<float> error;
    cv::calcOpticalFlowPyrLK(in.before, pyramid, from, moved, status, error, {kWindow, kWindow}, kLevels,
                             {cv::TermCriteria::COUNT + cv::TermCriteria::EPS, 10, 0.06});
    settle(in.points, moved, pyramid);
    const cv::Mat mask = in.sceneMask(picture.size());
    const auto f = static_cast<float>(in.factor);
    const double steps = stepsPerPixel(in.width, in.height);
    const auto toSource = [f, steps](float v) {
      return fromSteps(toSteps((v + 0.5F) * f - 0.5F, steps), steps);
    };
    std::vector<TrackPoint> survivors;
    asked = moved.size();
    for (size_t i = 0; i < moved.size(); ++i) {
      const cv::Point2f& p = moved[i];
      if (status[i] == 0 || error[i] > kWorstMatch) continue;
      if (p.x < 1 || p.y < 1 || p.x > static_cast<float>(picture.cols - 2) ||
          p.y > static_cast<float>(picture.rows - 2))
        continue;
      ++kept;
      if (!mask.empty() && mask.at<uint8_t>(static_cast<int>(p.y), static_cast<int>(p.x)) == 0) continue;
      result.pairs.push_back({toSource(from[i].x), toSource(from[i].y), toSource(p.x), toSource(p.y)});
      survivors.push_back({p, in.points[i].origin, in.points[i].anchor});
    }
    // A fast move loses tracks but keeps the picture's tones; a cut loses both.
    if (kept * 2 < asked && overlap(histogram, in.histogram) < 0.7F) {
      result.cut = true;
      result.pairs.clear();
      survivors.clear();
    }
    in.points = std::move(survivors);
  }
  // Parts without detail stay empty however often they are searched: what was found last is the measure.
  if (in.points.size() * 5 < in.filled * 4 || in.index % 10 == 0) {
    in.refill(picture, pyramid);
    in.filled = in.points.size();
  }
  in.before = std::move(pyramid);
  in.histogram = histogram;
  ++in.index;
  return result;
}

TrackRecord trackClip(const ClipInfo& clip, const TrackOptions& options, const Progress& progress,
                      const TrackRecord* resume, TrackRecord* partial) {
  TrackRecord record;
  record.width = clip.width;
  record.height = clip.height;
  int64_t begin = 0;
  if (resume != nullptr && resume->width == clip.width && resume->height == clip.height &&
      resume->frames.size() > 1) {
    record.frames = resume->frames;
    // The last frame is read again, so that the next one has something to be linked to.
    begin = static_cast<int64_t>(record.frames.size()) - 1;
  }
  ClipReader reader(clip, {0, options.fields});
  if (begin > 0) reader.seek(begin);
  BoundedQueue<Frame> decoded(4);
  std::exception_ptr failure;
  {
    const std::jthread decoder([&] {
      try {
        while (auto frame = reader.next())
          if (!decoded.push(std::move(*frame))) break;
      } catch (...) {
        failure = std::current_exception();
      }
      decoded.close();
    });
    try {
      Tracker tracker(clip.width, clip.height, options);
      int64_t index = begin;
      while (const auto frame = decoded.pop()) {
        progress.check();
        const double time = static_cast<double>(frame->pts - clip.start_pts) * clip.time_base.value();
        FrameTracks tracks = tracker.push(*frame, time);
        if (index != begin || begin == 0) record.frames.push_back(std::move(tracks));
        ++index;
        progress.update(static_cast<double>(index) / static_cast<double>(std::max<int64_t>(1, clip.frames)));
      }
    } catch (...) {
      if (partial != nullptr) *partial = record;
      decoded.close();
      throw;
    }
  }
  if (failure) std::rethrow_exception(failure);
  if (record.frames.empty())
    throw Error(ErrorKind::Unreadable, "The clip holds no frames", clip.path.string(), "", "");
  return record;
}

namespace {

constexpr const char* kMagic = "glenhaze-tracks 1\n";
template <typename T>
void append(std::string& text, T value) {
  text.append(reinterpret_cast<const char*>(&value), sizeof value);
}

class Bytes {
 public:
  explicit Bytes(std::string_view text) : text_(text) {}
  template <typename T>
  T take() {
    T value{};
    if (text_.size() < sizeof value) {
      short_ = true;
      return value;
    }
    std::memcpy(&value, text_.data(), sizeof value);
    text_.remove_prefix(sizeof value);
    return value;
  }
  bool ranShort() const { return short_; }
  size_t left() const { return text_.size(); }

 private:
  std::string_view text_;
  bool short_ = false;
};

}  // namespace

void saveTracks(const TrackRecord& record, const std::string& key, const std::filesystem::path& path) {
  std::string text = kMagic + key + "\n";
  append(text, static_cast<int32_t>(record.width));
  append(text, static_cast<int32_t>(record.height));
  append(text, static_cast<int32_t>(record.frames.size()));
  const double steps = stepsPerPixel(record.width, record.height);
  const auto put = [&](float v) { append(text, toSteps(v, steps)); };
  for (const FrameTracks& f : record.frames) {
    append(text, f.time_s);
    append(text, f.sharpness);
    append(text, static_cast<uint16_t>(f.cut ? 1 : 0));
    append(text, static_cast<uint16_t>(f.pairs.size()));
    for (const TrackPair& p : f.pairs) {
      put(p.from_x);
      put(p.from_y);
      put(p.to_x);
      put(p.to_y);
    }
  }
  writeFileAtomically(path, text);
}

std::optional<TrackRecord> loadTracks(const std::string& key, const std::filesystem::path& path) {
  std::error_code ignored;
  if (!std::filesystem::exists(path, ignored)) return std::nullopt;
  const std::string text = readFile(path);
  const std::string head = kMagic + key + "\n";
  if (!text.starts_with(head)) return std::nullopt;
  Bytes bytes(std::string_view(text).substr(head.size()));
  TrackRecord record;
  record.width = bytes.take<int32_t>();
  record.height = bytes.take<int32_t>();
  const auto count = bytes.take<int32_t>();
  if (count < 0 || record.width < 1 || record.height < 1) return std::nullopt;
  const double steps = stepsPerPixel(record.width, record.height);
  const auto get = [&] { return fromSteps(bytes.take<uint16_t>(), steps); };
  for (int i = 0; i < count && !bytes.ranShort(); ++i) {
    FrameTracks f;
    f.time_s = bytes.take<double>();
    f.sharpness = bytes.take<float>();
    f.cut = bytes.take<uint16_t>() != 0;
    f.pairs.resize(bytes.take<uint16_t>());
    for (TrackPair& p : f.pairs) p = {get(), get(), get(), get()};
    record.frames.push_back(std::move(f));
  }
  if (bytes.ranShort() || bytes.left() > 0) return std::nullopt;
  return record;
}

}  // namespace glenhaze
