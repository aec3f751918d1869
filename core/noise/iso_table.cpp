#include "core/noise/iso_table.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <set>

#include "core/base/error.h"
#include "core/noise/coloured.h"

namespace glenhaze {

namespace {

constexpr double kSameStops = 0.05;

double stops(double from, double to) { return std::log2(to / from); }

// The curves of one light, by ISO. Where any will do: those without a light, else those of the first by name;
// never a mixture.
std::vector<const NoiseCurve*> variantOf(std::span<const NoiseCurve> curves, const std::string& light) {
  const auto usable = [](const NoiseCurve& c) { return c.usable() && c.iso > 0; };
  std::string wanted = light;
  if (light.empty()) {
    const NoiseCurve* first = nullptr;
    for (const NoiseCurve& c : curves)
      if (usable(c) && (first == nullptr || c.light < first->light)) first = &c;
    if (first != nullptr) wanted = first->light;
  }
  std::vector<const NoiseCurve*> found;
  for (const NoiseCurve& c : curves)
    if (usable(c) && c.light == wanted) found.push_back(&c);
  std::sort(found.begin(), found.end(),
            [](const NoiseCurve* a, const NoiseCurve* b) { return a->iso < b->iso; });
  return found;
}

NoiseCurve between(const NoiseCurve& a, const NoiseCurve& b, double iso) {
  const double share = stops(a.iso, iso) / stops(a.iso, b.iso);
  NoiseCurve out = a;
  out.iso = iso;
  for (size_t c = 0; c < kNoiseChannels; ++c) {
    if (a.sigma[c].empty() || b.sigma[c].empty()) continue;
    for (size_t i = 0; i < out.level.size(); ++i) {
      const double there = b.sigmaAt(static_cast<int>(c), out.level[i]);
      out.sigma[c][i] = std::exp((1 - share) * std::log(a.sigma[c][i]) + share * std::log(there));
    }
    const bool both = a.tellsColours(static_cast<int>(c)) && b.tellsColours(static_cast<int>(c));
    for (size_t p = 0; p < 3; ++p)
      out.primaries[c][p] =
          both ? (1 - share) * a.primaries[c][p] + share * b.primaries[c][p]
               : a.primaries[c][p] + b.primaries[c][p];  // of the one that tells them, if any
    for (size_t o = 0; o < kNoiseOctaves; ++o)
      out.octaves[c][o] = (1 - share) * a.octaves[c][o] + share * b.octaves[c][o];
    // The law between the two is an assumption: what it can be off grows with the gap.
    for (double& s : out.spread[c]) s *= 1 + stops(a.iso, b.iso);
  }
  return out;
}

// The finest octave where it is known: what little structure a place has lies in the coarser ones.
double differenceInStops(const NoisePoint& p, const NoiseCurve& curve) {
  const bool fine = p.fine > 0;
  const double expected =
      std::pow(curve.sigmaAt(0, p.level), 2) * colourRatioAt(p, 0, curve) * (fine ? curve.octaves[0][0] : 1);
  return std::log2(std::max(1e-6, fine ? p.fine : p.variance[0]) / expected);
}

// What each point counts, sum 1: a level of brightness less the more of the picture it takes; and grey places
// more than coloured ones, whose weakest primary is noisier than the curve of their luma says.
std::vector<double> votesOf(std::span<const NoisePoint> points) {
  constexpr double kGrey = 8, kLevels = 12;
  const auto bin = [](const NoisePoint& p) {
    return static_cast<size_t>(std::clamp(p.level / 256 * kLevels, 0.0, kLevels - 1));
  };
  std::array<double, static_cast<size_t>(kLevels)> in_level{};
  for (const NoisePoint& p : points) ++in_level[bin(p)];
  std::vector<double> weights;
  double all = 0;
  for (const NoisePoint& p : points) {
    weights.push_back(1 / std::sqrt(in_level[bin(p)]) / (1 + std::pow(p.colour / kGrey, 4)));
    all += weights.back();
  }
  for (double& w : weights) w /= all;
  return weights;
}

}  // namespace

std::string isoText(double iso) { return "ISO " + std::to_string(std::lround(iso)); }

IsoCurve curveForIso(std::span<const NoiseCurve> curves, double iso, const std::string& light) {
  IsoCurve result;
  const auto found = variantOf(curves, light);
  if (found.empty() || iso <= 0) {
    result.reason = found.empty() ? "No noise curve is measured." : "The ISO is not known.";
    return result;
  }
  for (const NoiseCurve* c : found)
    if (std::abs(stops(c->iso, iso)) <= kSameStops)
      return {IsoKind::Measured, *c, "Measured at " + isoText(c->iso) + ".", c->iso, c->iso, 0};
  const auto above =
      std::find_if(found.begin(), found.end(), [&](const NoiseCurve* c) { return c->iso > iso; });
  if (above == found.begin() || above == found.end()) {
    const NoiseCurve& nearest = above == found.begin() ? *found.front() : *found.back();
    const double gap = std::abs(stops(nearest.iso, iso));
    result.kind = IsoKind::Extended;
    result.curve = scaledCurve(nearest, std::sqrt(iso / nearest.iso));
    result.curve.iso = iso;
    result.low = result.high = nearest.iso;
    result.gap_stops = gap;
    result.reason = "Extended from " + isoText(nearest.iso) + " by the law of photon noise.";
    return result;
  }
  const NoiseCurve &a = **(above - 1), &b = **above;
  result.kind = IsoKind::Between;
  result.curve = between(a, b, iso);
  result.low = a.iso;
  result.high = b.iso;
  result.gap_stops = stops(a.iso, b.iso);
  result.reason = "Between " + isoText(a.iso) + " and " + isoText(b.iso) + ".";
  return result;
}

IsoEstimate isoOfPoints(std::span<const NoisePoint> points, std::span<const NoiseCurve> curves) {
  if (points.empty())
    throw Error(ErrorKind::Evidence, "The ISO cannot be told from this clip", "",
                "it has no flat place to measure its noise on", "Say the ISO by hand");
  std::set<std::string> lights;
  double low = 1e9, high = 0;
  for (const NoiseCurve& c : curves)
    if (c.usable() && c.iso > 0) {
      lights.insert(c.light);
      low = std::min(low, c.iso);
      high = std::max(high, c.iso);
    }
  if (lights.empty())
    throw Error(ErrorKind::Evidence, "The ISO cannot be told from this clip", "",
                "the profile has no noise curve", "Measure the noise at two ISOs or more");
  constexpr double kStepStops = 1.0 / 24, kBeyond = 2, kAgree = 0.35;
  const std::vector<double> weights = votesOf(points);
  IsoEstimate best;
  double most = 0, scatter = 0;
  for (const std::string& light : lights)
    for (double s = std::log2(low) - kBeyond; s <= std::log2(high) + kBeyond; s += kStepStops) {
      const double iso = std::exp2(s);
      const IsoCurve at = curveForIso(curves, iso, light);
      if (at.kind == IsoKind::Missing) continue;
      // Where most agree: what has structure of its own, as water, lies far above and all over the place.
      double agreed = 0, spread = 0;
      for (size_t i = 0; i < points.size(); ++i) {
        const double off = differenceInStops(points[i], at.curve);
        const double vote = weights[i] * std::exp(-0.5 * std::pow(off / kAgree, 2));
        agreed += vote;
        spread += vote * off * off;
      }
      if (agreed <= most) continue;
      most = agreed;
      best.iso = iso;
      best.light = light;
      scatter = std::sqrt(spread / agreed);
    }
  // Scatter of n points, and what the camera's variance really does between ISOs.
  const double reach = std::hypot(2 * scatter / std::sqrt(static_cast<double>(points.size())), 0.095);
  best.low = best.iso * std::exp2(-reach);
  best.high = best.iso * std::exp2(reach);
  best.patches = static_cast<int>(points.size());
  return best;
}

std::optional<double> noiseAgainst(std::span<const NoisePoint> points, const NoiseCurve& curve) {
  constexpr size_t kFewest = 4;
  constexpr double kFarthest = 8, kStep = 1.0 / 24, kAgree = 0.35, kMost = 0.5;  // stops of variance; a share
  if (points.size() < kFewest || !curve.usable()) return std::nullopt;
  const std::vector<double> weights = votesOf(points);
  double most = 0, best = 0;
  for (double s = -kFarthest; s <= kFarthest; s += kStep) {
    double agreed = 0;
    for (size_t i = 0; i < points.size(); ++i)
      agreed += weights[i] * std::exp(-0.5 * std::pow((differenceInStops(points[i], curve) - s) / kAgree, 2));
    if (agreed <= most) continue;
    most = agreed;
    best = s;
  }
  if (most < kMost) return std::nullopt;
  return std::exp2(best / 2);
}

std::vector<std::string> lightsOf(std::span<const NoiseCurve> curves) {
  std::set<std::string> lights;
  for (const NoiseCurve& c : curves)
    if (c.usable() && c.iso > 0) lights.insert(c.light);
  return {lights.begin(), lights.end()};
}

LightPick lightOfPoints(std::span<const NoisePoint> points, std::span<const NoiseCurve> curves, double iso) {
  LightPick pick;
  const std::vector<double> weights = votesOf(points);
  double best = std::numeric_limits<double>::max(), second = best;
  for (const std::string& light : lightsOf(curves)) {
    const IsoCurve at = curveForIso(curves, iso, light);
    if (at.kind == IsoKind::Missing) continue;
    // Light shifts the colours' gains, so chroma tells more than luma does. What is far off is structure.
    double off = 0;
    for (size_t i = 0; i < points.size(); ++i)
      for (size_t c = 0; c < kNoiseChannels; ++c) {
        if (at.curve.sigma[c].empty() || points[i].variance[c] <= 0) continue;
        const double expected = std::pow(at.curve.sigmaAt(static_cast<int>(c), points[i].level), 2) *
                                colourRatioAt(points[i], static_cast<int>(c), at.curve);
        off += weights[i] * std::min(1.0, std::abs(std::log2(points[i].variance[c] / expected)));
      }
    if (off < best) {
      second = best;
      best = off;
      pick.light = light;
    } else {
      second = std::min(second, off);
    }
  }
  const std::string name = pick.light.empty() ? "the curve without a light" : "the variant " + pick.light;
  pick.reason = points.empty() ? "The clip has no flat place to tell its light by."
                : second > 1.25 * best
                    ? "The clip's own noise fits " + name + "."
                    : "The clip's own noise fits " + name + " best, but others nearly as well.";
  return pick;
}

LightPick pickLight(const ClipInfo& clip, std::span<const NoiseCurve> curves, double iso,
                    const Progress& progress) {
  const std::vector<NoiseShot> shots{{clip, {}}};
  return lightOfPoints(measurePatches(shots, 0, progress).points, curves, iso);
}

IsoEstimate estimateIso(const ClipInfo& clip, std::span<const NoiseCurve> curves, const Progress& progress) {
  const std::vector<NoiseShot> shots{{clip, {}}};
  return isoOfPoints(measurePatches(shots, 0, progress).points, curves);
}

}  // namespace glenhaze
