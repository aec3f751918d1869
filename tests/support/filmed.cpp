#include "tests/support/filmed.h"

#include <fstream>
#include <opencv2/calib3d.hpp>
#include <opencv2/imgproc.hpp>

#include "core/frame/rgb.h"
#include "core/media/reader.h"
#include "tests/support/footage.h"
#include "tests/support/motion.h"

namespace glenhaze::testing {

namespace {

constexpr int kSide = 2;                 // samples of a pixel, along each axis
constexpr double kWidthOverFocal = 1.5;  // of the photograph as it is hung up
constexpr double kMidGrey = 110;
constexpr double kBack_m = 4;
constexpr double kBlur = 0.5 * kSide;  // samples

}  // namespace

cv::Mat greyOf(const std::filesystem::path& photograph) {
  const Frame frame = readFrame(probe(photograph), 0);
  std::vector<uint8_t> luma = luma8(frame);
  return cv::Mat(frame.height, frame.width, CV_8U, luma.data()).clone();
}

FilmingLens::FilmingLens(const Lens& brown_conrady) : lens(brown_conrady) {
  std::vector<cv::Point2d> pixels, undistorted;
  for (int y = 0; y < lens.height * kSide; ++y)
    for (int x = 0; x < lens.width * kSide; ++x)
      pixels.emplace_back((x + 0.5) / kSide - 0.5, (y + 0.5) / kSide - 0.5);
  const cv::Matx33d camera(lens.fx, 0, lens.cx, 0, lens.fy, lens.cy, 0, 0, 1);
  cv::undistortPoints(pixels, undistorted, camera, cv::Mat(lens.k).clone(), cv::noArray(), cv::noArray(),
                      {cv::TermCriteria::COUNT | cv::TermCriteria::EPS, 40, 1e-9});
  rays = cv::Mat(undistorted, true).reshape(2, lens.height * kSide);
}

Filming inHand(const std::filesystem::path& photograph, std::shared_ptr<const FilmingLens> lens, double noise,
               double pan, double shake_deg) {
  Filming filming;
  filming.photograph = photograph;
  filming.lens = std::move(lens);
  filming.noise = noise;
  filming.turning = [pan, shake_deg](double t) {
    sim::Pose base;
    base.ry = pan * t;
    sim::Shake shake;
    shake.pitch = shake.yaw = shake_deg * kDegree;
    shake.roll = 0.2 * kDegree;
    return orientationOf(sim::shaken(base, shake, t));
  };
  return filming;
}

FilmedPhotograph::FilmedPhotograph(Filming filming) : filming_(std::move(filming)) {
  back_ = layerOf(filming_.drawn.empty() ? greyOf(filming_.photograph) : filming_.drawn, kBack_m);
  if (filming_.front) front_ = layerOf(greyOf(filming_.front->photograph), filming_.front->distance_m);
}

FilmedPhotograph::Layer FilmedPhotograph::layerOf(const cv::Mat& picture, double distance_m) const {
  Layer layer;
  layer.picture = picture;
  // As fine as the samples in the middle of the picture.
  const double wanted = kWidthOverFocal * filming_.lens->lens.fx * kSide;
  if (layer.picture.cols > wanted)
    cv::resize(layer.picture, layer.picture, {}, wanted / layer.picture.cols, wanted / layer.picture.cols,
               cv::INTER_AREA);
  layer.px_per_m = layer.picture.cols / (kWidthOverFocal * distance_m);
  return layer;
}

// A plane as it is seen in one frame; `covered`: where the plane is, 0 or 1.
cv::Mat FilmedPhotograph::seen(const Layer& layer, double distance_m, double speed, int64_t index,
                               cv::Mat* covered) const {
  const Lens& lens = filming_.lens->lens;
  const cv::Mat& rays = filming_.lens->rays;
  cv::Mat map(rays.size(), CV_32FC2);
  if (covered != nullptr) covered->create(rays.size(), CV_32F);
  cv::parallel_for_({0, map.rows}, [&](const cv::Range& rows) {
    for (int y = rows.start; y < rows.end; ++y) {
      const double share = ((y + 0.5) / kSide - 0.5) / (lens.height - 1) - 0.5;
      const double t = static_cast<double>(index) / filming_.fps + filming_.readout_s * share;
      const RotationMatrix turn = matrixOf(filming_.turning(t));
      const double zoom = filming_.zoom ? filming_.zoom(t) : 1;
      const Point place = filming_.place ? filming_.place(t) : Point{};
      // Where each ray meets the plane, and which pixel of the photograph that is; written so that the
      // compiler takes several at once.
      const Ray ex = turn * Ray{1 / zoom, 0, 0}, ey = turn * Ray{0, 1 / zoom, 0}, ez = turn * Ray{0, 0, 1};
      const double right =
                       (layer.picture.cols - 1) / 2.0 + layer.px_per_m * (place.x - speed * distance_m * t),
                   down = (layer.picture.rows - 1) / 2.0 + layer.px_per_m * place.y,
                   px = layer.px_per_m * distance_m;
      const double* ray = rays.ptr<double>(y);
      auto* to = map.ptr<float>(y);
      for (int x = 0; x < map.cols; ++x) {
        const double u = ray[2 * x], v = ray[2 * x + 1];
        const double scale = px / (ex.z * u + ey.z * v + ez.z);
        to[2 * x] = static_cast<float>(right + scale * (ex.x * u + ey.x * v + ez.x));
        to[2 * x + 1] = static_cast<float>(down + scale * (ex.y * u + ey.y * v + ez.y));
      }
      if (covered == nullptr) continue;
      const double edge = (layer.picture.rows - 1) / 2.0 + layer.px_per_m * filming_.front->top * distance_m;
      for (int x = 0; x < map.cols; ++x) covered->at<float>(y, x) = to[2 * x + 1] > edge ? 1.0F : 0.0F;
    }
  });
  cv::Mat fine;
  cv::remap(layer.picture, fine, map, cv::noArray(), cv::INTER_LINEAR, cv::BORDER_REFLECT_101);
  fine.convertTo(fine, CV_32F, 219.0 / 255, 16);
  return fine;
}

Frame FilmedPhotograph::frame(int64_t index) const {
  const Lens& lens = filming_.lens->lens;
  cv::Mat grey, fine = seen(back_, kBack_m, 0, index, nullptr);
  if (filming_.front) {
    cv::Mat covered;
    const cv::Mat near = seen(front_, filming_.front->distance_m, filming_.front->speed, index, &covered);
    fine += covered.mul(near - fine);
  }
  // A lens passes next to nothing that is finer than the pixels: without it texture would flicker like noise.
  cv::GaussianBlur(fine, fine, {}, kBlur);
  cv::resize(fine, grey, {lens.width, lens.height}, 0, 0, cv::INTER_AREA);
  if (filming_.noise > 0) {
    cv::Mat noise(grey.size(), CV_32F), level;
    cv::RNG random(static_cast<uint64_t>(filming_.seed) * 100003 + static_cast<uint64_t>(index));
    random.fill(noise, cv::RNG::NORMAL, 0, filming_.noise);
    cv::sqrt(grey / kMidGrey, level);
    grey += noise.mul(level);
  }
  Frame frame = makeFrame(lens.width, lens.height, {Chroma::C420, 8});
  frame.colour = {1, 1, 1, false, ChromaSiting::Left};
  frame.index = index;
  for (size_t p = 0; p < 3; ++p)
    for (int y = 0; y < frame.planes[p].height; ++y)
      for (int x = 0; x < frame.planes[p].width; ++x)
        frame.planes[p].row<uint8_t>(y)[x] = p == 0 ? cv::saturate_cast<uint8_t>(grey.at<float>(y, x)) : 128;
  return frame;
}

std::vector<Frame> FilmedPhotograph::frames(int count) const {
  std::vector<Frame> all;
  for (int i = 0; i < count; ++i) all.push_back(frame(i));
  return all;
}

TrackRecord FilmedPhotograph::tracks(int frames, const TrackOptions& options) const {
  TrackRecord record{filming_.lens->lens.width, filming_.lens->lens.height, {}};
  Tracker tracker(record.width, record.height, options);
  for (int i = 0; i < frames; ++i) record.frames.push_back(tracker.push(frame(i), i / filming_.fps));
  return record;
}

ClipInfo filmOfFrames(const std::filesystem::path& path, const std::vector<Frame>& frames,
                      const std::string& coding) {
  const std::filesystem::path raw = coding.empty() ? path : std::filesystem::path(path.string() + ".y4m");
  {
    std::ofstream out(raw, std::ios::binary);
    out << "YUV4MPEG2 W" << frames.front().width << " H" << frames.front().height
        << " F30:1 Ip A1:1 C420mpeg2\n";
    for (const Frame& frame : frames) {
      out << "FRAME\n";
      for (const Plane& plane : frame.planes)
        for (int y = 0; y < plane.height; ++y)
          out.write(reinterpret_cast<const char*>(plane.row<uint8_t>(y)), plane.width);
    }
  }
  if (coding.empty()) return probe(path);
  makeWithFfmpeg(path, "-i '" + raw.string() + "' " + coding);
  std::filesystem::remove(raw);
  return probe(path);
}

}  // namespace glenhaze::testing
