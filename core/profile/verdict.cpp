#include "core/profile/verdict.h"

#include <algorithm>
#include <cmath>

#include "core/base/numbers.h"
#include "core/lens/coverage.h"

namespace glenhaze {

namespace {

// At a picture 1920 wide: what nobody sees, and what is seen along a straight edge.
constexpr double kUnseen = 1.0 / 1920, kSeen = 4.0 / 1920;
// Of a readout: less lean than a pixel over the picture in a usual pan, and what tells in a fast one.
constexpr double kSureReadout = 0.02, kFairReadout = 0.06;
// Of a noise curve's sigma: what strengths of noise removal do not show, and what they do.
constexpr double kSureNoise = 0.05, kFairNoise = 0.12;

std::string px(double value) { return fixedText(value, value < 10 ? 1 : 0) + " px"; }

// `more`: what evidence is called, beginning a sentence.
std::string cornerVerdict(const Bend& bend, double width, const std::string& uncovered,
                          const std::string& more) {
  const std::string where = bend.at_corner ? "at the corner" : "at 50° from the axis";
  const std::string add = uncovered.empty() ? ""
                                            : " " + more + " in " +
                                                  (uncovered == "any corner" ? "the corners" : uncovered) +
                                                  " would settle it.";
  if (bend.uncertainty_px < 0)
    return "How sure it is cannot be told from so little." +
           (add.empty() ? " More, farther apart, would tell." : add);
  const std::string sure = px(bend.uncertainty_px) + " " + where;
  if (bend.uncertainty_px <= kUnseen * width) return "Good: sure to " + sure + "." + add;
  return (bend.uncertainty_px <= kSeen * width ? "Fair: may be off by " : "Weak: may be off by ") + sure +
         "." + (add.empty() ? " " + more + " near each corner would make it surer." : add);
}

}  // namespace

std::string verdictOf(const ChartFinding& finding) {
  return cornerVerdict(finding.bend, finding.lens.width, uncoveredCorners(finding.covered),
                       "A view of the chart");
}

std::string verdictOf(const EdgeFinding& finding) {
  return cornerVerdict(finding.bend, finding.lens.width, uncoveredCorners(finding.covered), "An edge");
}

std::string verdictOf(const FootageLens& finding) {
  constexpr double kSureFocal = 0.01, kFairFocal = 0.03, kWholePicture = 0.9;
  const std::string sure = fixedText(100 * finding.focal_uncertainty, 1) + " %";
  std::string text =
      finding.focal_uncertainty <= kSureFocal   ? "Good: the focal length is sure to " + sure + "."
      : finding.focal_uncertainty <= kFairFocal ? "Fair: the focal length may be off by " + sure + "."
                                                : "Weak: the focal length may be off by " + sure + ".";
  if (finding.focal_uncertainty > kSureFocal)
    text += " A clip that turns further than " + fixedText(finding.turned_deg, 0) + "° would make it surer.";
  if (!finding.bend_told)
    text += " The bend does not show: edges or a chart would tell it.";
  else if (finding.seen_to < kWholePicture)
    text += " Things were seen " + fixedText(100 * finding.seen_to, 0) +
            " % of the way to the corner only; detail farther out would tell the rest.";
  return text;
}

std::string verdictOf(const ShutterFinding& finding) {
  const double readout = finding.shutter.readout_s;
  if (finding.global) return "Good: all rows are read at once, or so nearly that it does not show.";
  if (!(readout > 0) || !(finding.uncertainty_s > 0)) return "How sure it is cannot be told from so little.";
  const double share = finding.uncertainty_s / readout;
  const std::string sure = fixedText(100 * share, 1) + " %";
  const char* more =
      finding.kind == ShutterPlot::Lean           ? " A faster pan past more uprights would make it surer."
      : finding.kind == ShutterPlot::Disagreement ? " A clip that shakes or turns more would make it surer."
                                                  : " A longer shot of the lamp would make it surer.";
  if (share <= kSureReadout) return "Good: sure to " + sure + ".";
  return (share <= kFairReadout ? "Fair: may be off by " : "Weak: may be off by ") + sure + "." + more;
}

std::string verdictOf(const NoiseFinding& finding) {
  double low = 255, high = 0, off = 0, seen = 0;
  for (const NoisePoint& p : finding.points)
    if (p.weight[0] > 0) low = std::min(low, p.level), high = std::max(high, p.level);
  const NoiseCurve& curve = finding.curve;
  // Where something was seen, how sure; beyond, the curve's own doubt says that nothing was.
  for (size_t i = 0; i < curve.level.size() && i < curve.spread[0].size(); ++i)
    if (curve.level[i] >= low && curve.level[i] <= high && curve.sigma[0][i] > 0) {
      off += curve.spread[0][i] / curve.sigma[0][i];
      ++seen;
    }
  if (high <= low || seen == 0)
    return "Weak: seen at one brightness only. Darker and brighter places would tell the rest of the curve.";
  off /= seen;
  constexpr double kDark = 50, kBright = 160;
  std::string text = off <= kSureNoise   ? "Good: sure to " + fixedText(100 * off, 1) + " %"
                     : off <= kFairNoise ? "Fair: may be off by " + fixedText(100 * off, 0) + " %"
                                         : "Weak: may be off by " + fixedText(100 * off, 0) + " %";
  text += " between the levels " + fixedText(low, 0) + " and " + fixedText(high, 0) + ".";
  if (low > kDark && high < kBright) return text + " Darker and brighter places would tell the rest.";
  if (low > kDark) return text + " Darker places would tell the rest.";
  if (high < kBright) return text + " Brighter places would tell the rest.";
  return text;
}

}  // namespace glenhaze
