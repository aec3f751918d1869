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

// Brightness → swing around 1 with the scene taken out. Where bands stand still from frame to frame, the mean
// over time holds them too: then each frame's own slow course is taken out instead.
void takeSceneOut(Bands& bands, bool standing) {
  bands.bins = bands.series.front().size();
  const size_t n = bands.bins;
  if (!standing) {
    std::vector<double> mean(n, 0);
    for (const auto& s : bands.series)
      for (size_t i = 0; i < n; ++i) mean[i] += s[i] / static_cast<double>(bands.series.size());
    for (auto& s : bands.series)
      for (size_t i = 0; i < n; ++i) s[i] = mean[i] > 1 ? s[i] / mean[i] - 1 : 0;
    return;
  }
  for (auto& s : bands.series) {
    // A parabola by least squares on orthogonal polynomials over −1..1.
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

// Along which way the bands run from frame to frame: +1 with the rows, −1 against them, 0: cannot be told.
int runOf(const Bands& bands, double count, const std::vector<double>& times, double flicker_hz) {
  std::complex<double> forward = 0, backward = 0;
  double weight = 0, apart = 0;
  std::complex<double> before = fitSine(bands.series[0], count).amplitude;
  for (size_t n = 1; n < bands.series.size(); ++n) {
    const std::complex<double> now = fitSine(bands.series[n], count).amplitude;
    const double advance = kTurn * flicker_hz * (times[n] - times[n - 1]);
    const std::complex<double> turn = now * std::conj(before);
    forward += turn * std::polar(1.0, -advance);
    backward += turn * std::polar(1.0, advance);
    weight += std::abs(turn);
    apart += std::abs(turn) * std::abs(wrapped(2 * advance));
    before = now;
  }
  if (weight <= 0 || apart < 0.25 * weight) return 0;
  const double plus = forward.real() / weight, minus = backward.real() / weight;
  if (std::max(plus, minus) < 0.5 || std::abs(plus - minus) < 0.15) return 0;
  return plus > minus ? 1 : -1;
}

// How much the brightness of whole frames swings, as a share: amplitude of a sine of this deviation. A lamp's
// light is averaged over the bands of a frame, so that little of it is left where there are any.
double swingOfFrames(const Bands& bands) {
  double sum = 0, squares = 0;
  for (const auto& s : bands.series) {
    double mean = 0;
    for (const double v : s) mean += v / static_cast<double>(s.size());
    sum += mean;
    squares += mean * mean;
  }
  const auto n = static_cast<double>(bands.series.size());
  return std::sqrt(2 * std::max(0.0, squares / n - sum / n * sum / n));
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
  return sums;
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
  const bool standing = std::abs(wrapped(kTurn * flicker_hz * interval)) < 0.12;
  takeSceneOut(sums.rows, standing);
  takeSceneOut(sums.columns, standing);
  const double most = std::max(2.0, 1.1 * interval * flicker_hz);
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
  progress.update(1);
  // Half a band would leave 0.6 of its swing to whole frames (the sinc of its closed form).
  const double swing = standing ? 0 : swingOfFrames(bands);
  if (swing > 0.01 && depth < 0.7 * swing) return globalFinding(flicker_hz, sums.times.size());
  if (found.explained < 0.3 || depth < 0.002)
    throw Error(ErrorKind::Evidence, "No bands of a flickering lamp can be seen", clip.path.string(),
                std::to_string(std::lround(found.explained * 100)) + " % of the changes fit one",
                "Film an even wall lit by one lamp on mains, with a short exposure");
  ShutterFinding f;
  f.shutter.readout_s = found.count / flicker_hz;
  f.uncertainty_s = std::hypot(found.spread / flicker_hz, 5e-4 * f.shutter.readout_s);
  f.share_of_frame = f.shutter.readout_s / interval;
  f.frames = static_cast<int>(sums.times.size());
  f.kind = ShutterPlot::Bands;
  f.plot = found.plot;
  f.residual = 1 - found.explained;
  const int run = runOf(bands, found.count, sums.times, flicker_hz);
  if (run == 0) {
    f.shutter.direction = ScanDirection::Unknown;
    f.warnings.emplace_back(
        "The direction cannot be told: the bands come back to the same places from frame to frame.");
  } else if (vertical) {
    f.shutter.direction = run > 0 ? ScanDirection::Down : ScanDirection::Up;
  } else {
    f.shutter.direction = run > 0 ? ScanDirection::Right : ScanDirection::Left;
  }
  for (const std::string& odd : plausibilityOf(f.shutter, interval)) f.warnings.push_back(odd);
  return f;
}

}  // namespace glenhaze
