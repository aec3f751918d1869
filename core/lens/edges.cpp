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
constexpr double kLeastBow_px = 0.6;         // below this nothing can be told about a lens
constexpr double kUsualFocal_widths = 0.75;  // of a small camera's wide view
constexpr int kPointsAsOne = 8;  // neighbouring points of an edge: texture and compression move them together
constexpr double kClearly = 4;   // by which a richer model must be better, in units of the criterion
constexpr double kAsGood = 6;    // models this near to the best have a say in what is not known
constexpr size_t kSectors = 12;  // that the evidence is divided into for leaving it out
constexpr double kSpeaksOf = 3;  // a bend under this many of its uncertainties is none to speak of
constexpr double kLeastTaken = 1;  // of the bow, against what is left of it, for a bend that is borne out
constexpr double kMostUnsure_widths = 0.01;  // what "no bend to speak of" may leave open at the corner
// Of edges found by themselves: so many must agree, along so much of the picture's width, and be so much of
// the length of all that were found.
constexpr int kLeastFound = 10;  // a bowl alone shows eight arcs that one lens would straighten
constexpr double kLeastFoundWidths = 1.2, kLeastFoundShare = 0.45;
// And none is further from straight, RMS: tracing is this exact even on compressed footage.
constexpr double kStraightFound_px = 0.4, kStraightFound_widths = 0.6 / 1920;

// Marks edges as not used whose distance from straight stands out, or is more than `most` px; true when the
// set changed.
bool rejectBent(EdgeWork& work, const std::vector<bool>& allowed, const LensMap& map, double most) {
  std::vector<double> rms(work.points.size(), 1e9);
  cappedBend(work, map, 1e9, &rms);
  std::vector<double> used;
  for (size_t e = 0; e < rms.size(); ++e)
    if (work.used[e]) used.push_back(rms[e]);
  const double typical = used.empty() ? 0 : medianOf(used);
  const double limit = std::min(most, std::max(kOutlierLeast_px, kOutlierTimes * typical));
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
                                             {LensModel::BrownConrady, 1, false, false, "Brown–Conrady"},
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
    // Points of one edge share their error: they count as fewer than there are.
    const double score =
        informationCriterion(fit.rss / kPointsAsOne, std::max(4, fit.points / kPointsAsOne), parameters) +
        (folds ? 1e6 : 0);
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
  finding.edges.clear();
  finding.before = finding.after = {};
  finding.edges_used = 0;
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

namespace {

// The edges as the solver takes them, with what was decided by hand.
struct Evidence {
  EdgeWork work;
  std::vector<bool> allowed;
};

Evidence evidenceOf(std::span<const StraightEdge> edges) {
  Evidence evidence;
  for (const StraightEdge& edge : edges) {
    if (edge.points.size() < 2)
      throw Error(ErrorKind::BadRequest, "An edge needs at least two points", edge.name, "",
                  "Mark it along its length");
    evidence.work.points.push_back(evenly(edge.points, kPointsPerEdge));
    evidence.allowed.push_back(edge.in_use && edge.points.size() >= 3);
  }
  evidence.work.used = evidence.allowed;
  if (std::count(evidence.allowed.begin(), evidence.allowed.end(), true) < 1)
    throw Error(ErrorKind::Evidence, "There are no usable edges", "",
                "an edge needs at least three points along it",
                "Mark edges that are straight in the world, along their whole length");
  return evidence;
}

std::vector<std::vector<Point>> pointsUsed(std::span<const StraightEdge> edges, const EdgeWork& work) {
  std::vector<std::vector<Point>> sets;
  for (size_t e = 0; e < edges.size(); ++e)
    if (work.used[e]) sets.push_back(edges[e].points);
  return sets;
}

// All candidates that could be solved, the chosen one first.
std::vector<Chosen> compete(const EdgeWork& work, const std::vector<EdgeCandidate>& candidates,
                            const Lens& start, const EdgeOptions& options, const Progress& progress) {
  std::vector<Chosen> solved;
  size_t best = 0;
  for (size_t i = 0; i < candidates.size(); ++i) {
    progress.check();
    Chosen tried = tryCandidate(work, candidates[i], start, options, start.width, start.height);
    progress.update(0.6 * static_cast<double>(i + 1) / static_cast<double>(candidates.size()));
    if (!tried.fit.ok) continue;
    solved.push_back(tried);
    // A richer model must earn its place clearly: evidence is never quite independent.
    if (solved.back().score < solved[best].score - kClearly) best = solved.size() - 1;
  }
  if (solved.empty())
    throw Error(
        ErrorKind::Evidence, "These edges do not tell how the lens bends", "",
        "no model makes them straight together",
        "Leave out edges that are curved in the world, or mark longer ones nearer the picture's border");
  std::swap(solved[0], solved[best]);
  return solved;
}

// Edges of the picture's sectors, by where their middle lies; each with about as many.
std::vector<std::vector<size_t>> sectorsOf(const EdgeWork& work, const Lens& lens) {
  std::vector<std::pair<double, size_t>> turned;
  for (size_t e = 0; e < work.points.size(); ++e) {
    if (!work.used[e]) continue;
    const Point middle = work.points[e][work.points[e].size() / 2];
    turned.emplace_back(std::atan2(middle.y - lens.cy, middle.x - lens.cx), e);
  }
  std::sort(turned.begin(), turned.end());
  const size_t count = std::min(kSectors, turned.size());
  std::vector<std::vector<size_t>> sectors(count);
  for (size_t i = 0; i < turned.size(); ++i) sectors[i * count / turned.size()].push_back(turned[i].second);
  return sectors;
}

// Standard deviation of the bend at a place: each sector is left out in turn.
double deviationOfSectors(const EdgeWork& work, const Chosen& chosen, const Lens& lens, Point at,
                          const Progress& progress) {
  const auto sectors = sectorsOf(work, lens);
  std::vector<double> bends;
  for (size_t g = 0; g < sectors.size(); ++g) {
    progress.check();
    EdgeWork part = work;
    for (const size_t e : sectors[g]) part.used[e] = false;
    const EdgeFit fit =
        refineEdges(part, chosen.candidate, chosen.fit.lens, lens.width, lens.height, Deviation::Leave);
    if (fit.ok) bends.push_back(bendAt(lensOf(fit.lens, lens.model, lens.width, lens.height), at));
    progress.update(0.7 + 0.3 * static_cast<double>(g + 1) / static_cast<double>(sectors.size()));
  }
  return leftOutDeviation(bends, sectors.size());
}

// What models that explain the edges about as well say otherwise of the corner.
double modelDeviation(const std::vector<Chosen>& solved, const Bend& bend, int width, int height) {
  double sum = 0, weight = 1;
  for (size_t i = 1; i < solved.size(); ++i) {
    const double behind = solved[i].score - solved[0].score;
    if (behind > kAsGood) continue;
    const double off =
        bendAt(lensOf(solved[i].fit.lens, solved[i].candidate.model, width, height), bend.at) - bend.value_px;
    // Akaike's weights, from the criterion that they were compared by.
    const double w = std::exp(-std::max(0.0, behind) / 2);
    sum += w * off * off;
    weight += w;
  }
  return std::sqrt(sum / weight);
}

// Found edges that are straight only by chance agree here and there; a lens is told by many.
void requireAgreement(std::span<const StraightEdge> edges, const EdgeWork& work, int width) {
  double used = 0, all = 0;
  int count = 0;
  for (size_t e = 0; e < edges.size(); ++e) {
    const double l = lengthOf(edges[e].points);
    all += l;
    if (!work.used[e]) continue;
    used += l;
    ++count;
  }
  if (count >= kLeastFound && used >= kLeastFoundWidths * width && used >= kLeastFoundShare * all) return;
  throw Error(
      ErrorKind::Evidence, "There are too few straight edges in this footage", "",
      std::to_string(count) + " of " + std::to_string(edges.size()) +
          " edges that were found are straight together, over " + fixedText(used / width, 1) +
          " picture widths",
      "Film a wall, railings or the horizon, mark edges that are straight in the world, or use a chart");
}

// Whether the edges show the bend that is said of the corner. Where straightening takes less of their bow
// than it leaves, the bend is drawn from what is not straight in the world, and extended over the whole
// picture becomes any size: it goes into the uncertainty.
bool isBorneOut(EdgeFinding& finding) {
  const double shown = std::sqrt(
      std::max(0.0, finding.before.rms * finding.before.rms - finding.after.rms * finding.after.rms));
  const double bend = std::abs(finding.bend.value_px);
  if (shown < kLeastTaken * finding.after.rms && finding.bend.uncertainty_px >= 0)
    finding.bend.uncertainty_px = std::hypot(finding.bend.uncertainty_px, bend);
  return bend >= kSpeaksOf * finding.bend.uncertainty_px;
}

std::string placeOf(const Bend& bend) { return bend.at_corner ? " at the corner" : " at 50° from the axis"; }

void requireSure(const Bend& bend, int width) {
  if (bend.uncertainty_px <= kMostUnsure_widths * width) return;
  throw Error(ErrorKind::Evidence, "These edges do not tell how the lens bends", "",
              "by " + fixedText(std::abs(bend.value_px), 0) + " ± " + fixedText(bend.uncertainty_px, 0) +
                  " px" + placeOf(bend),
              "Mark long edges nearer the picture's border and corners, or use a chart");
}

void takeNoBend(EdgeFinding& finding) {
  Lens straight = straightLens(finding.lens.width, finding.lens.height, finding.lens.fx);
  straight.model = LensModel::BrownConrady;
  finding.lens = straight;
  finding.bends = false;
  finding.stddev.clear();
}

void addWarnings(const EdgeCandidate& candidate, double longest_bow, EdgeFinding& finding) {
  const std::string bare = uncoveredCorners(finding.covered);
  if (!bare.empty())
    finding.warnings.push_back("No edge reaches " + bare + ". Bend there is extended, not measured.");
  if (longest_bow < kLeastBow_px)
    finding.warnings.emplace_back(
        "The edges are hardly bowed: this lens bends too little to tell from them.");
  if (finding.edges_used < 4)
    finding.warnings.push_back("Only " + std::to_string(finding.edges_used) +
                               " edges are used: mark some more, also near the border.");
  if (finding.bends && !candidate.centre)
    finding.warnings.emplace_back(
        "The centre is taken as the middle of the picture: there are too few edges to measure it.");
  if (!LensMap(finding.lens).coversPicture())
    finding.warnings.emplace_back("The model folds over inside the picture; mark edges nearer the corners.");
  if (finding.bend.uncertainty_px < 0)
    finding.warnings.emplace_back("How sure the bend is cannot be told from so few edges.");
  if (finding.focal_assumed)
    finding.warnings.emplace_back(
        "The focal length is assumed: straight edges do not tell it. Straightening does not need it; "
        "steadying "
        "works a little less well.");
}

std::string reasonOf(const EdgeFinding& finding, const EdgeCandidate& candidate, const EdgeOptions& options) {
  const std::string corner =
      fixedText(std::abs(finding.bend.value_px), 1) +
      (finding.bend.uncertainty_px >= 0 ? " ± " + fixedText(finding.bend.uncertainty_px, 1) : "") + " px" +
      placeOf(finding.bend);
  if (!finding.bends) return "No bend to speak of: " + corner + ".";
  return (options.model
              ? "Chosen by hand"
              : std::string(candidate.name) + " explains these edges best for its number of values") +
         "; bends by " + corner + ".";
}

}  // namespace

EdgeFinding solveEdges(std::span<const StraightEdge> edges, int width, int height, const EdgeOptions& options,
                       const Progress& progress) {
  auto [work, allowed] = evidenceOf(edges);
  double longest_bow = 0;
  for (size_t e = 0; e < edges.size(); ++e)
    if (allowed[e]) longest_bow = std::max(longest_bow, bowOf(edges[e].points));
  // The search must not see edges that the user left out.
  EdgeWork searched;
  for (size_t e = 0; e < work.points.size(); ++e)
    if (allowed[e]) searched.points.push_back(work.points[e]);
  const double focal = options.focal_px.value_or(kUsualFocal_widths * std::max(width, height));
  const double cap = 1.5 * width / 1920.0 + 0.5;
  const Lens start = searchBend(searched, width, height, focal, cap);
  const bool found = options.origin == EdgeOrigin::Found;
  const double most = found ? kStraightFound_px + kStraightFound_widths * width : 1e9;
  // The start is only near: twice as much is let through.
  rejectBent(work, allowed, LensMap(start), 2 * most);
  if (found) requireAgreement(edges, work, width);
  const auto sets = pointsUsed(edges, work);
  const auto candidates =
      candidatesFor(options, sets.size(), coveredShare(coveredByPoints(sets, width, height)));
  std::vector<Chosen> solved = compete(work, candidates, start, options, progress);
  Chosen& best = solved.front();
  for (int round = 0; round < 4; ++round) {
    const bool changed =
        rejectBent(work, allowed, LensMap(lensOf(best.fit.lens, best.candidate.model, width, height)), most);
    const EdgeFit again = refineEdges(work, best.candidate, best.fit.lens, width, height, Deviation::Tell);
    if (again.ok) best.fit = again;
    if (!changed) break;
  }
  if (found) requireAgreement(edges, work, width);
  EdgeFinding finding;
  finding.lens = lensOf(best.fit.lens, best.candidate.model, width, height);
  finding.stddev = best.fit.stddev;
  finding.focal_assumed = !options.focal_px && !best.candidate.focal;
  finding.bend = bendOf(finding.lens);
  finding.bend.uncertainty_px = deviationOfSectors(work, best, finding.lens, finding.bend.at, progress);
  if (finding.bend.uncertainty_px >= 0)
    finding.bend.uncertainty_px =
        std::hypot(finding.bend.uncertainty_px, modelDeviation(solved, finding.bend, width, height));
  describeEdges(edges, work, LensMap(finding.lens), finding);
  if (!isBorneOut(finding) && !options.model) {
    requireSure(finding.bend, width);
    takeNoBend(finding);
    if (found) {
      rejectBent(work, allowed, LensMap(finding.lens), most);
      requireAgreement(edges, work, width);
    }
    describeEdges(edges, work, LensMap(finding.lens), finding);
  }
  finding.covered = coveredByPoints(pointsUsed(edges, work), width, height);
  finding.coverage = coveredShare(finding.covered);
  finding.model_reason = reasonOf(finding, best.candidate, options);
  addWarnings(best.candidate, longest_bow, finding);
  progress.update(1);
  return finding;
}

}  // namespace glenhaze
