#include "core/motion/log.h"

#include <algorithm>
#include <cmath>

#include "core/base/csv.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/parallel.h"

namespace glenhaze {

namespace {

constexpr size_t kFewest = 8;
constexpr double kAgrees = 0.6;

// The log as turns summed up over time, so that the mean rate over any span is a difference.
class Summed {
 public:
  explicit Summed(const MotionLog& log) : log_(log), sums_(log.samples.size()) {
    for (size_t i = 1; i < sums_.size(); ++i) {
      const LogSample &a = log.samples[i - 1], &b = log.samples[i];
      sums_[i] = sums_[i - 1] + (a.rate + b.rate) * (0.5 * (b.time_s - a.time_s));
    }
  }
  double first() const { return log_.samples.front().time_s; }
  double last() const { return log_.samples.back().time_s; }
  bool covers(double from, double to) const { return from >= first() && to <= last(); }
  // Straight between the samples; the time must be covered.
  Turn at(double time) const {
    const auto after = std::upper_bound(log_.samples.begin(), log_.samples.end(), time,
                                        [](double t, const LogSample& s) { return t < s.time_s; });
    const auto j = static_cast<size_t>(
        std::clamp<ptrdiff_t>(after - log_.samples.begin(), 1, static_cast<ptrdiff_t>(sums_.size()) - 1));
    const LogSample &a = log_.samples[j - 1], &b = log_.samples[j];
    const double t = (time - a.time_s) / (b.time_s - a.time_s);
    return sums_[j - 1] + (sums_[j] - sums_[j - 1]) * t;
  }

 private:
  const MotionLog& log_;
  std::vector<Turn> sums_;
};

std::array<double, 3> parts(const Turn& t) { return {t.x, t.y, t.z}; }

// Turns of the tracked path from frame to frame, with their times.
struct Steps {
  std::vector<double> from, to;
  std::vector<std::array<double, 3>> turns;
};

Steps stepsOf(const CameraPath& path) {
  Steps steps;
  const auto& f = path.frames();
  for (size_t i = 1; i < f.size(); ++i) {
    if (f[i].doubt == PathDoubt::Cut || f[i].doubt == PathDoubt::Nothing) continue;
    steps.from.push_back(f[i - 1].time_s);
    steps.to.push_back(f[i].time_s);
    steps.turns.push_back(parts(turnOf(inverse(f[i - 1].orientation) * f[i].orientation)));
  }
  return steps;
}

// All nine correlations between the log's axes and the camera's at one offset.
struct Correlations {
  std::array<std::array<double, 3>, 3> cross{};  // camera axis, log axis
  std::array<double, 3> camera{}, log{};
  size_t count = 0;
};

Correlations correlate(const Summed& log, const Steps& steps, double offset) {
  Correlations c;
  for (size_t i = 0; i < steps.turns.size(); ++i) {
    const double a = steps.from[i] + offset, b = steps.to[i] + offset;
    if (!log.covers(a, b)) continue;
    const auto turned = parts(log.at(b) - log.at(a));
    ++c.count;
    for (size_t k = 0; k < 3; ++k) {
      c.camera[k] += steps.turns[i][k] * steps.turns[i][k];
      c.log[k] += turned[k] * turned[k];
      for (size_t l = 0; l < 3; ++l) c.cross[k][l] += steps.turns[i][k] * turned[l];
    }
  }
  return c;
}

// Six ways to assign three axes; of the eight ways to sign them, those that keep the handedness.
constexpr std::array<std::array<size_t, 3>, 6> kOrders = {
    {{0, 1, 2}, {1, 2, 0}, {2, 0, 1}, {0, 2, 1}, {2, 1, 0}, {1, 0, 2}}};

LogFit bestAxes(const Correlations& c, double offset) {
  LogFit best;
  best.offset_s = offset;
  const double camera = c.camera[0] + c.camera[1] + c.camera[2], log = c.log[0] + c.log[1] + c.log[2];
  if (!(camera > 0 && log > 0)) return best;
  for (size_t order = 0; order < kOrders.size(); ++order)
    for (int signs = 0; signs < 8; ++signs) {
      const bool odd_order = order >= 3;
      const bool odd_signs = ((signs & 1) + (signs >> 1 & 1) + (signs >> 2 & 1)) % 2 == 1;
      if (odd_order != odd_signs) continue;
      double sum = 0;
      std::array<int, 3> axes{};
      for (size_t k = 0; k < 3; ++k) {
        const int sign = (signs >> k & 1) != 0 ? -1 : 1;
        axes[k] = sign * static_cast<int>(kOrders[order][k] + 1);
        sum += sign * c.cross[k][kOrders[order][k]];
      }
      const double agreement = sum / std::sqrt(camera * log);
      if (agreement > best.agreement) {
        best.agreement = agreement;
        best.axes = axes;
      }
    }
  return best;
}

Turn inCamera(const Turn& t, const std::array<int, 3>& axes) {
  const auto p = parts(t);
  const auto pick = [&](int axis) {
    return (axis < 0 ? -1 : 1) * p[static_cast<size_t>(std::abs(axis) - 1)];
  };
  return {pick(axes[0]), pick(axes[1]), pick(axes[2])};
}

}  // namespace

MotionLog parseMotionLog(const std::string& text, const std::string& where) {
  MotionLog log;
  forEachCsvLine(text, [&](std::string_view line, int number) {
    const auto v = csvNumbers(line);
    const bool read = v && v->size() >= 4;
    if (!read && log.samples.empty() && number == 1) return;  // names of the columns
    const LogSample s = read ? LogSample{(*v)[0], {(*v)[1], (*v)[2], (*v)[3]}} : LogSample{};
    if (!read || (!log.samples.empty() && !(s.time_s > log.samples.back().time_s)))
      throw Error(ErrorKind::Unreadable, "This is not a usable motion log", where,
                  "line " + std::to_string(number) +
                      (read ? ": the time does not rise" : ": not four numbers separated by commas"),
                  "Columns: t,x,y,z – seconds and rad per second");
    log.samples.push_back(s);
  });
  if (log.samples.size() < kFewest)
    throw Error(ErrorKind::Unreadable, "This is not a usable motion log", where,
                "it holds " + std::to_string(log.samples.size()) + " samples", "");
  return log;
}

MotionLog readMotionLog(const std::filesystem::path& path) {
  return parseMotionLog(readFile(path), path.string());
}

LogFit fitLog(const MotionLog& log, const CameraPath& tracked, double reach_s,
              const std::optional<double>& fixed_offset_s) {
  const Summed summed(log);
  const Steps steps = stepsOf(tracked);
  if (steps.turns.size() < kFewest) return {};
  const auto judge = [&](double offset) {
    const Correlations c = correlate(summed, steps, offset);
    // Agreement on a few frames at the log's edge means little.
    return c.count * 2 < steps.turns.size() ? LogFit{} : bestAxes(c, offset);
  };
  LogFit best;
  if (fixed_offset_s) {
    best = judge(*fixed_offset_s);
    best.offset_s = *fixed_offset_s;
  } else {
    const double step = 0.25 * (steps.to.front() - steps.from.front());
    const double middle = summed.first() - tracked.frames().front().time_s;
    const double span = std::max(0.0, (summed.last() - summed.first()) -
                                          (tracked.frames().back().time_s - tracked.frames().front().time_s));
    const double low = middle - reach_s, high = middle + span + reach_s;
    const int count = static_cast<int>((high - low) / step) + 1;
    std::vector<LogFit> all(static_cast<size_t>(count));
    parallelBlocks(count, 16, [&](int first, int last) {
      for (int i = first; i < last; ++i) all[static_cast<size_t>(i)] = judge(low + i * step);
    });
    for (const LogFit& f : all)
      if (f.agreement > best.agreement) best = f;
    for (double s = step / 2; s > step / 64; s /= 2)
      for (const double offset : {best.offset_s - s, best.offset_s + s})
        if (const LogFit f = judge(offset); f.agreement > best.agreement) best = f;
  }
  best.usable = best.agreement > kAgrees;
  return best;
}

CameraPath pathFromLog(const MotionLog& log, const LogFit& fit, const CameraPath& like) {
  std::vector<PathFrame> frames = like.frames();
  const double first = log.samples.front().time_s, last = log.samples.back().time_s;
  size_t at = 0;
  for (size_t i = 1; i < frames.size(); ++i) {
    const double from = frames[i - 1].time_s + fit.offset_s, to = frames[i].time_s + fit.offset_s;
    const PathFrame& before = like.frames()[i - 1];
    Quaternion step = inverse(before.orientation) * like.frames()[i].orientation;
    if (from >= first && to <= last) {
      // Sample by sample: turns about different axes do not simply add up.
      step = {};
      while (at > 0 && log.samples[at].time_s > from) --at;
      while (at + 1 < log.samples.size() && log.samples[at + 1].time_s <= from) ++at;
      for (size_t k = at; k + 1 < log.samples.size() && log.samples[k].time_s < to; ++k) {
        const LogSample &a = log.samples[k], &b = log.samples[k + 1];
        const double t0 = std::max(from, a.time_s), t1 = std::min(to, b.time_s);
        if (t1 <= t0) continue;
        const double middle = (0.5 * (t0 + t1) - a.time_s) / (b.time_s - a.time_s);
        step = step * rotationOf(inCamera((a.rate + (b.rate - a.rate) * middle) * (t1 - t0), fit.axes));
      }
      frames[i].confidence = 1;
      if (frames[i].doubt != PathDoubt::Cut) frames[i].doubt = PathDoubt::None;
    } else {
      frames[i].confidence = std::min(frames[i].confidence, 0.5);
    }
    frames[i].orientation = normalized(frames[i - 1].orientation * step);
  }
  return CameraPath(std::move(frames));
}

}  // namespace glenhaze
