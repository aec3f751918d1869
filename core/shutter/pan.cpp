#include "core/shutter/pan.h"

#include <algorithm>
#include <cmath>
#include <vector>

#include "core/base/error.h"
#include "core/base/numbers.h"
#include "core/base/parallel.h"
#include "core/base/statistics.h"
#include "core/lens/bend.h"
#include "core/media/coding.h"
#include "core/media/reader.h"

namespace glenhaze {

namespace {

constexpr int kMostFrames = 150;
constexpr size_t kFewestFrames = 6;
constexpr int kStrips = 12;
constexpr int kLinesPerStrip = 6;
constexpr int kFade = 15;                  // samples to each side that make a profile's slow course
constexpr double kLongestShare = 1.5;      // of the frame interval, that is believed of a readout
constexpr double kGlobalWithin_s = 0.002;  // three standard deviations below which no readout is none
constexpr double kCodedShare = 0.007;      // what coding does to a lean, of photographs at 0.4 bit a pixel
constexpr double kSlowest = 0.6;           // px a frame: below it nothing leans visibly
constexpr double kReach = 0.6;             // rad to each side that are looked at, with the lens
constexpr double kSmallest = 2.0;          // codes RMS of a profile that has anything upright in it

using Profile = std::vector<float>;

// Strips across the direction of reading, each as a profile along the direction of motion. With the lens, a
// profile lies on lines of the sensor, but its places are even steps of the angle by which the camera pans:
// so everything moves and leans alike, from one side of the picture to the other. Without, only the middle of
// the picture is used, where both are nearly so.
class Strips {
 public:
  // `sideways`: motion runs down the picture and the sensor is read across it.
  Strips(const ClipInfo& clip, const std::optional<Lens>& lens, bool sideways) : sideways_(sideways) {
    const int along = sideways ? clip.height : clip.width, across = sideways ? clip.width : clip.height;
    const double reach = lens ? std::min(0.5, kReach * (sideways ? lens->fy : lens->fx) / along) : 0.2;
    first_ = static_cast<int>(along * (0.5 - reach));
    length_ = static_cast<int>(along * 2 * reach);
    const std::optional<LensMap> map = lens ? std::optional<LensMap>(*lens) : std::nullopt;
    for (int s = 0; s < kStrips; ++s)
      for (int n = 0; n < kLinesPerStrip; ++n) {
        const double line = (s + (n + 0.5) / kLinesPerStrip) * across / kStrips - 0.5;
        lines_.push_back(placesOf(map, line));
      }
  }

  std::vector<Profile> of(const Frame& frame) const {
    std::vector<Profile> profiles(kStrips, Profile(static_cast<size_t>(length_), 0));
    const int bytes = frame.format.bytesPerSample();
    const float gain = 1.0F / static_cast<float>(1 << (frame.format.bit_depth - 8)) / kLinesPerStrip;
    parallelBlocks(kStrips, 1, [&](int first, int last) {
      for (int s = first; s < last; ++s)
        for (int n = 0; n < kLinesPerStrip; ++n) {
          const auto& places = lines_[static_cast<size_t>(s * kLinesPerStrip + n)];
          for (int i = 0; i < length_; ++i)
            profiles[static_cast<size_t>(s)][static_cast<size_t>(i)] +=
                gain * sample(frame.planes[0], places[static_cast<size_t>(i)], bytes);
        }
    });
    for (Profile& p : profiles) p = edgesOnly(p);
    return profiles;
  }

 private:
  std::vector<Point> placesOf(const std::optional<LensMap>& map, double line) const {
    std::vector<Point> places(static_cast<size_t>(length_));
    for (int i = 0; i < length_; ++i) {
      const double at = first_ + i;
      places[static_cast<size_t>(i)] = map         ? placeOf(*map, at, line)
                                       : sideways_ ? Point{line, at}
                                                   : Point{at, line};
    }
    return places;
  }

  // Where the upright at this angle (in pixels of the middle) crosses this line of the sensor.
  Point placeOf(const LensMap& map, double at, double line) const {
    const Lens& lens = map.lens();
    const double centre = sideways_ ? lens.cy : lens.cx, focal = sideways_ ? lens.fy : lens.fx;
    constexpr double kWidest = 1.3;  // rad: 75°
    const double upright = centre + focal * std::tan(std::clamp((at - centre) / focal, -kWidest, kWidest));
    Point straight = sideways_ ? Point{line, upright} : Point{upright, line};
    Point source{-1e6, -1e6};
    for (int step = 0; step < 40; ++step) {
      const auto bent = map.distort(straight);
      if (!bent) break;
      source = *bent;
      const double off = line - (sideways_ ? source.x : source.y);
      (sideways_ ? straight.x : straight.y) += off;
      if (std::abs(off) < 1e-3) break;
    }
    return source;
  }

  static float sample(const Plane& plane, Point p, int bytes) {
    const double x = std::clamp(p.x, 0.0, plane.width - 1.001),
                 y = std::clamp(p.y, 0.0, plane.height - 1.001);
    const int x0 = static_cast<int>(x), y0 = static_cast<int>(y);
    const auto fx = static_cast<float>(x - x0), fy = static_cast<float>(y - y0);
    const auto at = [&](int i, int j) {
      return static_cast<float>(
          plane.at(std::min(x0 + i, plane.width - 1), std::min(y0 + j, plane.height - 1), bytes));
    };
    const float top = at(0, 0) + (at(1, 0) - at(0, 0)) * fx, bottom = at(0, 1) + (at(1, 1) - at(0, 1)) * fx;
    return top + (bottom - top) * fy;
  }

  static Profile edgesOnly(const Profile& p) {
    Profile out(p.size());
    const auto n = static_cast<int>(p.size());
    float sum = 0;
    const auto at = [&](int i) { return p[static_cast<size_t>(std::clamp(i, 0, n - 1))]; };
    for (int i = -kFade; i <= kFade; ++i) sum += at(i);
    for (int i = 0; i < n; ++i) {
      out[static_cast<size_t>(i)] = at(i) - sum / (2 * kFade + 1);
      sum += at(i + kFade + 1) - at(i - kFade);
    }
    return softened(softened(out));
  }

  static Profile softened(const Profile& p) {
    Profile out = p;
    for (size_t i = 1; i + 1 < p.size(); ++i) out[i] = 0.25F * (p[i - 1] + 2 * p[i] + p[i + 1]);
    return out;
  }

  bool sideways_;
  int first_ = 0, length_ = 0;
  std::vector<std::vector<Point>> lines_;
};

float between(const Profile& p, double x) {
  const int i = static_cast<int>(std::floor(x));
  if (i < 1 || i + 2 >= static_cast<int>(p.size())) return 0;
  // Cubic of Catmull and Rom: straight interpolation would draw shifts towards whole samples.
  const auto t = static_cast<float>(x - i);
  const float a = p[static_cast<size_t>(i - 1)], b = p[static_cast<size_t>(i)],
              c = p[static_cast<size_t>(i + 1)], d = p[static_cast<size_t>(i + 2)];
  return b + 0.5F * t * (c - a + t * (2 * a - 5 * b + 4 * c - d + t * (3 * (b - c) + d - a)));
}

struct Shift {
  double px = 0;
  double match = 0;  // correlation of the two, −1..1
};

double matchOf(const Profile& a, const Profile& b, double shift) {
  double ab = 0, aa = 0, bb = 0;
  const int margin = 4 + static_cast<int>(std::ceil(std::abs(shift)));
  for (int i = margin; i < static_cast<int>(a.size()) - margin; ++i) {
    const double u = static_cast<double>(a[static_cast<size_t>(i)]);
    const double v = static_cast<double>(between(b, i + shift));
    ab += u * v;
    aa += u * u;
    bb += v * v;
  }
  return aa > 0 && bb > 0 ? ab / std::sqrt(aa * bb) : 0;
}

// By how much what is in `a` lies further along in `b`, from a first guess: Gauss–Newton on the difference.
Shift refinedShift(const Profile& a, const Profile& b, double guess) {
  double shift = guess;
  for (int step = 0; step < 12; ++step) {
    double gg = 0, ge = 0;
    const int margin = 4 + static_cast<int>(std::ceil(std::abs(shift)));
    for (int i = margin; i < static_cast<int>(a.size()) - margin; ++i) {
      const double x = i + shift;
      const auto g = static_cast<double>(between(b, x + 0.5) - between(b, x - 0.5));
      const auto e = static_cast<double>(a[static_cast<size_t>(i)] - between(b, x));
      gg += g * g;
      ge += g * e;
    }
    if (gg <= 0) return {};
    const double change = std::clamp(ge / gg, -1.0, 1.0);
    shift += change;
    if (std::abs(change) < 1e-4) break;
  }
  return {shift, matchOf(a, b, shift)};
}

// Over a wide range first, in whole samples; nearer ones win among equals, because uprights repeat.
Shift searchShift(const Profile& a, const Profile& b, double expected, int reach) {
  double best = -2;
  int at = 0;
  for (int d = -reach; d <= reach; ++d) {
    const int shift = static_cast<int>(std::lround(expected)) + d;
    const double m = matchOf(a, b, shift) - 0.002 * std::abs(d);
    if (m > best) {
      best = m;
      at = shift;
    }
  }
  return refinedShift(a, b, at);
}

double strengthOf(const Profile& p) {
  double sum = 0;
  for (const float v : p) sum += static_cast<double>(v) * static_cast<double>(v);
  return std::sqrt(sum / static_cast<double>(p.size()));
}

// Lean over the whole picture: strips against others well apart, because a lean of a fraction of a pixel from
// strip to strip would be drawn towards whole pixels.
std::optional<double> leanOf(const std::vector<Profile>& strips, int lines) {
  std::vector<double> shifts;
  double expected = 0;
  for (size_t apart = 1; apart <= kStrips / 2 + 1; ++apart) {
    std::vector<double> here;
    for (size_t s = 0; s + apart < strips.size(); ++s) {
      const Shift shift = refinedShift(strips[s], strips[s + apart], expected * static_cast<double>(apart));
      if (shift.match > 0.6 && std::abs(shift.px) < 12.0 * static_cast<double>(apart))
        here.push_back(shift.px / static_cast<double>(apart));
    }
    if (here.size() < (strips.size() - apart) / 2) return std::nullopt;
    expected = medianOf(here);
    if (apart >= kStrips / 2 - 1) shifts.insert(shifts.end(), here.begin(), here.end());
  }
  // From strip to strip it is lines/kStrips rows.
  return medianOf(std::move(shifts)) * kStrips * (lines - 1) / lines;
}

struct Sight {
  int64_t frame = 0;
  double lean = 0, speed = 0;  // px over the picture; px per second
};

struct Line {
  double slope = 0, offset = 0, spread = 0, rms = 0;
};

// A line through all sights with Huber's weights; through the origin where the speeds are all alike.
Line fitLine(const std::vector<Sight>& sights, bool through_origin) {
  std::vector<double> weights(sights.size(), 1.0);
  Line line;
  for (int round = 0; round < 15; ++round) {
    double w = 0, x = 0, y = 0, xx = 0, xy = 0;
    for (size_t i = 0; i < sights.size(); ++i) {
      w += weights[i];
      x += weights[i] * sights[i].speed;
      y += weights[i] * sights[i].lean;
      xx += weights[i] * sights[i].speed * sights[i].speed;
      xy += weights[i] * sights[i].speed * sights[i].lean;
    }
    const double det = w * xx - x * x;
    line.slope = through_origin ? xy / xx : (w * xy - x * y) / det;
    line.offset = through_origin ? 0 : (y - line.slope * x) / w;
    std::vector<double> errors;
    double sum = 0;
    for (const Sight& s : sights) errors.push_back(std::abs(s.lean - line.slope * s.speed - line.offset));
    const double scale = std::max(0.01, 1.4826 * medianOf(errors));
    for (size_t i = 0; i < sights.size(); ++i) {
      weights[i] = errors[i] <= 1.5 * scale ? 1 : 1.5 * scale / errors[i];
      sum += weights[i] * errors[i] * errors[i];
    }
    line.rms = std::sqrt(sum / w);
    const double variance = sum / std::max(1.0, w - 2);
    line.spread = std::sqrt(variance / (through_origin ? xx : det / w));
  }
  return line;
}

// The slope's uncertainty: what leaving out one stretch of the pan after the other does to it, since the same
// uprights are off the same way for many frames; and what is off in all (docs/accuracy.md).
double uncertaintyOf(const std::vector<Sight>& sights, const Line& line, bool through_origin) {
  constexpr size_t kParts = 8;
  constexpr double kAlwaysOff = 0.0025;  // of the slope
  std::vector<double> slopes;
  for (size_t p = 0; p < kParts && sights.size() >= 2 * kParts; ++p) {
    std::vector<Sight> rest = sights;
    rest.erase(rest.begin() + static_cast<ptrdiff_t>(p * sights.size() / kParts),
               rest.begin() + static_cast<ptrdiff_t>((p + 1) * sights.size() / kParts));
    slopes.push_back(fitLine(rest, through_origin).slope);
  }
  return std::hypot(slopes.empty() ? line.spread : leftOutDeviation(slopes, kParts), kAlwaysOff * line.slope);
}

// Both speeds of the picture's middle, px a frame, from a few pairs of frames: which way the camera pans.
Point panOf(const ClipInfo& clip, const Progress& progress) {
  Strips rows(clip, std::nullopt, false), columns(clip, std::nullopt, true);
  ClipReader reader(clip);
  std::vector<Profile> before_r, before_c;
  std::vector<double> xs, ys;
  for (int n = 0; n < std::min<int64_t>(clip.frames, 40); ++n) {
    progress.check();
    const auto frame = reader.next();
    if (!frame) break;
    auto r = rows.of(*frame), c = columns.of(*frame);
    if (!before_r.empty()) {
      constexpr size_t kMiddle = kStrips / 2;
      const auto pushIf = [](std::vector<double>& to, const Profile& a, const Profile& b) {
        const Shift s = searchShift(a, b, 0, static_cast<int>(a.size()) / 12);
        if (s.match > 0.6 && strengthOf(a) > kSmallest) to.push_back(std::abs(s.px));
      };
      pushIf(xs, before_r[kMiddle], r[kMiddle]);
      pushIf(ys, before_c[kMiddle], c[kMiddle]);
    }
    before_r = std::move(r);
    before_c = std::move(c);
  }
  return {medianOf(xs), medianOf(ys)};
}

std::vector<Sight> sightsOf(const ClipInfo& clip, const Strips& strips, int lines, const Progress& progress) {
  std::vector<Sight> sights;
  ClipReader reader(clip);
  std::vector<Profile> before;
  std::optional<double> lean_before;
  double time_before = 0, moved_before = 0;
  std::optional<double> speed_before;
  for (int n = 0; n < kMostFrames; ++n) {
    progress.check();
    const auto frame = reader.next();
    if (!frame) break;
    const double time = static_cast<double>(frame->pts - clip.start_pts) * clip.time_base.value();
    auto now = strips.of(*frame);
    if (strengthOf(now[kStrips / 2]) < kSmallest) {
      before.clear();
      continue;
    }
    std::optional<double> speed;
    if (!before.empty() && time > time_before) {
      std::vector<double> shifts;
      const int reach = speed_before ? 8 : static_cast<int>(now[0].size()) / 12;
      for (size_t s = 0; s < kStrips; s += 2) {
        const Shift shift = searchShift(before[s], now[s], speed_before ? moved_before : 0, reach);
        if (shift.match > 0.6) shifts.push_back(shift.px);
      }
      if (shifts.size() >= kStrips / 4) {
        moved_before = medianOf(std::move(shifts));
        speed = moved_before / (time - time_before);
      }
      // The speed at a frame is the mean of those before and behind it.
      if (speed && speed_before && lean_before)
        sights.push_back({n - 1, *lean_before, 0.5 * (*speed + *speed_before)});
    }
    speed_before = speed;
    lean_before = leanOf(now, lines);
    before = std::move(now);
    time_before = time;
    progress.update(0.2 + 0.8 * (n + 1) / static_cast<double>(std::min<int64_t>(kMostFrames, clip.frames)));
  }
  return sights;
}

// Slow or short pans past what is hardly upright say nothing, which is not the same as a global shutter.
void refuseUntold(const ShutterFinding& f, double interval_s, const ClipInfo& clip) {
  const bool too_long = !(f.shutter.readout_s < kLongestShare * interval_s);
  const bool open = f.shutter.readout_s < 3 * f.uncertainty_s && 3 * f.uncertainty_s > kGlobalWithin_s;
  if (too_long || open)
    throw Error(ErrorKind::Evidence, "The readout cannot be told from this pan", clip.path.string(),
                "± " + fixedText(1000 * f.uncertainty_s, 1) + " ms",
                "Pan quickly, and back, past a fence, columns or window frames");
}

}  // namespace

ShutterFinding measurePan(const ClipInfo& clip, const std::optional<Lens>& lens, const Progress& progress) {
  if (lens && (lens->width != clip.width || lens->height != clip.height))
    throw Error(ErrorKind::BadRequest, "The lens is for another picture size", clip.path.string(), "",
                "Choose the profile of this mode");
  const Point pan = panOf(clip, progress);
  progress.update(0.2);
  if (std::max(pan.x, pan.y) < kSlowest)
    throw Error(ErrorKind::Evidence, "The camera does not pan here", clip.path.string(),
                "what is upright moves by less than a pixel a frame",
                "Pan quickly past a fence, columns or window frames");
  const bool sideways = pan.y > pan.x;
  const int lines = sideways ? clip.width : clip.height;
  const Strips strips(clip, lens, sideways);
  std::vector<Sight> sights = sightsOf(clip, strips, lines, progress);
  if (sights.size() < kFewestFrames)
    throw Error(ErrorKind::Evidence, "Too few frames show upright things", clip.path.string(),
                std::to_string(sights.size()) + " frames",
                lens
                    ? "Pan past a fence, columns or window frames that fill the height of the picture"
                    : "Measure the lens first, so that uprights are straight; or pan past a fence or columns "
                      "that fill the height of the picture");
  std::vector<double> speeds;
  for (const Sight& s : sights) speeds.push_back(s.speed);
  const auto [low, high] = std::minmax_element(speeds.begin(), speeds.end());
  const double typical = std::abs(medianOf(speeds));
  const bool even = *high - *low < 0.3 * std::max(typical, 1.0);
  const Line line = fitLine(sights, even);
  ShutterFinding f;
  f.shutter.readout_s = std::abs(line.slope);
  f.uncertainty_s = uncertaintyOf(sights, line, even);
  if (codingOf(clip, Progress{{}, progress.stop}).predicts)
    f.uncertainty_s = std::hypot(f.uncertainty_s, kCodedShare * f.shutter.readout_s);
  f.frames = static_cast<int>(sights.size());
  f.residual = line.rms;
  f.kind = ShutterPlot::Lean;
  for (const Sight& s : sights) {
    f.plot.emplace_back(s.speed, s.lean - line.offset);
    f.sights.push_back({s.frame, s.speed, s.lean - line.offset});
  }
  const double interval = 1 / clip.fps.value();
  f.share_of_frame = f.shutter.readout_s / interval;
  refuseUntold(f, interval, clip);
  if (f.shutter.readout_s < 3 * f.uncertainty_s || f.shutter.readout_s < 2e-4) {
    f.global = true;
    f.shutter.direction = ScanDirection::Unknown;
    f.warnings.emplace_back(
        "No lean can be seen within the uncertainty: a global shutter, or too slow a pan.");
  } else if (sideways) {
    f.shutter.direction = line.slope > 0 ? ScanDirection::Right : ScanDirection::Left;
  } else {
    f.shutter.direction = line.slope > 0 ? ScanDirection::Down : ScanDirection::Up;
  }
  if (even)
    f.warnings.emplace_back(
        "The pan is even: the camera is taken to have been held upright. Pan both ways to be sure.");
  if (!f.global)
    for (const std::string& odd : plausibilityOf(f.shutter, interval)) f.warnings.push_back(odd);
  return f;
}

}  // namespace glenhaze
