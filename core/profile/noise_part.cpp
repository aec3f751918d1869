#include "core/profile/noise_part.h"

#include <algorithm>
#include <cmath>

#include "core/noise/coloured.h"

namespace glenhaze {

std::vector<NoiseCurve> NoisePart::curves() const {
  std::vector<NoiseCurve> all;
  for (const NoiseEntry& e : entries) all.push_back(e.curve);
  return all;
}

void NoisePart::put(NoiseEntry entry) {
  const auto key = [](const NoiseEntry& e) { return std::pair(e.curve.iso, e.curve.light); };
  std::erase_if(entries, [&](const NoiseEntry& e) { return key(e) == key(entry); });
  entries.insert(std::upper_bound(entries.begin(), entries.end(), entry,
                                  [&](const NoiseEntry& a, const NoiseEntry& b) { return key(a) < key(b); }),
                 std::move(entry));
}

NoiseEntry noiseEntryFrom(const NoiseFinding& finding, const std::vector<std::string>& sources,
                          bool locked_off) {
  NoiseEntry entry;
  entry.curve = finding.curve;
  entry.method = locked_off ? "locked-off" : "patches";
  entry.residual = finding.residual;
  entry.points = asGreys(finding.points, finding.curve);
  for (const std::string& source : sources) {
    if (!locked_off && !finding.patches.empty()) break;
    Evidence e;
    e.kind = "locked-off";
    e.source = source;
    entry.evidence.push_back(e);
  }
  for (const PatchVerdict& v : finding.patches) {
    Evidence e;
    e.kind = "patch";
    if (sources.size() == 1) e.source = sources.front();
    e.frame = v.frame;
    e.left_out = v.why;
    e.level = v.level;
    e.sigma = std::sqrt(v.variance[0]);
    e.marks = {{static_cast<double>(v.rect.x), static_cast<double>(v.rect.y)},
               {static_cast<double>(v.rect.x + v.rect.width), static_cast<double>(v.rect.y + v.rect.height)}};
    entry.evidence.push_back(e);
  }
  return entry;
}

std::optional<double> leaveOneOut(const NoisePart& part, size_t at) {
  std::vector<NoiseCurve> others = part.curves();
  const NoiseCurve own = others[at];
  others.erase(others.begin() + static_cast<ptrdiff_t>(at));
  const IsoCurve said = curveForIso(others, own.iso, own.light);
  if (said.kind == IsoKind::Missing) return std::nullopt;
  double sum = 0, count = 0;
  for (const double level : own.level) {
    if (level < 24 || level > 220) continue;
    sum += std::log(said.curve.sigmaAt(0, level) / own.sigmaAt(0, level));
    ++count;
  }
  return count > 0 ? std::optional(std::exp(sum / count)) : std::nullopt;
}

}  // namespace glenhaze
