#include "core/motion/stabilize.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <numbers>

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/motion/detail/whittaker.h"

namespace glenhaze {

using detail::lambdaOf;
using detail::smoothed;

WindowKey windowAt(const std::vector<WindowKey>& keys, int64_t frame) {
  if (keys.empty()) return {frame, {}, 1};
  const auto after = std::upper_bound(keys.begin(), keys.end(), frame,
                                      [](int64_t f, const WindowKey& k) { return f < k.frame; });
  const WindowKey& b = after == keys.end() ? keys.back() : *after;
  const WindowKey& a = after == keys.begin() ? b : *(after - 1);
  const double t =
      b.frame > a.frame ? static_cast<double>(frame - a.frame) / static_cast<double>(b.frame - a.frame) : 0;
  return {frame, a.offset + (b.offset - a.offset) * t, a.size + t * (b.size - a.size)};
}

bool WindowKey::operator==(const WindowKey& o) const {
  return frame == o.frame && offset.x == o.offset.x && offset.y == o.offset.y && size == o.size;
}

void StabilizationSettings::validate() const {
  const auto within = [](const char* field, double value, double low, double high) {
    if (!(value >= low && value <= high))
      throw Error(ErrorKind::BadRequest, std::string("The stabilization setting ") + field + " is not usable",
                  "", std::to_string(value),
                  "Give a number from " + std::to_string(low) + " to " + std::to_string(high));
  };
  within("smoothing_s", smoothing_s, 0.05, 20);
  within("pan", pan, 0, 1);
  within("tilt", tilt, 0, 1);
  within("roll", roll, 0, 1);
  within("shift", shift, 0, 1);
  within("scale", scale, 0, 1);
  within("level_roll_deg", level_roll_deg, -180, 180);
  within("crop_limit", crop_limit, 0, 0.8);
  for (const WindowKey& key : window) within("window size", key.size, 0.1, 1);
}

namespace {

constexpr double kShake_hz = 1.0;       // what moves faster is shake
constexpr double kHoldable_crop = 0.4;  // more than this lost is no longer the same picture
constexpr int kTightenings = 40;
constexpr double kDegrees = 180 / std::numbers::pi;

// A stretch of frames between cuts.
struct Scene {
  size_t first = 0, end = 0;
  size_t count() const { return end - first; }
};

std::vector<Scene> scenesOf(const CameraPath& path) {
  std::vector<Scene> scenes;
  for (const size_t first : path.scenes()) {
    if (!scenes.empty()) scenes.back().end = first;
    scenes.push_back({first, path.frames().size()});
  }
  return scenes;
}

double rateOf(const CameraPath& path) {
  const auto& frames = path.frames();
  if (frames.size() < 2) return 30;
  const double span = frames.back().time_s - frames.front().time_s;
  return span > 0 ? static_cast<double>(frames.size() - 1) / span : 30;
}

// One of the three components of a turn.
double& part(Turn& t, int axis) { return axis == 0 ? t.x : axis == 1 ? t.y : t.z; }

// Smooths orientations of one scene against the measured ones, from where `now` stands: a step of
// Gauss–Newton.
void smoothStep(std::span<const PathFrame> measured, std::span<const double> weights, double lambda,
                std::span<Quaternion> now) {
  const size_t n = now.size();
  std::vector<Turn> along(n), off(n);
  for (size_t i = 0; i < n; ++i) {
    if (i > 0) along[i] = along[i - 1] + turnOf(inverse(now[i - 1]) * now[i]);
    off[i] = turnOf(inverse(measured[i].orientation) * now[i]);
  }
  std::vector<Turn> change(n);
  std::vector<double> target(n);
  for (int axis = 0; axis < 3; ++axis) {
    for (size_t i = 0; i < n; ++i) target[i] = part(along[i], axis) - part(off[i], axis);
    const std::vector<double> p = smoothed(target, weights, lambda);
    for (size_t i = 0; i < n; ++i) part(change[i], axis) = p[i] - part(along[i], axis);
  }
  for (size_t i = 0; i < n; ++i) now[i] = normalized(now[i] * rotationOf(change[i]));
}

// Where a frame looks: what lies straight ahead moves in the picture with turns and with shifts.
struct Look {
  Quaternion orientation;
  Point shift;  // in focal lengths
};

// How far each look is off what is slower than kShake_hz: squares, all axes together, radians.
std::vector<double> shakesOf(std::span<const Look> looks, double fps) {
  const size_t n = looks.size();
  std::vector<double> squares(n);
  if (n < 4) return squares;
  std::vector<Turn> along(n);
  for (size_t i = 1; i < n; ++i) {
    const Turn turn = turnOf(inverse(looks[i - 1].orientation) * looks[i].orientation);
    const Point shift = looks[i].shift - looks[i - 1].shift;
    along[i] = along[i - 1] + Turn{turn.x + shift.y, turn.y - shift.x, turn.z};
  }
  const std::vector<double> ones(n, 1.0);
  const double lambda = lambdaOf(1 / (2 * std::numbers::pi * kShake_hz), fps);
  for (int axis = 0; axis < 3; ++axis) {
    std::vector<double> series(n);
    for (size_t i = 0; i < n; ++i) series[i] = part(along[i], axis);
    const std::vector<double> slow = smoothed(series, ones, lambda);
    for (size_t i = 0; i < n; ++i) squares[i] += (series[i] - slow[i]) * (series[i] - slow[i]);
  }
  return squares;
}

// Their RMS within [first, last), degrees.
double rmsOf(std::span<const double> squares, size_t first, size_t last) {
  double sum = 0;
  for (size_t i = first; i < std::min(last, squares.size()); ++i) sum += squares[i];
  return std::sqrt(sum / static_cast<double>(std::max<size_t>(1, last - first))) * kDegrees;
}

class Stabilizer {
 public:
  Stabilizer(const StabilizationRoom& room, const StabilizationSettings& settings, size_t first, size_t last)
      : room_(room),
        path_(room.path()),
        settings_(settings),
        first_(first),
        last_(last),
        fps_(rateOf(path_)),
        views_(path_.frames().size()),
        smooth_(path_.frames().size()),
        smooth_shift_(path_.frames().size()),
        smooth_log_scale_(path_.frames().size()),
        weights_(path_.frames().size(), 1.0) {
    for (size_t i = 0; i < smooth_.size(); ++i) smooth_[i] = path_.frames()[i].orientation;
    placeWindow();
    smoothShiftAndScale();
    setViews();
  }

  StabilizedClip run() {
    judgeHolding();
    const double limit = 1 / (1 - settings_.crop_limit);
    if (settings_.steadying == Steadying::HoldStill)
      hold();
    else if (settings_.steadying == Steadying::KeepMove)
      keepMove(limit);
    else
      setViews();
    frame(limit);
    report();
    return std::move(result_);
  }

 private:
  double sizeAt(size_t i) const { return sizes_.empty() ? 1.0 : sizes_[i]; }

  // The window keys, straight between.
  void placeWindow() {
    std::vector<WindowKey> keys = settings_.window;
    if (keys.empty()) return;
    std::sort(keys.begin(), keys.end(), [](const auto& a, const auto& b) { return a.frame < b.frame; });
    sizes_.resize(views_.size());
    for (size_t i = 0; i < views_.size(); ++i) {
      const WindowKey at = windowAt(keys, static_cast<int64_t>(i));
      views_[i].offset = at.offset;
      sizes_[i] = at.size;
    }
  }

  // Against the same weights as the orientations: what is moved costs crop as what is turned does.
  void smoothShiftAndScale() {
    const auto& frames = path_.frames();
    const double lambda = lambdaOf(settings_.smoothing_s, fps_);
    for (const Scene& s : scenesOf(path_)) {
      const std::vector<double> weights(weights_.begin() + static_cast<ptrdiff_t>(s.first),
                                        weights_.begin() + static_cast<ptrdiff_t>(s.first + s.count()));
      const auto series = [&](const std::function<double(const PathFrame&)>& value) {
        std::vector<double> v(s.count());
        for (size_t i = 0; i < v.size(); ++i) v[i] = value(frames[s.first + i]);
        return smoothed(v, weights, lambda);
      };
      const auto x = series([](const PathFrame& f) { return f.shift.x; });
      const auto y = series([](const PathFrame& f) { return f.shift.y; });
      const auto log = series([](const PathFrame& f) { return std::log(f.scale); });
      for (size_t i = 0; i < s.count(); ++i) {
        smooth_shift_[s.first + i] = {x[i], y[i]};
        smooth_log_scale_[s.first + i] = log[i];
      }
    }
  }

  // What is shown, from what is smooth: as much of each axis as is wanted, and the horizon level.
  void setViews() {
    for (size_t i = 0; i < views_.size(); ++i) setView(views_[i], i, 1);
  }

  // `share`: of the way from the camera's own path to the smooth one, 0..1.
  void setView(VirtualFrame& view, size_t i, double share) const {
    const PathFrame& f = path_.frames()[i];
    const bool off = settings_.steadying == Steadying::Off;
    const double moved = off ? 0 : settings_.shift * share, grown = off ? 0 : settings_.scale * share;
    view.orientation = viewOf(i, smooth_[i], share);
    view.shift = f.shift + (smooth_shift_[i] - f.shift) * moved;
    view.scale = f.scale * std::exp((smooth_log_scale_[i] - std::log(f.scale)) * grown);
  }

  Quaternion viewOf(size_t i, const Quaternion& smooth, double share) const {
    const Quaternion& own = path_.frames()[i].orientation;
    Turn off = turnOf(inverse(own) * smooth);
    off = {off.x * settings_.tilt * share, off.y * settings_.pan * share, off.z * settings_.roll * share};
    Quaternion view = own * rotationOf(off);
    if (settings_.level) view = view * rotationOf({0, 0, levelTurn(view) * share});
    return normalized(view);
  }

  // How far a view must be turned about its axis so that the world's down lies straight below.
  double levelTurn(const Quaternion& view) const {
    const double hang = settings_.level_roll_deg / kDegrees;
    const Ray down = inverse(view) * Ray{std::sin(hang), std::cos(hang), 0};
    return std::hypot(down.x, down.y) < 0.05 ? 0 : std::atan2(-down.x, down.y);
  }

  double needed(size_t i, const VirtualFrame& view) const { return room_.neededZoom(i, view, sizeAt(i)); }

  // Zoom that each frame between the in and out points needs.
  std::vector<double> neededZooms() const {
    std::vector<double> zooms(last_ - first_);
    parallelBlocks(static_cast<int>(zooms.size()), 32, [&](int begin, int end) {
      for (int n = begin; n < end; ++n) {
        const auto k = static_cast<size_t>(n);
        zooms[k] = needed(first_ + k, views_[first_ + k]);
      }
    });
    return zooms;
  }

  void smoothOnce() {
    const double lambda = lambdaOf(settings_.smoothing_s, fps_);
    for (const Scene& s : scenesOf(path_))
      smoothStep(std::span(path_.frames()).subspan(s.first, s.count()),
                 std::span(weights_).subspan(s.first, s.count()), lambda,
                 std::span(smooth_).subspan(s.first, s.count()));
    smoothShiftAndScale();
  }

  void keepMove(double limit) {
    for (int i = 0; i < 3; ++i) smoothOnce();
    setViews();
    std::vector<double> zooms = neededZooms();
    result_.needed_crop = 1 - 1 / *std::max_element(zooms.begin(), zooms.end());
    if (settings_.framing == Framing::Uncropped) return;
    // No path can need less than the camera's own.
    limit = std::max(limit, ownZoom());
    for (int round = 0; round < kTightenings; ++round) {
      if (!tighten(zooms, limit)) return;
      smoothOnce();
      setViews();
      zooms = neededZooms();
    }
    shrink(zooms, limit);
  }

  double ownZoom() const {
    double most = 1;
    for (size_t i = first_; i < last_; ++i) {
      VirtualFrame own = views_[i];
      own.orientation = path_.frames()[i].orientation;
      own.shift = path_.frames()[i].shift;
      own.scale = path_.frames()[i].scale;
      most = std::max(most, needed(i, own));
    }
    return most * 1.002;
  }

  // Raises the weights where the window would leave the picture, and gently around; false when nowhere.
  bool tighten(const std::vector<double>& zooms, double limit) {
    bool any = false;
    const auto reach = static_cast<int64_t>(std::ceil(0.5 * settings_.smoothing_s * fps_)) + 1;
    std::vector<double> factor(weights_.size(), 1.0);
    for (size_t k = 0; k < zooms.size(); ++k) {
      const double over = zooms[k] / limit - 1;
      if (over <= 5e-4) continue;
      any = true;
      const double raise = 1 + std::min(3.0, 40 * over);
      for (int64_t d = -reach; d <= reach; ++d) {
        const int64_t at = static_cast<int64_t>(first_ + k) + d;
        if (at < 0 || at >= static_cast<int64_t>(factor.size())) continue;
        const double fade = 1 - static_cast<double>(std::abs(d)) / static_cast<double>(reach + 1);
        auto& f = factor[static_cast<size_t>(at)];
        f = std::max(f, 1 + (raise - 1) * fade);
      }
    }
    for (size_t i = 0; i < weights_.size(); ++i) weights_[i] = std::min(1e9, weights_[i] * factor[i]);
    return any;
  }

  // What the weights did not reach is drawn towards the camera's own path, evenly over the time constant.
  void shrink(const std::vector<double>& zooms, double limit) {
    std::vector<double> share(views_.size(), 1.0);
    for (size_t k = 0; k < zooms.size(); ++k) {
      if (zooms[k] <= limit) continue;
      double low = 0, high = 1;
      for (int n = 0; n < 20; ++n) {
        const double middle = 0.5 * (low + high);
        VirtualFrame v = views_[first_ + k];
        setView(v, first_ + k, middle);
        (needed(first_ + k, v) <= limit ? low : high) = middle;
      }
      share[first_ + k] = low;
    }
    const auto reach = static_cast<int64_t>(std::ceil(0.5 * settings_.smoothing_s * fps_));
    const std::vector<double> held = meanOver(lowestOver(share, reach), reach);
    for (size_t i = 0; i < views_.size(); ++i) setView(views_[i], i, held[i]);
  }

  static std::vector<double> lowestOver(const std::vector<double>& v, int64_t reach) {
    std::vector<double> out(v.size());
    const auto n = static_cast<int64_t>(v.size());
    for (int64_t i = 0; i < n; ++i)
      out[static_cast<size_t>(i)] = *std::min_element(v.begin() + std::max<int64_t>(0, i - reach),
                                                      v.begin() + std::min(n, i + reach + 1));
    return out;
  }
  static std::vector<double> meanOver(const std::vector<double>& v, int64_t reach) {
    std::vector<double> out(v.size());
    const auto n = static_cast<int64_t>(v.size());
    for (int64_t i = 0; i < n; ++i) {
      double sum = 0;
      for (int64_t d = -reach; d <= reach; ++d)
        sum += v[static_cast<size_t>(std::clamp<int64_t>(i + d, 0, n - 1))];
      out[static_cast<size_t>(i)] = sum / static_cast<double>(2 * reach + 1);
    }
    return out;
  }

  // The middle of all orientations between the in and out points.
  Quaternion meanOrientation() const {
    Quaternion mean = path_.frames()[(first_ + last_) / 2].orientation;
    for (int round = 0; round < 4; ++round) {
      Turn sum;
      for (size_t i = first_; i < last_; ++i)
        sum = sum + turnOf(inverse(mean) * path_.frames()[i].orientation);
      mean = normalized(mean * rotationOf(sum * (1.0 / static_cast<double>(last_ - first_))));
    }
    return mean;
  }

  double zoomToHold(const Quaternion& at, size_t stride) const {
    double most = 1;
    for (size_t i = first_; i < last_; i += stride) {
      VirtualFrame v = views_[i];
      v.orientation = viewOf(i, at, 1);
      most = std::max(most, needed(i, v));
    }
    return most;
  }

  void judgeHolding() {
    for (size_t i = first_ + 1; i < last_; ++i)
      if (path_.frames()[i].doubt == PathDoubt::Cut) {
        result_.hold_reason = "There is a cut between the in and out points.";
        return;
      }
    const Quaternion mean = meanOrientation();
    double far = 0;
    for (size_t i = first_; i < last_; ++i)
      far = std::max(far, length(turnOf(inverse(mean) * path_.frames()[i].orientation)) * kDegrees);
    const double crop = 1 - 1 / zoomToHold(mean, std::max<size_t>(1, (last_ - first_) / 200));
    const std::string turned = std::to_string(std::lround(2 * far)) + "°";
    result_.can_hold_still = crop <= kHoldable_crop;
    result_.hold_reason = result_.can_hold_still
                              ? "The camera stays within " + turned + ": holding it still costs about " +
                                    std::to_string(std::lround(crop * 100)) + " % of the width."
                              : "The camera turns by " + turned + ": the clip cannot be held still.";
  }

  // The orientation that costs the least: from the middle of all, steps about each axis that grow shorter.
  void hold() {
    holdShiftAndScale();
    setViews();
    Quaternion best = meanOrientation();
    const size_t stride = std::max<size_t>(1, (last_ - first_) / 300);
    double zoom = zoomToHold(best, stride);
    for (double step = 0.02; step > 2e-4; step /= 2)
      for (int axis = 0; axis < 3; ++axis)
        for (const double sign : {-1.0, 1.0}) {
          Turn t;
          part(t, axis) = sign * step;
          const Quaternion other = normalized(best * rotationOf(t));
          const double z = zoomToHold(other, stride);
          if (z < zoom) {
            zoom = z;
            best = other;
          }
        }
    for (Quaternion& q : smooth_) q = best;
    setViews();
    result_.needed_crop = 1 - 1 / zoomToHold(best, 1);
  }

  void holdShiftAndScale() {
    Point shift;
    double log_scale = 0;
    const double share = 1.0 / static_cast<double>(last_ - first_);
    for (size_t i = first_; i < last_; ++i) {
      shift = shift + path_.frames()[i].shift * share;
      log_scale += std::log(path_.frames()[i].scale) * share;
    }
    std::fill(smooth_shift_.begin(), smooth_shift_.end(), shift);
    std::fill(smooth_log_scale_.begin(), smooth_log_scale_.end(), log_scale);
  }

  // The scale of every frame.
  void frame(double limit) {
    if (settings_.framing == Framing::Uncropped) {
      const double whole = room_.window().wholeZoom() / room_.window().zoom();
      for (size_t i = 0; i < views_.size(); ++i) views_[i].zoom = 0.92 * whole / sizeAt(i);
      result_.zoom = 0.92 * whole;
      return;
    }
    const std::vector<double> zooms = neededZooms();
    const double most = std::max(1.0, *std::max_element(zooms.begin(), zooms.end()));
    std::vector<double> each(views_.size(), most);
    if (settings_.framing == Framing::FilledSlow) {
      for (size_t i = 0; i < views_.size(); ++i)
        each[i] = i >= first_ && i < last_ ? std::max(1.0, zooms[i - first_]) : 1.0;
      const auto reach = static_cast<int64_t>(std::ceil(std::max(1.0, settings_.smoothing_s) * fps_));
      for (double& z : each) z = -z;
      each = meanOver(lowestOver(each, reach), reach);
      for (double& z : each) z = -z;
    }
    for (size_t i = 0; i < views_.size(); ++i) views_[i].zoom = each[i] / sizeAt(i);
    result_.zoom = most;
    result_.crop = 1 - 1 / most;
    limited_ = most > limit * 1.001;
  }

  void report() {
    std::vector<Look> before, after;
    for (size_t i = 0; i < views_.size(); ++i) {
      before.push_back({path_.frames()[i].orientation, path_.frames()[i].shift});
      after.push_back({views_[i].orientation, views_[i].shift});
    }
    result_.shake_before_deg = rmsOf(shakesOf(before, fps_), first_, last_);
    const std::vector<double> left = shakesOf(after, fps_);
    result_.shake_after_deg = rmsOf(left, first_, last_);
    for (const double square : left)
      result_.shake_left_deg.push_back(static_cast<float>(std::sqrt(square) * kDegrees));
    listDoubts();
    advise();
    result_.frames = std::move(views_);
  }

  bool isHeld(size_t i) const { return weights_[i] > 20; }

  std::string doubtOf(size_t i) const {
    const PathFrame& f = path_.frames()[i];
    if (f.doubt != PathDoubt::None && f.doubt != PathDoubt::Cut) return pathDoubtText(f.doubt);
    if (isHeld(i)) return "the crop limit holds the camera's own move";
    return "";
  }

  // Frames in doubt next to each other are one range, whatever their reasons.
  void listDoubts() {
    constexpr int64_t kGap = 4;  // frames over which one range goes on
    for (size_t i = first_; i < last_; ++i) {
      const std::string why = doubtOf(i);
      if (why.empty()) continue;
      const auto at = static_cast<int64_t>(i);
      if (result_.doubtful.empty() || at - result_.doubtful.back().last > kGap) {
        result_.doubtful.push_back({at, at + 1, why});
        continue;
      }
      DoubtfulRange& range = result_.doubtful.back();
      range.last = at + 1;
      if (range.why.find(why) == std::string::npos) range.why += "; " + why;
    }
  }

  void advise() {
    int64_t lost = 0, blurred = 0, held = 0;
    for (size_t i = first_; i < last_; ++i) {
      const PathDoubt doubt = path_.frames()[i].doubt;
      if (doubt == PathDoubt::Nothing || doubt == PathDoubt::Moving)
        ++lost;
      else if (doubt == PathDoubt::Blurred)
        ++blurred;
      else if (isHeld(i))
        ++held;
    }
    const auto count = static_cast<double>(last_ - first_);
    if (static_cast<double>(lost) > 0.3 * count)
      result_.advice = "Much of the clip cannot be followed: align it by hand, or leave it alone.";
    else if (lost > 0)
      result_.advice = "Set the in and out points around what cannot be followed.";
    else if (blurred > 0 && settings_.steadying != Steadying::Off)
      result_.advice =
          "What is blurred stays so, and shows once the picture is steady: set the in and out points around "
          "it, or smooth less.";
    else if (limited_ && settings_.steadying == Steadying::HoldStill)
      result_.advice = "Holding still costs more than the crop limit: keep the move instead.";
    else if (static_cast<double>(held) > 0.2 * count)
      result_.advice =
          "The moves are larger than the crop allows: shorten the clip, allow more crop, or smooth less.";
    else if (settings_.steadying == Steadying::KeepMove && result_.shake_before_deg < 0.01)
      result_.advice = "There is hardly any shake: the clip can be left alone.";
    else if (settings_.steadying == Steadying::KeepMove && result_.can_hold_still &&
             result_.shake_before_deg > 0.01 && staysPut())
      result_.advice = "The camera goes nowhere: the clip can be held still.";
  }

  // Whether all of the path is shake.
  bool staysPut() const {
    const Quaternion a = smooth_[first_], b = smooth_[last_ - 1];
    return length(turnOf(inverse(a) * b)) * kDegrees < 1.0;
  }

  const StabilizationRoom& room_;
  const CameraPath& path_;
  const StabilizationSettings& settings_;
  size_t first_, last_;
  double fps_;
  std::vector<VirtualFrame> views_;
  std::vector<Quaternion> smooth_;
  std::vector<Point> smooth_shift_;
  std::vector<double> smooth_log_scale_;
  std::vector<double> weights_, sizes_;
  bool limited_ = false;
  StabilizedClip result_;
};

}  // namespace

StabilizedClip stabilize(const StabilizationRoom& room, const StabilizationSettings& settings, int64_t first,
                         int64_t last) {
  settings.validate();
  const auto count = static_cast<int64_t>(room.path().frames().size());
  first = std::clamp<int64_t>(first, 0, count);
  last = std::clamp<int64_t>(last, first, count);
  if (first == last) return {};
  return Stabilizer(room, settings, static_cast<size_t>(first), static_cast<size_t>(last)).run();
}

}  // namespace glenhaze
