#include "desktop/bench/lens_state.h"

#include <cmath>
#include <functional>

#include "core/base/error.h"
#include "core/lens/usual.h"
#include "core/motion/tracks.h"

namespace glenhaze::desktop {

LensState::LensState(QObject* parent) : QObject(parent) {
  connect(&job_, &Background::changed, this, &LensState::changed);
  connect(&job_, &Background::progressed, this, &LensState::progressed);
}

void LensState::setCamera(const CameraMode& camera, const std::optional<LensPart>& before) {
  job_.stop();
  steps_.clear();
  camera_ = camera;
  before_ = before;
  Marks none;
  none.way = marks_.way;
  marks_ = std::move(none);
  marks_.lens = before ? std::optional(before->lens) : std::nullopt;
  job_.setTrouble({});
  if (before && before->method == "edges") marks_.way = Way::Edges;
  if (before && before->method == "footage") marks_.way = Way::Footage;
  Q_EMIT changed();
}

void LensState::setShot(const ClipInfo& shot) {
  shot_ = shot;
  Q_EMIT changed();
}

void LensState::setWay(Way way) {
  if (way == marks_.way) return;
  marks_.way = way;
  marks_.nudged = false;
  if (way == Way::Chart && marks_.chart) marks_.lens = marks_.chart->lens;
  if (way == Way::Edges && marks_.edge_finding) marks_.lens = marks_.edge_finding->lens;
  if (way == Way::Footage && marks_.footage && marks_.footage->usable) marks_.lens = marks_.footage->lens;
  if (way == Way::ByHand && !marks_.lens)
    marks_.lens = usualLens(std::max(2, camera_.width), std::max(2, camera_.height));
  Q_EMIT changed();
}

void LensState::findChart() {
  job_.run([this, shot = shot_, chart_spec = spec](const Progress& progress) -> Background::Finish {
    ChartSearch search = searchChart({shot}, chart_spec, 48, progress);
    const std::vector<ChartView> views = search.views;
    ChartFinding finding = solveChart(views, search.width, search.height, chart_spec, std::nullopt);
    return [finding, views, this] {
      keepStep(tr("find the chart"));
      marks_.views = views;
      marks_.chart = finding;
      marks_.lens = finding.lens;
      marks_.nudged = false;
    };
  });
}

void LensState::findEdges() {
  job_.run([this, shot = shot_](const Progress& progress) -> Background::Finish {
    EdgeSearch search = searchEdges({shot}, 6, partOf(progress, 0, 0.6));
    EdgeOptions options;
    options.origin = EdgeOrigin::Found;
    std::optional<EdgeFinding> finding;
    QString why_not;
    try {
      finding = solveEdges(search.edges, search.width, search.height, options, partOf(progress, 0.6, 1));
    } catch (const Error& error) {
      // What was found is shown all the same: some of it may be straight in the world.
      if (error.kind() != ErrorKind::Evidence) throw;
      why_not = QString::fromUtf8(error.what());
    }
    return [finding, why_not, edges = std::move(search.edges), this] {
      keepStep(tr("find edges"));
      marks_.edges = edges;
      marks_.edge_finding = finding;
      marks_.lens = finding ? std::optional(finding->lens) : std::nullopt;
      marks_.nudged = false;
      job_.setTrouble(why_not);
    };
  });
}

void LensState::findFromFootage() {
  job_.run([this, shot = shot_](const Progress& progress) -> Background::Finish {
    const TrackRecord tracks = trackClip(shot, {}, partOf(progress, 0, 0.4));
    const FootageLens found =
        measureLensFrom(tracks, 1 / shot.fps.value(), codingOf(shot, progress), partOf(progress, 0.4, 1));
    return [found, this] {
      keepStep(tr("measure the lens"));
      marks_.footage = found;
      marks_.nudged = false;
      if (found.usable) marks_.lens = found.lens;
      job_.setTrouble(QString::fromStdString(found.why));
    };
  });
}

QString LensState::comparison() const {
  if (!marks_.footage || !marks_.footage->usable || !before_ || before_->method == "footage") return {};
  const double now = marks_.footage->lens.fx, then = before_->lens.fx,
               spread = marks_.footage->focal_uncertainty * now;
  constexpr double kAgree = 3;  // standard deviations, of both together
  const double known = before_->stddev.empty() ? 0 : before_->stddev[0];
  const QString values = tr("The profile says a focal length of %1 px, this footage %2 ± %3 px: ")
                             .arg(then, 0, 'f', 1)
                             .arg(now, 0, 'f', 1)
                             .arg(spread, 0, 'f', 1);
  if (std::abs(now - then) <= kAgree * std::hypot(spread, known)) return values + tr("they agree.");
  return values + tr("they differ by %1 %.").arg(100 * std::abs(now - then) / then, 0, 'f', 1);
}

void LensState::putInto(Profile& profile) const {
  if (marks_.way == Way::Footage && !marks_.nudged && marks_.footage && marks_.footage->usable)
    putFootageLens(profile, *marks_.footage, shot_.path.string(), 1 / shot_.fps.value());
  else
    profile.lens = part();
}

void LensState::markEdge(const Frame& frame, const std::vector<Point>& marks) {
  const SnappedEdge snapped = snapEdge(frame, marks);
  StraightEdge edge;
  edge.points = snapped.points;
  edge.source = shot_.path.string();
  edge.frame = frame.index;
  if (!snapped.found || edge.points.size() < 3) {
    job_.setTrouble(
        tr("No single edge was found between the marks. Mark along one clear edge, from end to end."));
    Q_EMIT changed();
    return;
  }
  keepStep(tr("mark an edge"));
  marks_.edges.push_back(std::move(edge));
  solveAgain();
}

void LensState::setEvidenceUsed(int row, bool used) {
  const QString said = used ? tr("take evidence in") : tr("leave evidence out");
  if (marks_.way == Way::Chart) {
    if (!marks_.chart || row < 0 || row >= static_cast<int>(marks_.views.size())) return;
    keepStep(said);
    marks_.views[static_cast<size_t>(row)].left_out = used ? "" : "left out by hand";
  } else {
    if (row < 0 || row >= static_cast<int>(marks_.edges.size())) return;
    keepStep(said);
    marks_.edges[static_cast<size_t>(row)].in_use = used;
  }
  solveAgain();
}

void LensState::removeEdge(int row) {
  if (row < 0 || row >= static_cast<int>(marks_.edges.size())) return;
  keepStep(tr("drop an edge"));
  marks_.edges.erase(marks_.edges.begin() + row);
  marks_.edge_finding.reset();
  if (marks_.edges.empty()) {
    marks_.lens.reset();
    Q_EMIT changed();
  } else {
    solveAgain();
  }
}

void LensState::keepStep(const QString& what, MarkStep<LensState>::Kind kind) {
  steps_.push(new MarkStep<LensState>(what, *this, marks_, kind));
}

LensState::Marks LensState::exchange(Marks marks) {
  Marks before = exchanged(job_, marks_, std::move(marks));
  // Taken back while they were being solved, they have no finding yet.
  const bool unsolved = marks_.way == Way::Edges && !marks_.edges.empty() && !marks_.nudged &&
                        (!marks_.edge_finding || marks_.edge_finding->edges.size() != marks_.edges.size());
  if (unsolved)
    solveAgain();
  else
    Q_EMIT changed();
  return before;
}

void LensState::solveAgain() {
  const int width = shot_.width, height = shot_.height;
  if (marks_.way == Way::Chart) {
    job_.run([this, views = marks_.views, width, height,
              chart_spec = spec](const Progress& progress) -> Background::Finish {
      ChartFinding finding = solveChart(views, width, height, chart_spec, std::nullopt, progress);
      return [finding, this] {
        marks_.chart = finding;
        marks_.lens = finding.lens;
        marks_.nudged = false;
      };
    });
    return;
  }
  job_.run([this, edges = marks_.edges, width, height](const Progress& progress) -> Background::Finish {
    EdgeFinding finding = solveEdges(edges, width, height, {}, progress);
    return [finding, this] {
      if (finding.edges.size() != marks_.edges.size()) return;
      marks_.edge_finding = finding;
      marks_.lens = finding.lens;
      marks_.nudged = false;
    };
  });
}

void LensState::nudge(const Lens& lens) {
  try {
    lens.validate();
  } catch (const Error& error) {
    job_.setTrouble(QString::fromUtf8(error.what()));
    Q_EMIT changed();
    return;
  }
  if (marks_.lens && *marks_.lens == lens) return;
  job_.setTrouble({});
  keepStep(tr("set the lens by hand"), MarkStep<LensState>::Nudge);
  marks_.lens = lens;
  marks_.nudged = true;
  Q_EMIT changed();
}

std::pair<double, double> LensState::straightness() const {
  if (!marks_.lens || marks_.edges.empty()) return {-1, -1};
  const LensMap map(*marks_.lens),
      none(straightLens(marks_.lens->width, marks_.lens->height, marks_.lens->fx));
  double after = 0, before = 0, count = 0;
  for (size_t i = 0; i < marks_.edges.size(); ++i) {
    if (!marks_.edges[i].in_use) continue;
    if (marks_.edge_finding && i < marks_.edge_finding->edges.size() &&
        marks_.edge_finding->edges[i].left_out)
      continue;
    const auto n = static_cast<double>(marks_.edges[i].points.size());
    const double a = measureStraightness(marks_.edges[i].points, map).rms_px,
                 b = measureStraightness(marks_.edges[i].points, none).rms_px;
    after += a * a * n;
    before += b * b * n;
    count += n;
  }
  if (count == 0) return {-1, -1};
  return {std::sqrt(after / count), std::sqrt(before / count)};
}

std::vector<std::string> LensState::warnings() const {
  if (marks_.nudged || marks_.way == Way::ByHand) {
    if (marks_.lens && !LensMap(*marks_.lens).coversPicture())
      return {"The model folds over inside the picture: its corners cannot be straightened."};
    return {};
  }
  if (marks_.way == Way::Chart && marks_.chart) return marks_.chart->warnings;
  if (marks_.way == Way::Edges && marks_.edge_finding) return marks_.edge_finding->warnings;
  if (marks_.way == Way::Footage && marks_.footage) return marks_.footage->warnings;
  return {};
}

std::optional<LensPart> LensState::part() const {
  if (!marks_.lens || job_.busy()) return std::nullopt;
  if (marks_.nudged || marks_.way == Way::ByHand) {
    LensPart part = lensPartByHand(*marks_.lens);
    if (const auto [after, before] = straightness(); after >= 0) part.rms_px = after;
    return part;
  }
  if (marks_.way == Way::Chart && marks_.chart) return lensPartFrom(*marks_.chart);
  if (marks_.way == Way::Edges && marks_.edge_finding)
    return lensPartFrom(*marks_.edge_finding, marks_.edges);
  if (marks_.way == Way::Footage && marks_.footage && marks_.footage->usable)
    return lensPartFrom(*marks_.footage, shot_.path.string());
  return std::nullopt;
}

}  // namespace glenhaze::desktop
