#include "core/clip/timeline.h"

#include <algorithm>
#include <cmath>
#include <opencv2/calib3d.hpp>
#include <opencv2/imgproc.hpp>
#include <opencv2/video/tracking.hpp>

#include "core/base/json_text.h"
#include "core/frame/rgb.h"
#include "core/media/reader.h"
#include "core/media/sound.h"

namespace glenhaze {

namespace {

using nlohmann::json;

constexpr int kWidth = 320;  // px that frames are looked at in
constexpr double kMoment_s = 0.25;
constexpr double kSlow_s = 0.1325;  // of a Gaussian that passes half the power at 1 Hz: √ln 2 / 2π
constexpr double kNear_s = 2;       // moments that sharpness is compared with, to each side
constexpr double kDiffers = 6;      // in units of the usual difference between two frames
constexpr float kLeastDiffer = 12;  // codes
constexpr int kSoundRate = 48000;

// What one frame says, lengths in px of the small picture.
struct Look {
  double dx = 0, dy = 0, turn = 0;  // against the one before
  double fine = 0;                  // variance of its finest detail
  double dark = 0, bright = 0, activity = 0;
};

class Looker {
 public:
  explicit Looker(const ClipInfo& clip)
      : size_(kWidth, std::max(16, static_cast<int>(std::lround(1.0 * kWidth * clip.height / clip.width)))) {}

  Look look(const Frame& frame) {
    const std::vector<uint8_t> luma = luma8(frame);
    const cv::Mat whole(frame.height, frame.width, CV_8U, const_cast<uint8_t*>(luma.data()));
    cv::Mat small;
    cv::resize(whole, small, size_, 0, 0, cv::INTER_AREA);
    Look look;
    // Where codes end, and what noise and coding make of it there.
    constexpr int kAbout = 2;
    look.dark = share(whole <= (frame.colour.full_range ? 0 : 16) + kAbout);
    look.bright = share(whole >= (frame.colour.full_range ? 255 : 235) - kAbout);
    cv::Mat detail;
    cv::Laplacian(small, detail, CV_16S);
    cv::Scalar mean, deviation;
    cv::meanStdDev(detail, mean, deviation);
    look.fine = deviation[0] * deviation[0];
    if (!former_.empty()) compare(small, look);
    former_ = small;
    return look;
  }

 private:
  static double share(const cv::Mat& mask) {
    return cv::countNonZero(mask) / static_cast<double>(mask.total());
  }

  // How the picture as a whole has moved, and what of it differs otherwise.
  void compare(const cv::Mat& small, Look& look) const {
    constexpr int kMostPoints = 120, kLeastPoints = 8, kApart = 8;
    constexpr double kQuality = 0.01;
    std::vector<cv::Point2f> from, to;
    cv::goodFeaturesToTrack(former_, from, kMostPoints, kQuality, kApart);
    cv::Matx23d moved(1, 0, 0, 0, 1, 0);
    if (from.size() >= kLeastPoints) {
      std::vector<uint8_t> found;
      cv::calcOpticalFlowPyrLK(former_, small, from, to, found, cv::noArray());
      std::vector<cv::Point2f> a, b;
      for (size_t i = 0; i < from.size(); ++i)
        if (found[i] != 0) {
          a.push_back(from[i]);
          b.push_back(to[i]);
        }
      if (a.size() >= kLeastPoints)
        if (const cv::Mat fit = cv::estimateAffinePartial2D(a, b, cv::noArray(), cv::RANSAC, 1.0);
            !fit.empty())
          moved = fit;
    }
    const double x = size_.width / 2.0, y = size_.height / 2.0;
    look.dx = moved(0, 0) * x + moved(0, 1) * y + moved(0, 2) - x;
    look.dy = moved(1, 0) * x + moved(1, 1) * y + moved(1, 2) - y;
    look.turn = std::atan2(moved(1, 0), moved(0, 0)) * size_.width / 4.0;  // px, half way out
    cv::Mat expected, difference, inside;
    cv::warpAffine(former_, expected, moved, size_, cv::INTER_LINEAR, cv::BORDER_REPLICATE);
    cv::warpAffine(cv::Mat(size_, CV_8U, cv::Scalar(1)), inside, moved, size_, cv::INTER_NEAREST);
    // Edges that lie a fraction of a pixel otherwise are not activity.
    cv::GaussianBlur(small, difference, {}, 1.2);
    cv::GaussianBlur(expected, expected, {}, 1.2);
    cv::absdiff(difference, expected, difference);
    std::vector<uint8_t> values;
    for (int row = 0; row < size_.height; ++row)
      for (int col = 0; col < size_.width; ++col)
        if (inside.at<uint8_t>(row, col) != 0) values.push_back(difference.at<uint8_t>(row, col));
    if (values.empty()) return;
    const auto middle = values.begin() + static_cast<ptrdiff_t>(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    const double limit = std::max<double>(kLeastDiffer, kDiffers * *middle);
    look.activity = static_cast<double>(std::ranges::count_if(values, [&](uint8_t v) { return v > limit; })) /
                    static_cast<double>(values.size());
  }

  cv::Size size_;
  cv::Mat former_;
};

// What is slower than 1 Hz of a path.
std::vector<double> slowOf(const std::vector<double>& path, double fps) {
  const double sigma = kSlow_s * fps;
  const auto reach = static_cast<int>(std::ceil(3 * sigma));
  const auto count = static_cast<int>(path.size());
  std::vector<double> slow(path.size());
  for (int i = 0; i < count; ++i) {
    // At the ends as much to one side as to the other: a straight path stays one.
    const int side = std::min({reach, i, count - 1 - i});
    double sum = 0, weight = 0;
    for (int k = -side; k <= side; ++k) {
      const double w = std::exp(-0.5 * k * k / (sigma * sigma));
      sum += w * path[static_cast<size_t>(i + k)];
      weight += w;
    }
    slow[static_cast<size_t>(i)] = sum / weight;
  }
  return slow;
}

struct Motion {
  std::vector<double> fast, slow;  // px a frame: distance from the slow path, and its speed
};

Motion motionOf(const std::vector<Look>& looks, double fps) {
  Motion motion{std::vector<double>(looks.size()), std::vector<double>(looks.size())};
  for (const auto part : {&Look::dx, &Look::dy, &Look::turn}) {
    std::vector<double> path;
    double at = 0;
    for (const Look& look : looks) path.push_back(at += look.*part);
    const std::vector<double> slow = slowOf(path, fps);
    for (size_t i = 0; i < looks.size(); ++i) {
      motion.fast[i] += (path[i] - slow[i]) * (path[i] - slow[i]);
      const double speed = i > 0 ? slow[i] - slow[i - 1] : 0;
      if (part != &Look::turn) motion.slow[i] += speed * speed;
    }
  }
  return motion;
}

// Against the sharpest of the moments near it.
void setBlur(std::vector<Moment>& moments, const std::vector<double>& fine) {
  const auto near = static_cast<size_t>(kNear_s / kMoment_s);
  for (size_t i = 0; i < moments.size(); ++i) {
    double sharpest = 1e-9;
    for (size_t k = i > near ? i - near : 0; k <= std::min(i + near, moments.size() - 1); ++k)
      sharpest = std::max(sharpest, fine[k]);
    moments[i].blur = static_cast<float>(1 - std::sqrt(std::clamp(fine[i] / sharpest, 0.0, 1.0)));
  }
}

void setSound(const ClipInfo& clip, ClipTimeline& timeline, const Progress& progress) {
  if (clip.sound.empty() || clip.kind != ClipKind::Film) return;
  try {
    SoundReader reader(clip, kSoundRate, 1);
    std::vector<float> samples(static_cast<size_t>(timeline.step_s * kSoundRate));
    for (Moment& moment : timeline.moments) {
      progress.check();
      reader.read(samples);
      double power = 0;
      for (const float s : samples) power += static_cast<double>(s) * s;
      power /= static_cast<double>(samples.size());
      moment.sound_db = std::max(kSilent_db, static_cast<float>(10 * std::log10(power + 1e-12)));
    }
    timeline.sound = true;
  } catch (const Error& error) {
    // Pictures can be chosen without.
    if (error.kind() != ErrorKind::Unreadable) throw;
  }
}

}  // namespace

size_t ClipTimeline::at(double seconds) const {
  if (moments.empty() || !(seconds > 0) || !(step_s > 0)) return 0;
  return std::min(static_cast<size_t>(seconds / step_s), moments.size() - 1);
}

ClipTimeline measureTimeline(const ClipInfo& clip, const Progress& progress) {
  ClipTimeline timeline;
  const double fps = std::max(1.0, clip.fps.value());
  timeline.step_s = std::max(kMoment_s, 1 / fps);
  Looker looker(clip);
  std::vector<Look> looks;
  std::vector<double> times;
  ReadOptions reading;
  reading.damage = Damage::Hold;
  ClipReader reader(clip, reading);
  while (const auto frame = reader.next()) {
    progress.check();
    looks.push_back(looker.look(*frame));
    times.push_back(clip.frameTime(frame->index));
    progress.update(0.9 * static_cast<double>(looks.size()) /
                    static_cast<double>(std::max<int64_t>(1, clip.frames)));
  }
  if (looks.empty()) return timeline;
  const Motion motion = motionOf(looks, fps);
  timeline.moments.resize(static_cast<size_t>(times.back() / timeline.step_s) + 1);
  std::vector<double> fine(timeline.moments.size()), counts(timeline.moments.size());
  for (size_t i = 0; i < looks.size(); ++i) {
    const size_t at = timeline.at(times[i]);
    Moment& m = timeline.moments[at];
    m.shake += static_cast<float>(motion.fast[i]);
    m.travel += static_cast<float>(motion.slow[i]);
    m.dark += static_cast<float>(looks[i].dark);
    m.bright += static_cast<float>(looks[i].bright);
    m.activity += static_cast<float>(looks[i].activity);
    fine[at] += looks[i].fine;
    ++counts[at];
  }
  for (size_t at = 0; at < timeline.moments.size(); ++at) {
    Moment& m = timeline.moments[at];
    const auto count = static_cast<float>(std::max(1.0, counts[at]));
    m.shake = 100 * std::sqrt(m.shake / count) / kWidth;
    m.travel = 100 * std::sqrt(m.travel / count) * static_cast<float>(fps) / kWidth;
    m.dark /= count;
    m.bright /= count;
    m.activity /= count;
    fine[at] /= count;
  }
  setBlur(timeline.moments, fine);
  setSound(clip, timeline, progress);
  return timeline;
}

std::string timelineToText(const ClipTimeline& timeline) {
  json out = {{"step_s", timeline.step_s}, {"sound", timeline.sound}, {"moments", json::array()}};
  for (const Moment& m : timeline.moments)
    out["moments"].push_back({m.shake, m.travel, m.blur, m.dark, m.bright, m.activity, m.sound_db});
  return jsonText(out);
}

std::optional<ClipTimeline> timelineFromText(const std::string& text) {
  try {
    const json in = parseJson(text);
    ClipTimeline timeline;
    timeline.step_s = in.at("step_s").get<double>();
    timeline.sound = in.at("sound").get<bool>();
    for (const json& one : in.at("moments")) {
      const auto v = [&](size_t i) { return one.at(i).get<float>(); };
      timeline.moments.push_back({v(0), v(1), v(2), v(3), v(4), v(5), v(6)});
    }
    return timeline;
  } catch (const std::exception&) {
    return std::nullopt;
  }
}

}  // namespace glenhaze
