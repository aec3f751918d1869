#include "core/lens/edges.h"

#include <algorithm>
#include <cmath>

#include "core/base/error.h"
#include "core/base/numbers.h"
#include "core/base/statistics.h"
#include "core/lens/coverage.h"
#include "core/lens/detail/edge_solve.h"

namespace glenhaze {

using namespace detail;

namespace {

constexpr size_t kPointsPerEdge = 40;
constexpr double kOutlierLeast_px = 0.35;  // an edge this straight is never left out
constexpr double kOutlierTimes = 3.0;
constexpr double kLeastBow_px = 0.6;  // below this nothing can be told about a lens

// Marks edges as not used whose distance from straight stands out; true when the set changed.
bool rejectBent(EdgeWork& work, const std::vector<bool>& allowed, const LensMap& map) {
  std::vector<double> rms(work.points.size(), 1e9);
  cappedBend(work, map, 1e9, &rms);
  std::vector<double> used;
  for (size_t e = 0; e < rms.size(); ++e)
    if (work.used[e]) used.push_back(rms[e]);
  const double limit = std::max(kOutlierLeast_px, kOutlierTimes * medianOf(used));
  bool changed = false;
  for (size_t e = 0; e < rms.size(); ++e) {
    const bool use = allowed[e] && rms[e] <= limit;
    changed = changed || use != work.used[e];
    work.used[e] = use;
  }
  return changed;
}

std::vector<EdgeCandidate> candidatesFor(const EdgeOptions& options, size_t edges, double coverage) {
  const bool enough = edges >= 6 && coverage > 0.25;
  const std::vector<EdgeCandidate> shapes = {{LensModel::Division, 1, false, false, "division"},
                                             {LensModel::BrownConrady, 2, false, false, "Brown–Conrady"},
                                             {LensModel::BrownConrady, 3, false, false, "Brown–Conrady"},
                                             {LensModel::KannalaBrandt, 2, false, true, "Kannala–Brandt"}};
  std::vector<EdgeCandidate> wanted;
  for (const bool centre : {false, true})
    for (EdgeCandidate c : shapes) {
      c.centre = centre;
      if ((!centre || enough) && (!options.model || *options.model == c.model)) wanted.push_back(c);
    }
  return wanted;
}

struct Chosen {
  EdgeFit fit;
  EdgeCandidate candidate{};
  double focal = 0;
  double score = 1e300;
};

Chosen tryCandidate(const EdgeWork& work, const EdgeCandidate& c, const Lens& start,
                    const EdgeOptions& options, int width, int height) {
  Chosen best;
  best.candidate = c;
  std::vector<double> focals = {start.fx};
  if (c.focal && !options.focal_px) {
    focals.clear();
    for (const double share : {0.36, 0.44, 0.54, 0.68, 0.9, 1.3}) focals.push_back(share * width);
  }
  for (const double focal : focals) {
    const Intrinsics from = c.model == LensModel::Division
                                ? intrinsicsOf(start)
                                : convertModel(start, c.model, focal, width, height);
    if (!plausibleLens(from, c.model, width, height)) continue;
    EdgeFit fit = refineEdges(work, c, from, width, height, Deviation::Leave);
    if (!fit.ok) continue;
    const bool folds = !LensMap(lensOf(fit.lens, c.model, width, height)).coversPicture();
    const int parameters = c.coefficients + (c.centre ? 2 : 0) + (focals.size() > 1 ? 1 : 0);
    const double score = informationCriterion(fit.rss, fit.points, parameters) + (folds ? 1e6 : 0);
    if (score < best.score) {
      best.score = score;
      best.fit = fit;
      best.focal = focal;
    }
  }
  return best;
}

void describeEdges(std::span<const StraightEdge> edges, const EdgeWork& work, const LensMap& map,
                   EdgeFinding& finding) {
  const LensMap straight(straightLens(finding.lens.width, finding.lens.height, finding.lens.fx));
  double before = 0, after = 0, count = 0;
  for (size_t e = 0; e < edges.size(); ++e) {
    EdgeResult result = measureStraightness(edges[e].points, map);
    const EdgeResult raw = measureStraightness(edges[e].points, straight);
    result.rms_before_px = raw.rms_px;
    result.left_out = !work.used[e];
    if (!edges[e].in_use)
      result.why = "left out by hand";
    else if (result.left_out)
      result.why =
          "not straight in the world, or not one edge: " + fixedText(result.rms_px, 2) + " px are left";
    if (!result.left_out) {
      const auto n = static_cast<double>(edges[e].points.size());
      before += raw.rms_px * raw.rms_px * n;
      after += result.rms_px * result.rms_px * n;
      count += n;
      finding.before.worst = std::max(finding.before.worst, raw.worst_px);
      finding.after.worst = std::max(finding.after.worst, result.worst_px);
      ++finding.edges_used;
    }
    finding.edges.push_back(result);
  }
  finding.before.rms = std::sqrt(before / std::max(1.0, count));
  finding.after.rms = std::sqrt(after / std::max(1.0, count));
}

}  // namespace

EdgeResult measureStraightness(std::span<const Point> points, const LensMap& map) {
  EdgeResult result;
  if (points.size() < 2) return result;
  result.length_px = lengthOf(points);
  result.bow_px = smoothBowOf(points);
  const Straightened s = straighten(points, map);
  if (s.points.size() < 2) {
    result.rms_px = result.worst_px = result.bow_px;
    return result;
  }
  const LineFit fit = fitLine(s.points, s.weight);
  result.rms_px = fit.rms;
  result.worst_px = fit.worst;
  return result;
}

EdgeFinding solveEdges(std::span<const StraightEdge> edges, int width, int height, const EdgeOptions& options,
                       const Progress& progress) {
  EdgeWork work;
  std::vector<bool> allowed;
  double longest_bow = 0;
  for (const StraightEdge& edge : edges) {
    if (edge.points.size() < 2)
      throw Error(ErrorKind::BadRequest, "An edge needs at least two points", edge.name, "",
                  "Mark it along its length");
    work.points.push_back(evenly(edge.points, kPointsPerEdge));
    const bool usable = edge.in_use && edge.points.size() >= 3;
    allowed.push_back(usable);
    if (usable) longest_bow = std::max(longest_bow, bowOf(edge.points));
  }
  work.used = allowed;
  if (std::count(allowed.begin(), allowed.end(), true) < 1)
    throw Error(ErrorKind::Evidence, "There are no usable edges", "",
                "an edge needs at least three points along it",
                "Mark edges that are straight in the world, along their whole length");
  const double focal = options.focal_px.value_or(0.75 * std::max(width, height));
  const double cap = 1.5 * width / 1920.0 + 0.5;
  // The search must not see edges that the user left out.
  EdgeWork searched;
  for (size_t e = 0; e < work.points.size(); ++e)
    if (allowed[e]) searched.points.push_back(work.points[e]);
  const Lens start = searchBend(searched, width, height, focal, cap);
  rejectBent(work, allowed, LensMap(start));
  std::vector<std::vector<Point>> sets;
  for (size_t e = 0; e < edges.size(); ++e)
    if (work.used[e]) sets.push_back(edges[e].points);
  const std::vector<bool> covered = coveredByPoints(sets, width, height);
  Chosen best;
  const auto candidates = candidatesFor(options, sets.size(), coveredShare(covered));
  for (size_t i = 0; i < candidates.size(); ++i) {
    progress.check();
    const Chosen tried = tryCandidate(work, candidates[i], start, options, width, height);
    // A richer model must earn its place clearly: evidence is never quite independent.
    if (tried.fit.ok && tried.score < best.score - 10) best = tried;
    progress.update(0.7 * static_cast<double>(i + 1) / static_cast<double>(candidates.size()));
  }
  if (!best.fit.ok)
    throw Error(
        ErrorKind::Evidence, "These edges do not tell how the lens bends", "",
        "no model makes them straight together",
        "Leave out edges that are curved in the world, or mark longer ones nearer the picture's border");
  for (int round = 0; round < 4; ++round) {
    const bool changed =
        rejectBent(work, allowed, LensMap(lensOf(best.fit.lens, best.candidate.model, width, height)));
    const EdgeFit again = refineEdges(work, best.candidate, best.fit.lens, width, height, Deviation::Tell);
    if (again.ok) best.fit = again;
    if (!changed) break;
  }
  EdgeFinding finding;
  finding.lens = lensOf(best.fit.lens, best.candidate.model, width, height);
  finding.stddev = best.fit.stddev;
  const LensMap map(finding.lens);
  describeEdges(edges, work, map, finding);
  sets.clear();
  for (size_t e = 0; e < edges.size(); ++e)
    if (work.used[e]) sets.push_back(edges[e].points);
  finding.covered = coveredByPoints(sets, width, height);
  finding.coverage = coveredShare(finding.covered);
  finding.model_reason = options.model ? "Chosen by hand."
                                       : std::string(best.candidate.name) +
                                             " explains these edges best for its number of values.";
  const std::string bare = uncoveredCorners(finding.covered);
  if (!bare.empty())
    finding.warnings.push_back("No edge reaches " + bare + ". Bend there is extended, not measured.");
  if (longest_bow < kLeastBow_px)
    finding.warnings.emplace_back(
        "The edges are hardly bowed: this lens bends too little to tell from them.");
  if (finding.edges_used < 4)
    finding.warnings.push_back("Only " + std::to_string(finding.edges_used) +
                               " edges are used: mark some more, also near the border.");
  if (!best.candidate.centre)
    finding.warnings.emplace_back(
        "The centre is taken as the middle of the picture: there are too few edges to measure it.");
  if (!map.coversPicture())
    finding.warnings.emplace_back("The model folds over inside the picture; mark edges nearer the corners.");
  progress.update(1);
  return finding;
}

}  // namespace glenhaze
