#pragma once
// Following points through a clip, in two stages that may run side by side: what is made of each frame on its
// own, and what needs the frame before.

#include <array>
#include <cstdint>
#include <memory>
#include <opencv2/core.hpp>
#include <vector>

#include "core/motion/detail/position_steps.h"
#include "core/motion/tracks.h"

namespace glenhaze::detail {

using ToneHistogram = std::array<float, 32>;

struct PreparedFrame {
  double time_s = 0;
  cv::Mat picture;               ///< 8 bit, reduced, its exposure evened out
  std::vector<cv::Mat> pyramid;  ///< pictures and gradients by turns, as OpenCV lays them out
  cv::Mat strength;              ///< of corners, where it is known that some will be wanted
  float sharpness = 0;
  ToneHistogram histogram{};
};

/// The first stage. Frames in order.
class FramePreparer {
 public:
  /// `first`: as of the follower that takes its frames.
  FramePreparer(int width, const TrackOptions& options, int64_t first = 0);
  PreparedFrame prepare(const Frame& frame, double time_s);

 private:
  void evenExposure(cv::Mat& picture);
  int factor_;
  int64_t first_, index_;
  double reference_mean_ = -1;
};

/// A picture in which corners were found. Points are matched against it for as long as they live, because
/// errors of matching from frame to frame would add up.
struct TrackAnchor {
  std::vector<cv::Mat> pyramid;
};

struct TrackPoint {
  cv::Point2f at;      ///< in the frame before
  cv::Point2f step;    ///< by which it came there: where to look first
  cv::Point2f origin;  ///< in its anchor
  std::shared_ptr<const TrackAnchor> anchor;
};

/// The second stage. Frames in order.
class PointFollower {
 public:
  /// `first`: number in the clip of the frame that comes first; masks hold by it.
  PointFollower(int width, int height, const TrackOptions& options, int64_t first = 0);
  FrameTracks follow(PreparedFrame now);

 private:
  struct Moved {
    std::vector<cv::Point2f> at;
    std::vector<uint8_t> found;
    std::vector<float> error;  // mean difference of the patch, codes
  };
  Moved moveFar(const std::vector<cv::Mat>& pyramid) const;
  void moveNear(const std::vector<cv::Mat>& pyramid, Moved& moved) const;
  void settle(const std::vector<cv::Mat>& pyramid, Moved& moved);
  void link(const PreparedFrame& now, FrameTracks& result);
  using CellCounts = std::array<int, 160>;
  void anchorLoose(const std::shared_ptr<const TrackAnchor>& anchor);
  CellCounts thinOut(const cv::Size& size);
  void refill(const PreparedFrame& now);
  int mostInCell() const { return sparse_ ? 2 * perCell() : perCell(); }
  cv::Mat sceneMask(const cv::Size& size) const;
  int perCell() const;

  TrackOptions options_;
  PositionSteps steps_;
  int factor_;
  int64_t first_, index_;
  std::vector<cv::Mat> before_;  // pyramid of the frame before
  std::vector<TrackPoint> points_;
  ToneHistogram histogram_{};
  size_t filled_ = 0;    // points behind the last refill
  bool sparse_ = false;  // most of the picture had nothing to follow then
};

}  // namespace glenhaze::detail
