#include "core/motion/detail/follower.h"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <opencv2/imgproc.hpp>
#include <opencv2/video/tracking.hpp>
#include <optional>

#include "core/base/error.h"
#include "core/motion/detail/reduced_luma.h"

namespace glenhaze::detail {

namespace {

constexpr int kCellsAcross = 16, kCellsDown = 10;
// What a track looks at, px of the reduced picture. OpenCV's kernel takes 8 px at once: widths in between
// cost as much as twice that.
const cv::Size kWindow(16, 14), kFarWindow(16, 10);
constexpr int kLevels = 3;        // so that ±60 px are followed
constexpr int kRefillEvery = 10;  // frames, if points are not lost before
constexpr int kBorder = 4;        // corners nearer to the picture's edge leave it at once
constexpr double kWeakest =
    2e-5;  // smaller eigenvalue of a corner, 1 = full contrast: about one code a pixel
constexpr float kWorstMatch = 24;      // mean difference of a patch, codes
constexpr float kMostSettling = 1.5F;  // px that a match against the anchor may move a point
constexpr int kBins = std::tuple_size_v<ToneHistogram>;

int reductionOf(int width, const TrackOptions& options) {
  return std::max(1, static_cast<int>(std::lround(static_cast<double>(width) / options.working_width)));
}

float sharpnessOf(const cv::Mat& picture) {
  double sum = 0, count = 0;
  for (int y = 0; y + 2 < picture.rows; y += 2) {
    const auto* row = picture.ptr<uint8_t>(y);
    const auto* below = picture.ptr<uint8_t>(y + 2);
    uint32_t of_row = 0;  // up to 16,000 differences of 2 · 255²: pictures are reduced before
    int x = 0;
    for (; x + 2 < picture.cols; x += 2) {
      const int dx = row[x + 2] - row[x], dy = below[x] - row[x];
      of_row += static_cast<uint32_t>(dx * dx + dy * dy);
    }
    sum += of_row;
    count += x / 2;
  }
  return static_cast<float>(sum / std::max(1.0, count));
}

ToneHistogram histogramOf(const cv::Mat& picture) {
  std::array<int, kBins> counts{};
  for (int y = 0; y < picture.rows; y += 2) {
    const auto* row = picture.ptr<uint8_t>(y);
    for (int x = 0; x < picture.cols; x += 2) ++counts[row[x] / (256 / kBins)];
  }
  const int count = std::accumulate(counts.begin(), counts.end(), 0);
  ToneHistogram h{};
  for (size_t i = 0; i < h.size(); ++i)
    h[i] = static_cast<float>(counts[i]) / static_cast<float>(std::max(1, count));
  return h;
}

float overlap(const ToneHistogram& a, const ToneHistogram& b) {
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

struct Corner {
  float strength;
  cv::Point2f at;
};

// The smaller eigenvalue of each place's gradients.
cv::Mat strengthOf(const cv::Mat& picture) {
  cv::Mat strength;
  cv::cornerMinEigenVal(picture, strength, 3, 3);
  return strength;
}

bool isPeak(const cv::Mat& strength, int x, int y) {
  const float here = strength.at<float>(y, x);
  for (int dy = -2; dy <= 2; ++dy)
    for (int dx = -2; dx <= 2; ++dx)
      if (strength.at<float>(y + dy, x + dx) > here) return false;
  return true;
}

cv::Rect cellRect(int cell, const cv::Size& size) {
  const auto begin = [](int i, int length, int count) { return (i * length + count - 1) / count; };
  const int cx = cell % kCellsAcross, cy = cell / kCellsAcross;
  const int x0 = std::max(kBorder, begin(cx, size.width, kCellsAcross));
  const int y0 = std::max(kBorder, begin(cy, size.height, kCellsDown));
  const int x1 = std::min(size.width - kBorder, begin(cx + 1, size.width, kCellsAcross));
  const int y1 = std::min(size.height - kBorder, begin(cy + 1, size.height, kCellsDown));
  return {x0, y0, std::max(0, x1 - x0), std::max(0, y1 - y0)};
}

// Of one cell, strongest first.
std::vector<Corner> cornersIn(const cv::Mat& strength, const cv::Mat& mask, int cell) {
  const cv::Rect rect = cellRect(cell, strength.size());
  std::vector<Corner> corners;
  for (int y = rect.y; y < rect.y + rect.height; ++y) {
    const auto* row = strength.ptr<float>(y);
    for (int x = rect.x; x < rect.x + rect.width; ++x) {
      if (row[x] < kWeakest || (!mask.empty() && mask.at<uint8_t>(y, x) == 0)) continue;
      if (isPeak(strength, x, y))
        corners.push_back({row[x], cv::Point2f(static_cast<float>(x), static_cast<float>(y))});
    }
  }
  std::stable_sort(corners.begin(), corners.end(),
                   [](const Corner& a, const Corner& b) { return a.strength > b.strength; });
  return corners;
}

}  // namespace

FramePreparer::FramePreparer(int width, const TrackOptions& options, int64_t first)
    : factor_(reductionOf(width, options)), first_(first), index_(first) {
  if (options.working_width < 320 || options.working_width > 1920)
    throw Error(ErrorKind::BadRequest, "The working width must be from 320 to 1920 px", "",
                std::to_string(options.working_width), "");
  if (options.features < 40 || options.features > 2000)
    throw Error(ErrorKind::BadRequest, "The number of features must be from 40 to 2000", "",
                std::to_string(options.features), "");
}

PreparedFrame FramePreparer::prepare(const Frame& frame, double time_s) {
  PreparedFrame p;
  p.time_s = time_s;
  p.picture = reducedLuma(frame, factor_);
  evenExposure(p.picture);
  p.sharpness = sharpnessOf(p.picture);
  p.histogram = histogramOf(p.picture);
  cv::buildOpticalFlowPyramid(p.picture, p.pyramid, kWindow, kLevels);
  if ((index_++ - first_) % kRefillEvery == 0) p.strength = strengthOf(p.picture);
  return p;
}

// Brings the exposure to that of the clip's beginning: what is followed is taken to keep its brightness.
void FramePreparer::evenExposure(cv::Mat& picture) {
  const double mean = cv::mean(picture)[0];
  if (reference_mean_ < 0) reference_mean_ = mean;
  const double gain = std::clamp(reference_mean_ / std::max(1.0, mean), 0.25, 4.0);
  if (std::abs(gain - 1) > 0.01) picture.convertTo(picture, CV_8U, gain);
}

PointFollower::PointFollower(int width, int height, const TrackOptions& options, int64_t first)
    : options_(options),
      steps_(width, height),
      factor_(reductionOf(width, options)),
      first_(first),
      index_(first) {}

int PointFollower::perCell() const {
  constexpr int kCells = kCellsAcross * kCellsDown;
  return std::max(1, (options_.features + kCells / 2) / kCells);
}

// 255 where the scene may be tracked.
cv::Mat PointFollower::sceneMask(const cv::Size& size) const {
  cv::Mat mask;
  for (const MotionMask& m : options_.masks) {
    if (m.corners.size() < 3 || !m.holdsAt(index_)) continue;
    if (mask.empty()) mask = cv::Mat(size, CV_8U, cv::Scalar(255));
    std::vector<cv::Point> polygon;
    for (const Point& p : m.corners)
      polygon.emplace_back(static_cast<int>(std::lround(p.x * size.width)),
                           static_cast<int>(std::lround(p.y * size.height)));
    cv::fillPoly(mask, std::vector<std::vector<cv::Point>>{polygon}, cv::Scalar(0));
  }
  return mask;
}

// Where the points are now, to about a pixel: the finest picture is left to matching against the anchors,
// which is needed anyway.
PointFollower::Moved PointFollower::moveFar(const std::vector<cv::Mat>& pyramid) const {
  const auto coarse = [](const std::vector<cv::Mat>& whole) {
    return std::vector<cv::Mat>(whole.begin() + 2, whole.end());
  };
  std::vector<cv::Point2f> from;
  Moved moved;
  for (const TrackPoint& p : points_) {
    from.push_back(p.at * 0.5F);
    moved.at.push_back((p.at + p.step) * 0.5F);
  }
  cv::calcOpticalFlowPyrLK(
      coarse(before_), coarse(pyramid), from, moved.at, moved.found, moved.error, kFarWindow, kLevels - 1,
      {cv::TermCriteria::COUNT + cv::TermCriteria::EPS, 10, 0.1}, cv::OPTFLOW_USE_INITIAL_FLOW);
  for (cv::Point2f& p : moved.at) p *= 2.0F;
  return moved;
}

// Points that have no anchor are matched against the frame before.
void PointFollower::moveNear(const std::vector<cv::Mat>& pyramid, Moved& moved) const {
  std::vector<size_t> which;
  std::vector<cv::Point2f> from, to;
  for (size_t i = 0; i < points_.size(); ++i) {
    if (points_[i].anchor || moved.found[i] == 0) continue;
    which.push_back(i);
    from.push_back(points_[i].at);
    to.push_back(moved.at[i]);
  }
  if (which.empty()) return;
  std::vector<uint8_t> found;
  std::vector<float> error;
  cv::calcOpticalFlowPyrLK(before_, pyramid, from, to, found, error, kWindow, 0,
                           {cv::TermCriteria::COUNT + cv::TermCriteria::EPS, 10, 0.06},
                           cv::OPTFLOW_USE_INITIAL_FLOW);
  for (size_t k = 0; k < which.size(); ++k) {
    moved.at[which[k]] = to[k];
    moved.found[which[k]] = found[k];
    moved.error[which[k]] = error[k];
  }
}

// Where points lie against their anchors. Those that do not look as they did lose their anchor.
void PointFollower::settle(const std::vector<cv::Mat>& pyramid, Moved& moved) {
  std::vector<const TrackAnchor*> anchors;  // in the order in which they are met
  for (const TrackPoint& p : points_)
    if (p.anchor && std::find(anchors.begin(), anchors.end(), p.anchor.get()) == anchors.end())
      anchors.push_back(p.anchor.get());
  for (const TrackAnchor* anchor : anchors) {
    std::vector<size_t> which;
    std::vector<cv::Point2f> from, to;
    for (size_t i = 0; i < points_.size(); ++i) {
      if (points_[i].anchor.get() != anchor) continue;
      which.push_back(i);
      from.push_back(points_[i].origin);
      to.push_back(moved.at[i]);
    }
    std::vector<uint8_t> status;
    std::vector<float> error;
    cv::calcOpticalFlowPyrLK(anchor->pyramid, pyramid, from, to, status, error, kWindow, 0,
                             {cv::TermCriteria::COUNT + cv::TermCriteria::EPS, 12, 0.02},
                             cv::OPTFLOW_USE_INITIAL_FLOW);
    for (size_t k = 0; k < which.size(); ++k) {
      const size_t i = which[k];
      const cv::Point2f by = to[k] - moved.at[i];
      const bool same =
          status[k] != 0 && error[k] < 0.6F * kWorstMatch && by.dot(by) < kMostSettling * kMostSettling;
      if (same)
        moved.at[i] = to[k];
      else
        points_[i].anchor.reset();
    }
  }
}

void PointFollower::link(const PreparedFrame& now, FrameTracks& result) {
  Moved moved = moveFar(now.pyramid);
  settle(now.pyramid, moved);
  moveNear(now.pyramid, moved);
  const cv::Size size = now.picture.size();
  const cv::Mat mask = sceneMask(size);
  const auto f = static_cast<float>(factor_);
  const auto toSource = [&](float v) { return steps_.from(steps_.to((v + 0.5F) * f - 0.5F)); };
  std::vector<TrackPoint> survivors;
  std::vector<TrackPair> pairs;
  size_t kept = 0;
  for (size_t i = 0; i < points_.size(); ++i) {
    const cv::Point2f& p = moved.at[i];
    if (moved.found[i] == 0 || moved.error[i] > kWorstMatch) continue;
    if (p.x < 1 || p.y < 1 || p.x > static_cast<float>(size.width - 2) ||
        p.y > static_cast<float>(size.height - 2))
      continue;
    ++kept;
    if (!mask.empty() && mask.at<uint8_t>(static_cast<int>(p.y), static_cast<int>(p.x)) == 0) continue;
    const cv::Point2f& from = points_[i].at;
    pairs.push_back({toSource(from.x), toSource(from.y), toSource(p.x), toSource(p.y)});
    survivors.push_back({p, p - from, points_[i].origin, points_[i].anchor});
  }
  // A fast move loses tracks but keeps the picture's tones; a cut loses both.
  if (kept * 2 < points_.size() && overlap(now.histogram, histogram_) < 0.7F) {
    result.cut = true;
    pairs.clear();
    survivors.clear();
  }
  result.pairs = std::move(pairs);
  points_ = std::move(survivors);
}

FrameTracks PointFollower::follow(PreparedFrame now) {
  FrameTracks result;
  result.time_s = now.time_s;
  result.sharpness = now.sharpness;
  if (!before_.empty() && !points_.empty()) link(now, result);
  // Parts without detail stay empty however often they are searched: what was found last is the measure.
  if (points_.size() * 5 < filled_ * 4 || (index_ - first_) % kRefillEvery == 0) {
    refill(now);
    filled_ = points_.size();
  }
  before_ = std::move(now.pyramid);
  histogram_ = now.histogram;
  ++index_;
  return result;
}

// Points without an anchor get this one.
void PointFollower::anchorLoose(const std::shared_ptr<const TrackAnchor>& anchor) {
  for (TrackPoint& p : points_) {
    if (p.anchor) continue;
    p.anchor = anchor;
    p.origin = p.at;
  }
}

// Points that have crowded into few cells cost time and tell little: the older ones stay.
PointFollower::CellCounts PointFollower::thinOut(const cv::Size& size) {
  static_assert(std::tuple_size_v<CellCounts> == kCellsAcross * kCellsDown);
  CellCounts have{};
  std::erase_if(points_, [&](const TrackPoint& p) {
    int& count = have[static_cast<size_t>(cellOf(p.at, size))];
    const bool full = count > mostInCell();
    count += full ? 0 : 1;
    return full;
  });
  return have;
}

// Tops the points up to what each cell should have, strongest corners first.
void PointFollower::refill(const PreparedFrame& now) {
  // A picture smaller than what a track looks at has no second level: nothing can be followed in it.
  constexpr size_t kTwoLevels = 4;  // pictures and gradients
  if (now.pyramid.size() < kTwoLevels) return;
  const cv::Size size = now.picture.size();
  const auto anchor = std::make_shared<const TrackAnchor>(TrackAnchor{now.pyramid});
  anchorLoose(anchor);
  CellCounts have = thinOut(size);
  const cv::Mat strength = now.strength.empty() ? strengthOf(now.picture) : now.strength;
  const cv::Mat mask = sceneMask(size);
  struct Offer {
    std::vector<Corner> corners;
    size_t taken = 0;
  };
  std::array<std::optional<Offer>, std::tuple_size_v<CellCounts>> offers;
  const auto old = static_cast<ptrdiff_t>(points_.size());
  const auto isCrowded = [&](const Corner& c) {
    return std::any_of(points_.begin(), points_.begin() + old, [&](const TrackPoint& p) {
      return std::abs(p.at.x - c.at.x) < 6 && std::abs(p.at.y - c.at.y) < 6;
    });
  };
  const auto topUp = [&](int most) {
    for (size_t cell = 0; cell < have.size(); ++cell) {
      if (have[cell] >= most) continue;
      if (!offers[cell]) {
        offers[cell] = Offer{cornersIn(strength, mask, static_cast<int>(cell)), 0};
        std::erase_if(offers[cell]->corners, isCrowded);
      }
      Offer& offer = *offers[cell];
      for (; have[cell] < most && offer.taken < offer.corners.size(); ++offer.taken, ++have[cell]) {
        const cv::Point2f& at = offer.corners[offer.taken].at;
        points_.push_back({at, {}, at, anchor});
      }
    }
  };
  topUp(perCell());
  // A picture with little in it gives more of it where it has it.
  constexpr double kSparse = 0.6;  // of the cells
  const auto filled = std::ranges::count_if(have, [](int count) { return count > 0; });
  sparse_ = static_cast<double>(filled) < kSparse * static_cast<double>(have.size());
  if (sparse_) topUp(mostInCell());
}

}  // namespace glenhaze::detail
