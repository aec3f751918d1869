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
  camera_ = camera;
  before_ = before;
  chart_.reset();
  views_.clear();
  edges_.clear();
  edge_finding_.reset();
  footage_.reset();
  lens_ = before ? std::optional(before->lens) : std::nullopt;
  nudged_ = false;
  job_.setTrouble({});
  if (before && before->method == "edges") way_ = Way::Edges;
  if (before && before->method == "footage") way_ = Way::Footage;
  Q_EMIT changed();
}

void LensState::setShot(const ClipInfo& shot) {
  shot_ = shot;
  Q_EMIT changed();
}

void LensState::setWay(Way way) {
  if (way == way_) return;
  way_ = way;
  nudged_ = false;
  if (way == Way::Chart && chart_) lens_ = chart_->lens;
  if (way == Way::Edges && edge_finding_) lens_ = edge_finding_->lens;
  if (way == Way::Footage && footage_ && footage_->usable) lens_ = footage_->lens;
  if (way == Way::ByHand && !lens_)
    lens_ = usualLens(std::max(2, camera_.width), std::max(2, camera_.height));
  Q_EMIT changed();
}

void LensState::findChart() {
  job_.run([this, shot = shot_, chart_spec = spec](const Progress& progress) -> Background::Finish {
    ChartSearch search = searchChart({shot}, chart_spec, 48, progress);
    const std::vector<ChartView> views = search.views;
    ChartFinding finding = solveChart(views, search.width, search.height, chart_spec, std::nullopt);
    return [finding, views, this] {
      views_ = views;
      chart_ = finding;
      lens_ = finding.lens;
      nudged_ = false;
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
      edges_ = edges;
      edge_finding_ = finding;
      lens_ = finding ? std::optional(finding->lens) : std::nullopt;
      nudged_ = false;
      job_.setTrouble(why_not);
    };
  });
}

void LensState::findFromFootage() {
  job_.run([this, shot = shot_](const Progress& progress) -> Background::Finish {
    const TrackRecord tracks = trackClip(shot, {}, partOf(progress, 0, 0.4));
    const FootageLens found = measureLensFrom(tracks, 1 / shot.fps.value(), partOf(progress, 0.4, 1));
    return [found, this] {
      footage_ = found;
      nudged_ = false;
      if (found.usable) lens_ = found.lens;
      job_.setTrouble(QString::fromStdString(found.why));
    };
  });
}

QString LensState::comparison() const {
  if (!footage_ || !footage_->usable || !before_ || before_->method == "footage") return {};
  const double now = footage_->lens.fx, then = before_->lens.fx, spread = footage_->focal_uncertainty * now;
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
  if (way_ == Way::Footage && !nudged_ && footage_ && footage_->usable)
    putFootageLens(profile, *footage_, shot_.path.string(), 1 / shot_.fps.value());
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
  edges_.push_back(std::move(edge));
  solveAgain();
}

void LensState::setEvidenceUsed(int row, bool used) {
  if (way_ == Way::Chart) {
    if (!chart_ || row < 0 || row >= static_cast<int>(views_.size())) return;
    views_[static_cast<size_t>(row)].left_out = used ? "" : "left out by hand";
  } else {
    if (row < 0 || row >= static_cast<int>(edges_.size())) return;
    edges_[static_cast<size_t>(row)].in_use = used;
  }
  solveAgain();
}

void LensState::removeEdge(int row) {
  if (row < 0 || row >= static_cast<int>(edges_.size())) return;
  edges_.erase(edges_.begin() + row);
  edge_finding_.reset();
  if (edges_.empty()) {
    lens_.reset();
    Q_EMIT changed();
  } else {
    solveAgain();
  }
}

void LensState::solveAgain() {
  const int width = shot_.width, height = shot_.height;
  if (way_ == Way::Chart) {
    job_.run([this, views = views_, width, height,
              chart_spec = spec](const Progress& progress) -> Background::Finish {
      ChartFinding finding = solveChart(views, width, height, chart_spec, std::nullopt, progress);
      return [finding, this] {
        chart_ = finding;
        lens_ = finding.lens;
        nudged_ = false;
      };
    });
    return;
  }
  job_.run([this, edges = edges_, width, height](const Progress& progress) -> Background::Finish {
    EdgeFinding finding = solveEdges(edges, width, height, {}, progress);
    return [finding, this] {
      if (finding.edges.size() != edges_.size()) return;
      edge_finding_ = finding;
      lens_ = finding.lens;
      nudged_ = false;
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
  if (lens_ && *lens_ == lens) return;
  job_.setTrouble({});
  lens_ = lens;
  nudged_ = true;
  Q_EMIT changed();
}

std::pair<double, double> LensState::straightness() const {
  if (!lens_ || edges_.empty()) return {-1, -1};
  const LensMap map(*lens_), none(straightLens(lens_->width, lens_->height, lens_->fx));
  double after = 0, before = 0, count = 0;
  for (size_t i = 0; i < edges_.size(); ++i) {
    if (!edges_[i].in_use) continue;
    if (edge_finding_ && i < edge_finding_->edges.size() && edge_finding_->edges[i].left_out) continue;
    const auto n = static_cast<double>(edges_[i].points.size());
    const double a = measureStraightness(edges_[i].points, map).rms_px,
                 b = measureStraightness(edges_[i].points, none).rms_px;
    after += a * a * n;
    before += b * b * n;
    count += n;
  }
  if (count == 0) return {-1, -1};
  return {std::sqrt(after / count), std::sqrt(before / count)};
}

std::vector<std::string> LensState::warnings() const {
  if (nudged_ || way_ == Way::ByHand) {
    if (lens_ && !LensMap(*lens_).coversPicture())
      return {"The model folds over inside the picture: its corners cannot be straightened."};
    return {};
  }
  if (way_ == Way::Chart && chart_) return chart_->warnings;
  if (way_ == Way::Edges && edge_finding_) return edge_finding_->warnings;
  if (way_ == Way::Footage && footage_) return footage_->warnings;
  return {};
}

std::optional<LensPart> LensState::part() const {
  if (!lens_ || job_.busy()) return std::nullopt;
  if (nudged_ || way_ == Way::ByHand) {
    LensPart part = lensPartByHand(*lens_);
    if (const auto [after, before] = straightness(); after >= 0) part.rms_px = after;
    return part;
  }
  if (way_ == Way::Chart && chart_) return lensPartFrom(*chart_);
  if (way_ == Way::Edges && edge_finding_) return lensPartFrom(*edge_finding_, edges_);
  if (way_ == Way::Footage && footage_ && footage_->usable)
    return lensPartFrom(*footage_, shot_.path.string());
  return std::nullopt;
}

}  // namespace glenhaze::desktop
