#include "core/shutter/lamp.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <complex>
#include <numbers>
#include <vector>

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/media/reader.h"

namespace glenhaze {

namespace {

constexpr int kMostFrames = 120;
constexpr size_t kFewestFrames = 6;
constexpr size_t kBins = 360;          // rows are gathered into this many
constexpr double kFewestBands = 0.45;  // over the picture; fewer cannot be told from a slope
constexpr int kTries = 600;
constexpr double kTurn = 2 * std::numbers::pi;
constexpr double kLongestShare = 1.1;     // of the frame interval, that is believed of a readout
constexpr double kLeastExplained = 0.3;   // of what changes, by one sine: other lamps and hands change too
constexpr double kLeastDepth = 0.002;     // of the swing, as a share of the light
constexpr double kLeastTold = 0.1;        // of the swing, beyond what all frames have in common
constexpr double kEvenWall = 0.85;        // of a frame's course, by one sine: nothing else is there
constexpr double kStandingShare = 0.015;  // what an even wall's own shading makes of standing bands
constexpr double kClock = 2e-4;           // share by which a camera's clock is off
constexpr double kGlobal_s = 2e-4;        // below which a readout is none

// Brightness along one axis of the picture, one series a frame.
struct Bands {
  std::vector<std::vector<double>> series;
  size_t bins = 0;
};

struct Sums {
  Bands rows, columns;
  std::vector<double> times;
};

std::vector<double> gathered(const std::vector<double>& sums, double divisor) {
  const size_t bins = std::min(kBins, sums.size());
  std::vector<double> out(bins), weight(bins);
  for (size_t i = 0; i < sums.size(); ++i) {
    const size_t b = i * bins / sums.size();
    out[b] += sums[i];
    weight[b] += divisor;
  }
  for (size_t b = 0; b < bins; ++b) out[b] /= weight[b];
  return out;
}

void addFrame(const Frame& frame, Sums& sums) {
  const int bytes = frame.format.bytesPerSample();
  const Plane& luma = frame.planes[0];
  std::vector<double> rows(static_cast<size_t>(luma.height)), columns(static_cast<size_t>(luma.width));
  const auto add = [&](const auto* line, int y) {
    double sum = 0;
    for (int x = 0; x < luma.width; ++x) {
      const auto v = static_cast<double>(line[x]);
      sum += v;
      columns[static_cast<size_t>(x)] += v;
    }
    rows[static_cast<size_t>(y)] = sum;
  };
  for (int y = 0; y < luma.height; ++y) {
    if (bytes == 1)
      add(luma.row<uint8_t>(y), y);
    else
      add(luma.row<uint16_t>(y), y);
  }
  sums.rows.series.push_back(gathered(rows, luma.width));
  sums.columns.series.push_back(gathered(columns, luma.height));
}

// Of standing bands: brightness → swing around 1, each frame's own slow course taken out, since the mean over
// time holds the bands too. A parabola by least squares on orthogonal polynomials over −1..1.
void takeCourseOut(Bands& bands) {
  const size_t n = bands.bins;
  for (auto& s : bands.series) {
    std::array<double, 3> c{};
    std::array<double, 3> norm{};
    const auto polynomials = [n](size_t i) {
      const double u = 2 * static_cast<double>(i) / static_cast<double>(n - 1) - 1;
      return std::array<double, 3>{1, u, 1.5 * u * u - 0.5};
    };
    for (size_t i = 0; i < n; ++i) {
      const auto p = polynomials(i);
      for (size_t k = 0; k < 3; ++k) {
        c[k] += p[k] * s[i];
        norm[k] += p[k] * p[k];
      }
    }
    for (size_t i = 0; i < n; ++i) {
      const auto p = polynomials(i);
      const double slow = c[0] / norm[0] + p[1] * c[1] / norm[1] + p[2] * c[2] / norm[2];
      s[i] = slow > 1 ? s[i] / slow - 1 : 0;
    }
  }
}

// The sine of `count` bands over the series, fitted with a constant: amplitude as a − ib, and the share of
// the series' variance that it explains.
struct Sine {
  std::complex<double> amplitude;
  double explained = 0, variance = 0;
};

Sine fitSine(const std::vector<double>& s, double count) {
  const size_t n = s.size();
  const double step = kTurn * count / static_cast<double>(n - 1);
  double c = 0, d = 0, cc = 0, dd = 0, cd = 0, y = 0, yc = 0, yd = 0, yy = 0;
  std::complex<double> at(1, 0);
  const std::complex<double> turn = std::polar(1.0, step);
  for (size_t i = 0; i < n; ++i, at *= turn) {
    const double u = at.real(), v = at.imag();
    c += u;
    d += v;
    cc += u * u;
    dd += v * v;
    cd += u * v;
    y += s[i];
    yc += s[i] * u;
    yd += s[i] * v;
    yy += s[i] * s[i];
  }
  const auto count_d = static_cast<double>(n);
  cc -= c * c / count_d;
  dd -= d * d / count_d;
  cd -= c * d / count_d;
  yc -= y * c / count_d;
  yd -= y * d / count_d;
  yy -= y * y / count_d;
  const double det = cc * dd - cd * cd;
  Sine fit;
  fit.variance = std::max(0.0, yy);
  if (det < 1e-9 * count_d * count_d) return fit;
  const double a = (yc * dd - yd * cd) / det, b = (yd * cc - yc * cd) / det;
  fit.amplitude = {a, -b};
  fit.explained = a * yc + b * yd;
  return fit;
}

// Share of all variance that sines of `count` bands explain; frames in [skip, skip_end) are left out.
double explainedBy(const Bands& bands, double count, size_t skip = 0, size_t skip_end = 0) {
  double explained = 0, variance = 0;
  for (size_t n = 0; n < bands.series.size(); ++n) {
    if (n >= skip && n < skip_end) continue;
    const Sine fit = fitSine(bands.series[n], count);
    explained += fit.explained;
    variance += fit.variance;
  }
  return variance > 0 ? explained / variance : 0;
}

// The best count near a start, by golden section.
double refined(const Bands& bands, double low, double high, size_t skip = 0, size_t skip_end = 0) {
  constexpr double kGolden = 0.6180339887498949;
  double a = low, b = high;
  double x = b - kGolden * (b - a), y = a + kGolden * (b - a);
  double fx = explainedBy(bands, x, skip, skip_end), fy = explainedBy(bands, y, skip, skip_end);
  for (int i = 0; i < 40; ++i) {
    if (fx > fy) {
      b = y;
      y = x;
      fy = fx;
      x = b - kGolden * (b - a);
      fx = explainedBy(bands, x, skip, skip_end);
    } else {
      a = x;
      x = y;
      fx = fy;
      y = a + kGolden * (b - a);
      fy = explainedBy(bands, y, skip, skip_end);
    }
  }
  return 0.5 * (a + b);
}

struct Found {
  double count = 0, explained = 0, spread = 0;
  std::vector<std::pair<double, double>> plot;
};

Found strongest(const Bands& bands, double most) {
  Found found;
  found.plot.resize(kTries + 1);
  parallelBlocks(kTries + 1, 16, [&](int first, int last) {
    for (int i = first; i < last; ++i) {
      const double count = kFewestBands + (most - kFewestBands) * i / kTries;
      found.plot[static_cast<size_t>(i)] = {count, explainedBy(bands, count)};
    }
  });
  const auto best = std::max_element(found.plot.begin(), found.plot.end(),
                                     [](const auto& a, const auto& b) { return a.second < b.second; });
  const double step = (most - kFewestBands) / kTries;
  const double low = std::max(0.3, best->first - 2 * step), high = best->first + 2 * step;
  found.count = refined(bands, low, high);
  found.explained = explainedBy(bands, found.count);
  // Jackknife over stretches of frames.
  constexpr size_t kParts = 8;
  const size_t frames = bands.series.size();
  std::array<double, kParts> without{};
  parallelBlocks(kParts, 1, [&](int first, int last) {
    for (int k = first; k < last; ++k) {
      const auto p = static_cast<size_t>(k);
      without[p] = refined(bands, low, high, p * frames / kParts, (p + 1) * frames / kParts);
    }
  });
  double mean = 0, sum = 0;
  for (const double w : without) mean += w / kParts;
  for (const double w : without) sum += (w - mean) * (w - mean);
  found.spread = std::sqrt(sum * (kParts - 1) / kParts);
  return found;
}

double wrapped(double angle) { return std::remainder(angle, kTurn); }

// What is left out of a fit: frames or rows from `first` to before `end`.
struct Without {
  size_t first_frame = 0, end_frame = 0, first_row = 0, end_row = 0;
};
// The light that all frames saw together. The logarithm of row i's brightness in frame n is
//   Sᵢ + a·cos φ + b·sin φ,   φ = 2πf·(tₙ + readout·xᵢ),  xᵢ from −½ to ½,
// with Sᵢ the scene's own. Taking each row's mean over time off both sides leaves a straight least squares in
// a and b for every readout (its sign is the way) and frequency (mains drift a little): so a scene of any
// kind is told from the bands, unless they stand still.
class Together {
 public:
  Together(const Bands& bands, const std::vector<double>& times) : times_(times), bins_(bands.bins) {
    logs_.reserve(bands.series.size() * bins_);
    std::vector<double> mean(bins_, 0);
    for (const auto& s : bands.series)
      for (size_t i = 0; i < bins_; ++i) mean[i] += logOf(s[i]) / static_cast<double>(bands.series.size());
    for (const auto& s : bands.series)
      for (size_t i = 0; i < bins_; ++i) logs_.push_back(logOf(s[i]) - mean[i]);
  }

  struct Fit {
    double explained = 0;  // of the variance
    double power = 0;      // the same, not as a share
    double depth = 0;      // of the swing
    double told = 0;       // share of the swing that is not common to all frames
  };

  Fit fit(double readout_s, double hz, const Without& without = {}, size_t stride = 1) const {
    double cc = 0, dd = 0, cd = 0, yc = 0, yd = 0, yy = 0, whole = 0;
    const size_t frames = times_.size();
    std::vector<std::complex<double>> moments(frames);
    for (size_t n = 0; n < frames; ++n) moments[n] = std::polar(1.0, kTurn * hz * times_[n]);
    for (size_t i = 0; i < bins_; i += stride) {
      if (i >= without.first_row && i < without.end_row) continue;
      const double x = static_cast<double>(i) / static_cast<double>(bins_ - 1) - 0.5;
      const std::complex<double> at = std::polar(1.0, kTurn * hz * readout_s * x);
      std::complex<double> mean = 0;
      double count = 0, y_mean = 0;
      for (size_t n = 0; n < frames; ++n) {
        if (n >= without.first_frame && n < without.end_frame) continue;
        mean += moments[n];
        y_mean += logs_[n * bins_ + i];
        count += 1;
      }
      mean /= count;
      y_mean /= count;
      for (size_t n = 0; n < frames; ++n) {
        if (n >= without.first_frame && n < without.end_frame) continue;
        const std::complex<double> w = at * (moments[n] - mean);
        const double y = logs_[n * bins_ + i] - y_mean;
        cc += w.real() * w.real();
        dd += w.imag() * w.imag();
        cd += w.real() * w.imag();
        yc += y * w.real();
        yd += y * w.imag();
        yy += y * y;
        whole += 1;
      }
    }
    Fit f;
    f.told = whole > 0 ? (cc + dd) / whole : 0;
    const double det = cc * dd - cd * cd;
    if (det <= 1e-9 * whole * whole || yy <= 0) return f;
    const double a = (yc * dd - yd * cd) / det, b = (yd * cc - yc * cd) / det;
    f.explained = (a * yc + b * yd) / yy;
    f.power = f.explained * yy / whole;
    f.depth = std::hypot(a, b);
    return f;
  }

  size_t frames() const { return times_.size(); }
  size_t bins() const { return bins_; }

 private:
  static double logOf(double brightness) { return std::log(std::max(1.0, brightness)); }
  const std::vector<double>& times_;
  size_t bins_;
  std::vector<double> logs_;  // a row of bins a frame, each bin's mean over time taken off
};

// The top of a function near a start, by golden section.
template <typename F>
double topOf(F value, double low, double high, int steps = 40) {
  constexpr double kGolden = 0.6180339887498949;
  double a = low, b = high, x = b - kGolden * (b - a), y = a + kGolden * (b - a);
  double fx = value(x), fy = value(y);
  for (int i = 0; i < steps; ++i) {
    if (fx > fy) {
      b = y, y = x, fy = fx;
      x = b - kGolden * (b - a), fx = value(x);
    } else {
      a = x, x = y, fx = fy;
      y = a + kGolden * (b - a), fy = value(y);
    }
  }
  return 0.5 * (a + b);
}

struct Reading {
  double readout_s = 0, hz = 0, spread_s = 0;  // signed: with the rows positive
  double other_way = 0;                        // what the best readout of the other sign explains
  Together::Fit fit;
  std::vector<std::pair<double, double>> plot;
};

constexpr double kDrift = 0.003;  // share by which mains frequency and a camera's clock are off together

Reading readTogether(const Together& light, double flicker_hz, double longest_s, double span_s) {
  constexpr int kReadouts = 150;
  const int drifts = std::clamp(static_cast<int>(std::ceil(kDrift * flicker_hz * span_s / 0.12)), 1, 40);
  const size_t stride = std::max<size_t>(1, light.bins() / 90);
  const auto readoutAt = [&](int r) { return longest_s * r / kReadouts; };
  const auto hzAt = [&](int d) { return flicker_hz * (1 + kDrift * d / drifts); };
  std::vector<double> best(2 * kReadouts + 1), best_hz(best.size());
  parallelBlocks(static_cast<int>(best.size()), 4, [&](int first, int last) {
    for (int k = first; k < last; ++k)
      for (int d = -drifts; d <= drifts; ++d) {
        const double e = light.fit(readoutAt(k - kReadouts), hzAt(d), {}, stride).explained;
        if (e <= best[static_cast<size_t>(k)]) continue;
        best[static_cast<size_t>(k)] = e;
        best_hz[static_cast<size_t>(k)] = hzAt(d);
      }
  });
  const auto top = std::max_element(best.begin(), best.end()) - best.begin();
  Reading found;
  found.readout_s = readoutAt(static_cast<int>(top) - kReadouts);
  found.hz = best_hz[static_cast<size_t>(top)];
  if (found.hz <= 0) return found;
  const double step = longest_s / kReadouts, drift = flicker_hz * kDrift / drifts;
  for (int round = 0; round < 3; ++round) {
    found.readout_s = topOf([&](double r) { return light.fit(r, found.hz).explained; },
                            found.readout_s - 1.5 * step, found.readout_s + 1.5 * step, 24);
    found.hz = topOf([&](double hz) { return light.fit(found.readout_s, hz).explained; },
                     found.hz - 1.5 * drift, found.hz + 1.5 * drift, 24);
  }
  found.fit = light.fit(found.readout_s, found.hz);
  for (int r = 1; r <= kReadouts; ++r) {
    const double with = best[static_cast<size_t>(kReadouts + r)],
                 against = best[static_cast<size_t>(kReadouts - r)];
    found.plot.emplace_back(readoutAt(r) * flicker_hz, std::max(with, against));
    found.other_way = std::max(found.other_way, found.readout_s > 0 ? against : with);
  }
  return found;
}

// Jackknife over stretches of frames and over parts of the picture: the larger, since each holds other
// errors.
double spreadOf(const Together& light, const Reading& reading, double reach_s) {
  constexpr size_t kParts = 8;
  std::array<double, 2 * kParts> without{};
  parallelBlocks(2 * kParts, 1, [&](int first, int last) {
    for (int k = first; k < last; ++k) {
      const auto p = static_cast<size_t>(k) % kParts;
      Without out;
      if (static_cast<size_t>(k) < kParts) {
        out.first_frame = p * light.frames() / kParts;
        out.end_frame = (p + 1) * light.frames() / kParts;
      } else {
        out.first_row = p * light.bins() / kParts;
        out.end_row = (p + 1) * light.bins() / kParts;
      }
      without[static_cast<size_t>(k)] =
          topOf([&](double r) { return light.fit(r, reading.hz, out).explained; },
                reading.readout_s - reach_s, reading.readout_s + reach_s);
    }
  });
  double squares = 0;
  for (const size_t from : {size_t{0}, kParts}) {
    double mean = 0, sum = 0;
    for (size_t k = from; k < from + kParts; ++k) mean += without[k] / kParts;
    for (size_t k = from; k < from + kParts; ++k) sum += (without[k] - mean) * (without[k] - mean);
    squares += sum * (kParts - 1) / kParts / 2;
  }
  return std::sqrt(squares);
}

// The whole picture swings as one: nothing of a readout can be seen.
ShutterFinding globalFinding(double flicker_hz, size_t frames) {
  ShutterFinding f;
  f.shutter = {0, ScanDirection::Unknown};
  f.uncertainty_s = 0.15 / flicker_hz;  // a seventh of a band would still show
  f.frames = static_cast<int>(frames);
  f.global = true;
  f.warnings.emplace_back(
      "The whole picture flickers at once: a global shutter, or a readout far shorter than "
      "one swing of the lamp.");
  return f;
}

Sums readSums(const ClipInfo& clip, const Progress& progress) {
  Sums sums;
  ClipReader reader(clip);
  while (sums.times.size() < kMostFrames) {
    progress.check();
    const auto frame = reader.next();
    if (!frame) break;
    addFrame(*frame, sums);
    sums.times.push_back(static_cast<double>(frame->pts - clip.start_pts) * clip.time_base.value());
    progress.update(0.7 * static_cast<double>(sums.times.size()) / kMostFrames);
  }
  for (Bands* bands : {&sums.rows, &sums.columns})
    if (!bands->series.empty()) bands->bins = bands->series.front().size();
  return sums;
}

// Bands that stand still cannot be told from what stands still in the scene, unless the wall is even: then
// they are all that there is to see.
ShutterFinding measureStanding(const ClipInfo& clip, Sums& sums, double flicker_hz, double interval,
                               double explained_together) {
  takeCourseOut(sums.rows);
  takeCourseOut(sums.columns);
  const double most = std::max(2.0, kLongestShare * interval * flicker_hz);
  const Found rows = strongest(sums.rows, most), columns = strongest(sums.columns, most);
  const auto power = [](const Bands& b, const Found& f) {
    double variance = 0;
    for (const auto& s : b.series) variance += fitSine(s, f.count).variance / static_cast<double>(b.bins);
    return f.explained * variance;
  };
  const bool vertical = power(sums.rows, rows) >= power(sums.columns, columns);
  const Found& found = vertical ? rows : columns;
  const Bands& bands = vertical ? sums.rows : sums.columns;
  double depth = 0;
  for (const auto& s : bands.series)
    depth += std::abs(fitSine(s, found.count).amplitude) / static_cast<double>(bands.series.size());
  const bool stands = std::abs(wrapped(kTurn * flicker_hz * interval)) < 0.12;
  if (!stands || found.explained < kEvenWall || depth < kLeastDepth)
    throw Error(ErrorKind::Evidence, "No bands of a flickering lamp can be seen", clip.path.string(),
                std::to_string(std::lround(100 * (stands ? found.explained : explained_together))) +
                    " % of the changes fit one" +
                    (stands ? "; at this frame rate they stand still and need an even wall" : ""),
                "Film an even wall lit by one lamp on mains, with a short exposure");
  ShutterFinding f;
  f.shutter = {found.count / flicker_hz, ScanDirection::Unknown};
  f.uncertainty_s = std::hypot(found.spread / flicker_hz, kStandingShare * f.shutter.readout_s);
  f.share_of_frame = f.shutter.readout_s / interval;
  f.frames = static_cast<int>(sums.times.size());
  f.kind = ShutterPlot::Bands;
  f.plot = found.plot;
  f.residual = 1 - found.explained;
  f.warnings.emplace_back(
      "The direction cannot be told: the bands come back to the same places from frame to frame.");
  for (const std::string& odd : plausibilityOf(f.shutter, interval)) f.warnings.push_back(odd);
  return f;
}

}  // namespace

ShutterFinding measureLamp(const ClipInfo& clip, double flicker_hz, const Progress& progress) {
  if (!(flicker_hz >= 10 && flicker_hz <= 2000))
    throw Error(ErrorKind::BadRequest, "The lamp's frequency is not usable", clip.path.string(),
                std::to_string(flicker_hz) + " Hz",
                "Lamps flicker at twice the mains frequency: 100 or 120 Hz");
  Sums sums = readSums(clip, progress);
  if (sums.times.size() < kFewestFrames)
    throw Error(ErrorKind::Evidence, "The clip is too short to measure the readout", clip.path.string(),
                std::to_string(sums.times.size()) + " frames", "Film the lamp for at least a second");
  const double interval =
      (sums.times.back() - sums.times.front()) / static_cast<double>(sums.times.size() - 1);
  const double span = sums.times.back() - sums.times.front();
  const Together by_rows(sums.rows, sums.times), by_columns(sums.columns, sums.times);
  const double longest = kLongestShare * interval;
  Reading rows = readTogether(by_rows, flicker_hz, longest, span),
          columns = readTogether(by_columns, flicker_hz, longest, span);
  progress.update(0.9);
  // Along the rows bands are averaged away; what is left there says little, if well explained.
  const bool vertical = rows.fit.power >= columns.fit.power;
  const Together& light = vertical ? by_rows : by_columns;
  const Reading& found = vertical ? rows : columns;
  if (found.fit.explained < kLeastExplained || found.fit.depth < kLeastDepth || found.fit.told < kLeastTold)
    return measureStanding(clip, sums, flicker_hz, interval, found.fit.explained);
  ShutterFinding f;
  f.frames = static_cast<int>(sums.times.size());
  f.kind = ShutterPlot::Bands;
  f.plot = found.plot;
  f.residual = 1 - found.fit.explained;
  f.shutter.readout_s = std::abs(found.readout_s);
  f.uncertainty_s = std::hypot(spreadOf(light, found, longest / 50), kClock * f.shutter.readout_s);
  f.share_of_frame = f.shutter.readout_s / interval;
  progress.update(1);
  if (f.shutter.readout_s < 3 * f.uncertainty_s || f.shutter.readout_s < kGlobal_s) {
    ShutterFinding global = globalFinding(flicker_hz, sums.times.size());
    global.uncertainty_s = std::max(f.uncertainty_s, kGlobal_s);
    return global;
  }
  // Two ways that explain as much cannot be told apart: the bands come back, or swap, from frame to frame.
  if (found.other_way > 0.97 * found.fit.explained)
    f.warnings.emplace_back(
        "The direction cannot be told: the bands come back to the same places from frame to frame.");
  else if (vertical)
    f.shutter.direction = found.readout_s > 0 ? ScanDirection::Down : ScanDirection::Up;
  else
    f.shutter.direction = found.readout_s > 0 ? ScanDirection::Right : ScanDirection::Left;
  for (const std::string& odd : plausibilityOf(f.shutter, interval)) f.warnings.push_back(odd);
  return f;
}

}  // namespace glenhaze
