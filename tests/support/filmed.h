#pragma once
// Photographs filmed by a turning camera with a bent lens and a rolling shutter, made apart from the
// simulated camera and from our own lens: OpenCV undistorts, resamples and adds the noise, a pixel takes in a
// square of 2 × 2 samples. What our own mill would flatter is held against this.

#include <filesystem>
#include <functional>
#include <memory>
#include <opencv2/core.hpp>
#include <optional>

#include "core/base/rotation.h"
#include "core/frame/frame.h"
#include "core/lens/model.h"
#include "core/media/clip_info.h"
#include "core/motion/tracks.h"

namespace glenhaze::testing {

/// A lens with the ray of each of a picture's samples; made once for many films.
struct FilmingLens {
  /// Brown–Conrady.
  explicit FilmingLens(const Lens& brown_conrady);
  Lens lens;
  cv::Mat rays;  // x/z, y/z of every sample
};

/// A second photograph before the first, from a height on downwards.
struct Front {
  std::filesystem::path photograph;
  double distance_m = 1;
  double top = 0;    ///< of its upper edge, m below the camera's own height at the start, for each m away
  double speed = 0;  ///< of its own, m per second to the right for each m away
};

/// Its luma, 8 bit.
cv::Mat greyOf(const std::filesystem::path& photograph);

struct Filming {
  std::filesystem::path photograph;
  cv::Mat drawn;  ///< 8 bit, filmed instead of the photograph
  std::shared_ptr<const FilmingLens> lens;
  double readout_s = 0;  ///< scanned down
  double fps = 30;
  std::function<Quaternion(double time_s)> turning;  ///< camera to world
  std::function<double(double time_s)> zoom;         ///< of the focal length; none: 1 throughout
  std::function<Point(double time_s)> place;         ///< of the camera, m right and down; none: it stays
  std::optional<Front> front;                        ///< the photograph hangs 4 m away
  double noise = 0;  ///< standard deviation at mid grey, 8-bit codes; grows with the root of the level
  unsigned seed = 1;
};

/// A hand that pans, radians a second, and shakes, degrees.
Filming inHand(const std::filesystem::path& photograph, std::shared_ptr<const FilmingLens> lens, double noise,
               double pan, double shake_deg);

class FilmedPhotograph {
 public:
  explicit FilmedPhotograph(Filming filming);
  /// Grey, limited range.
  Frame frame(int64_t index) const;
  std::vector<Frame> frames(int count) const;
  const std::function<Quaternion(double)>& turning() const { return filming_.turning; }
  TrackRecord tracks(int frames, const TrackOptions& options = {}) const;

 private:
  Filming filming_;
  struct Layer {
    cv::Mat picture;      // grey, about as fine as what is sampled from it
    double px_per_m = 1;  // of its plane
  };
  Layer layerOf(const cv::Mat& picture, double distance_m) const;
  cv::Mat seen(const Layer& layer, double distance_m, double speed, int64_t index, cv::Mat* covered) const;
  Layer back_, front_;
};

/// Frames as a film at 30 frames a second. Uncompressed (YUV4MPEG2, as the mjpegtools describe it), so that
/// nothing but the film is measured; or as the ffmpeg program codes it with the arguments `coding`.
ClipInfo filmOfFrames(const std::filesystem::path& path, const std::vector<Frame>& frames,
                      const std::string& coding = {});

}  // namespace glenhaze::testing
