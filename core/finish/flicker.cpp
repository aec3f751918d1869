#include "core/finish/flicker.h"

#include <algorithm>
#include <array>
#include <bit>
#include <charconv>
#include <cmath>
#include <cstdint>

#include "core/base/numbers.h"
#include "core/base/parallel.h"
#include "core/finish/detail/slow_part.h"

namespace glenhaze {

namespace {

constexpr int kBands = 16, kColumns = 48;
constexpr double kCut = 0.35;  // most cells change by a third: another scene

using Cells = std::array<float, static_cast<size_t>(kBands* kColumns)>;

// Logarithm of each cell's mean above black; NaN where it is clipped or too dark to divide by.
Cells cellsOf(const Frame& frame) {
  Cells cells{};
  const int bytes = frame.format.bytesPerSample();
  const double gain = 1.0 / (1 << (frame.format.bit_depth - 8));
  const double black = blackValue(frame.format, frame.colour, 0) * gain;
  parallelBlocks(kBands, 1, [&](int first, int last) {
    for (int band = first; band < last; ++band)
      for (int column = 0; column < kColumns; ++column) {
        const int x0 = column * frame.width / kColumns, x1 = (column + 1) * frame.width / kColumns;
        const int y0 = band * frame.height / kBands, y1 = (band + 1) * frame.height / kBands;
        double sum = 0, count = 0;
        for (int y = y0; y < y1; y += 2)
          for (int x = x0; x < x1; x += 2, ++count) sum += frame.planes[0].at(x, y, bytes);
        const double mean = count > 0 ? sum * gain / count : 0;
        cells[static_cast<size_t>(band * kColumns + column)] =
            mean > black + 8 && mean < 228 ? static_cast<float>(std::log(mean - black)) : std::nanf("");
      }
  });
  return cells;
}

struct Middle {
  double value = 0, error = 1;
};

// Median and how sure it is: a scene that moves scatters the cells, and what chance that leaves in their
// median must not be taken for flicker.
Middle middleOf(std::vector<float>& values) {
  if (values.size() < 6) return {};
  const auto half = values.begin() + static_cast<ptrdiff_t>(values.size() / 2);
  std::nth_element(values.begin(), half, values.end());
  const float median = *half;
  for (float& v : values) v = std::abs(v - median);
  std::nth_element(values.begin(), half, values.end());
  // 1.4826 makes a deviation of it, 1.2533 is the median's own loss (both of the normal distribution).
  return {median,
          1.4826 * 1.2533 * static_cast<double>(*half) / std::sqrt(static_cast<double>(values.size()))};
}

void addStep(const Cells& before, const Cells& now, LevelSteps& steps) {
  std::vector<float> all;
  std::array<Middle, kBands> bands;
  for (int band = 0; band < kBands; ++band) {
    std::vector<float> changes;
    for (int column = 0; column < kColumns; ++column) {
      const auto i = static_cast<size_t>(band * kColumns + column);
      const float d = now[i] - before[i];
      if (!std::isnan(d)) changes.push_back(d);
    }
    all.insert(all.end(), changes.begin(), changes.end());
    bands[static_cast<size_t>(band)] = middleOf(changes);
  }
  const Middle whole = middleOf(all);
  const bool cut = all.size() < 24 || whole.error * std::sqrt(static_cast<double>(all.size())) > kCut;
  for (const Middle& m : bands) {
    // A band with nothing to tell follows the whole.
    const Middle& use = m.error < 1 ? m : whole;
    steps.step.push_back(cut ? 0.0F : static_cast<float>(use.value));
    steps.error.push_back(cut ? 0.0F : static_cast<float>(use.error));
  }
  steps.cut.push_back(cut);
}

// Frames at which the light changes for good, as when a lamp is switched on: what is slow must not be sought
// across them.
std::vector<bool> borders(const LevelSteps& steps) {
  constexpr double kLeast = 0.06;  // a sixteenth of the light
  constexpr int kLasts = 6;        // frames that it must last
  const auto bands = static_cast<size_t>(steps.bands);
  const auto frames = static_cast<int>(steps.cut.size());
  std::vector<double> path;
  for (size_t f = 0; f < steps.cut.size(); ++f) {
    double sum = 0;
    for (size_t b = 0; b < bands; ++b) sum += static_cast<double>(steps.step[f * bands + b]);
    path.push_back((path.empty() ? 0 : path.back()) + sum / static_cast<double>(bands));
  }
  const auto meanOf = [&](int first, int last) {
    first = std::max(first, 0);
    last = std::min(last, frames);
    double sum = 0;
    for (int i = first; i < last; ++i) sum += path[static_cast<size_t>(i)];
    return last > first ? sum / (last - first) : 0;
  };
  std::vector<bool> found = steps.cut;
  for (int f = 2; f + 2 < frames; ++f) {
    const double step = path[static_cast<size_t>(f)] - path[static_cast<size_t>(f - 1)];
    const double lasting = meanOf(f, f + kLasts) - meanOf(f - kLasts, f);
    if (std::abs(step) > kLeast && lasting * step > 0 && std::abs(lasting) > 0.6 * std::abs(step))
      found[static_cast<size_t>(f)] = true;
  }
  return found;
}

// One run of frames without a cut.
struct Stretch {
  std::vector<std::vector<double>> quick;  // by band
  double error = 0;                        // RMS of what chance leaves in a band's
};

Stretch stretchOf(const LevelSteps& steps, size_t first, size_t last, int reach) {
  const auto bands = static_cast<size_t>(steps.bands);
  Stretch s;
  double errors = 0;
  for (size_t b = 0; b < bands; ++b) {
    std::vector<double> path{0};
    for (size_t f = first + 1; f < last; ++f) {
      path.push_back(path.back() + static_cast<double>(steps.step[f * bands + b]));
      errors += std::pow(static_cast<double>(steps.error[f * bands + b]), 2);
    }
    s.quick.push_back(detail::quickPart(path, reach));
  }
  // Errors add up from step to step, but only over the few frames until the slow part follows them.
  s.error = std::sqrt(errors / std::max<double>(1, static_cast<double>((last - first - 1) * bands)));
  return s;
}

// Of the last frame, over its bands.
double wholeStep(const LevelSteps& steps) {
  double sum = 0;
  for (size_t i = steps.step.size() - static_cast<size_t>(steps.bands); i < steps.step.size(); ++i)
    sum += static_cast<double>(steps.step[i]);
  return sum / steps.bands;
}

}  // namespace

double FlickerPath::at(int64_t frame, double row) const {
  const int64_t i = frame - first;
  if (i < 0 || (i + 1) * bands > static_cast<int64_t>(gain.size())) return 1;
  const float* g = gain.data() + i * bands;
  const double place = std::clamp(row * bands - 0.5, 0.0, static_cast<double>(bands - 1));
  const int low = std::min(static_cast<int>(place), bands - 1), high = std::min(low + 1, bands - 1);
  const double share = place - low;
  return (1 - share) * static_cast<double>(g[low]) + share * static_cast<double>(g[high]);
}

std::string FlickerPath::describe() const {
  std::string text;
  if (depth > 0)
    text = fixedText(depth * 100, 1) + " %" + (rate_hz > 0 ? " at " + fixedText(rate_hz, 1) + " Hz" : "");
  for (const LampPath& lamp : lamps)
    text += (text.empty() ? "" : ", and of ") + ("one lamp (" + lamp.describe() + ")");
  return text;
}

FlickerPath flickerPath(const LevelSteps& steps, double fps, int64_t first) {
  FlickerPath path;
  path.first = first;
  const auto bands = static_cast<size_t>(steps.bands), frames = steps.cut.size();
  const int reach = detail::flickerReach(fps);
  std::vector<double> whole;  // mean over the bands
  std::vector<std::vector<double>> band(bands);
  double error = 0;
  const std::vector<bool> border = borders(steps);
  for (size_t begin = 0; begin < frames;) {
    size_t end = begin + 1;
    while (end < frames && !border[end]) ++end;
    const Stretch s = stretchOf(steps, begin, end, reach);
    for (size_t i = 0; i < end - begin; ++i) {
      double sum = 0;
      for (size_t b = 0; b < bands; ++b) {
        band[b].push_back(s.quick[b][i]);
        sum += s.quick[b][i];
      }
      whole.push_back(sum / static_cast<double>(bands));
    }
    error = std::max(error, s.error);
    begin = end;
  }
  // Against the whole picture, what differs from band to band.
  double apart = 0;
  for (size_t b = 0; b < bands; ++b)
    for (size_t f = 0; f < frames; ++f) apart += std::pow(band[b][f] - whole[f], 2);
  apart = std::sqrt(apart / std::max<double>(1, static_cast<double>(frames * bands)));
  const double together = detail::rmsOf(whole), error_whole = error / std::sqrt(static_cast<double>(bands));
  constexpr double kSure = 2.5, kLeast = 0.002;
  const bool rows = apart > std::max(kSure * error, kLeast);
  if (!rows && together <= std::max(kSure * error_whole, kLeast)) {
    path.gain.assign(frames, 1);
    return path;
  }
  path.bands = rows ? steps.bands : 1;
  path.depth = rows ? std::hypot(apart, together) : together;
  path.rate_hz = detail::rhythmOf(rows ? band[bands / 2] : whole, fps);
  for (size_t f = 0; f < frames; ++f)
    for (int b = 0; b < path.bands; ++b)
      path.gain.push_back(static_cast<float>(std::exp(-(rows ? band[static_cast<size_t>(b)][f] : whole[f]))));
  return path;
}

FlickerPath measureFlicker(const ClipInfo& clip, Fields fields, const Progress& progress) {
  ClipReader reader(clip, {0, fields, Damage::Hold});
  LevelSteps steps;
  steps.bands = kBands;
  LampFinder lamps;
  std::optional<Cells> before;
  int64_t count = 0;
  while (const auto frame = reader.next()) {
    progress.check();
    const Cells now = cellsOf(*frame);
    addStep(before.value_or(now), now, steps);
    lamps.add(*frame, wholeStep(steps), steps.cut.back());
    before = now;
    progress.update(static_cast<double>(++count) / static_cast<double>(std::max<int64_t>(1, clip.frames)));
  }
  FlickerPath path = flickerPath(steps, clip.fps.value());
  path.lamps = lamps.lamps(clip.fps.value());
  return path;
}

// Gains as the hexadecimal digits of their bits: exact, and a third of the length of decimals.
std::string flickerToText(const FlickerPath& path) {
  constexpr const char* kDigits = "0123456789abcdef";
  std::string text = std::to_string(path.first) + " " + std::to_string(path.bands) + " " +
                     exactText(path.depth) + " " + exactText(path.rate_hz) + " ";
  text.reserve(text.size() + 8 * path.gain.size());
  for (const float gain : path.gain) {
    const auto bits = std::bit_cast<uint32_t>(gain);
    for (int shift = 28; shift >= 0; shift -= 4) text += kDigits[bits >> shift & 15U];
  }
  for (const LampPath& lamp : path.lamps) text += "|" + lampToText(lamp);
  return text;
}

std::optional<FlickerPath> flickerFromText(const std::string& all) {
  const size_t bar = all.find('|');
  const std::string text = all.substr(0, bar);
  constexpr size_t kValues = 4, kPerGain = 8;
  std::array<double, kValues> value{};
  size_t at = 0;
  for (double& v : value) {
    const size_t end = text.find(' ', at);
    if (end == std::string::npos) return std::nullopt;
    const auto number = parseNumber(std::string_view(text).substr(at, end - at));
    if (!number) return std::nullopt;
    v = *number;
    at = end + 1;
  }
  FlickerPath path;
  constexpr double kMostFrames = 1e9, kMostBands = 1000;
  if (std::abs(value[0]) > kMostFrames || value[1] < 1 || value[1] > kMostBands) return std::nullopt;
  path.first = static_cast<int64_t>(value[0]);
  path.bands = static_cast<int>(value[1]);
  path.depth = value[2];
  path.rate_hz = value[3];
  if ((text.size() - at) % (kPerGain * static_cast<size_t>(path.bands)) != 0) return std::nullopt;
  for (; at < text.size(); at += kPerGain) {
    uint32_t bits = 0;
    const auto [end, code] = std::from_chars(text.data() + at, text.data() + at + kPerGain, bits, 16);
    const auto gain = std::bit_cast<float>(bits);
    if (code != std::errc() || end != text.data() + at + kPerGain || !std::isfinite(gain))
      return std::nullopt;
    path.gain.push_back(gain);
  }
  for (size_t from = bar; from != std::string::npos;) {
    const size_t next = all.find('|', from + 1);
    auto lamp = lampFromText(all.substr(from + 1, next == std::string::npos ? next : next - from - 1));
    if (!lamp) return std::nullopt;
    path.lamps.push_back(std::move(*lamp));
    from = next;
  }
  return path;
}

namespace {

template <typename T>
void multiplied(Plane& plane, const FlickerPath& path, int64_t frame, double strength, int neutral, int top) {
  parallelBlocks(plane.height, 64, [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      const double gain = path.at(frame, (y + 0.5) / plane.height);
      const auto g = static_cast<float>(1 + strength * (gain - 1)), zero = static_cast<float>(neutral);
      T* row = plane.row<T>(y);
      for (int x = 0; x < plane.width; ++x) {
        const float v = zero + g * (static_cast<float>(row[x]) - zero) + 0.5F;
        row[x] = static_cast<T>(std::clamp(static_cast<int>(v), 0, top));
      }
    }
  });
}

}  // namespace

void evenOut(Frame& frame, const FlickerPath& path, double strength) {
  if (strength <= 0) return;
  for (const LampPath& lamp : path.lamps) evenLamp(frame, lamp, strength);
  if (path.depth <= 0) return;
  for (int p = 0; p < frame.format.numPlanes(); ++p) {
    const auto multiply = frame.format.bytesPerSample() == 1 ? multiplied<uint8_t> : multiplied<uint16_t>;
    multiply(frame.planes[static_cast<size_t>(p)], path, frame.index, strength,
             blackValue(frame.format, frame.colour, p), frame.format.maxValue());
  }
}

}  // namespace glenhaze
