#include "desktop/bench/finish_state.h"

#include "core/media/reader.h"

namespace glenhaze::desktop {

FinishState::FinishState(QObject* parent) : QObject(parent) {
  connect(&job_, &Background::changed, this, &FinishState::changed);
  connect(&job_, &Background::progressed, this, &FinishState::progressed);
}

void FinishState::setCamera(const Profile& profile) {
  before_ = profile.finish ? profile.finish->edges : std::nullopt;
  if (!(profile.camera == camera_)) {
    camera_ = profile.camera;
    forget();
  }
  Q_EMIT changed();
}

void FinishState::forget() {
  job_.stop();
  job_.setTrouble({});
  steps_.clear();
  marks_ = {};
}

void FinishState::keepStep(const QString& what) {
  steps_.push(new MarkStep<FinishState>(what, *this, marks_));
}

FinishState::Marks FinishState::exchange(Marks marks) {
  Marks before = exchanged(job_, marks_, std::move(marks));
  Q_EMIT changed();
  return before;
}

void FinishState::setShot(const ClipInfo& shot) {
  if (shot.path == shot_.path) return;
  forget();
  shot_ = shot;
  Q_EMIT changed();
}

void FinishState::findEdges() {
  job_.run([this, clip = shot_](const Progress& progress) -> Background::Finish {
    const std::vector<EdgesSource> sources{{clip, {}}};
    EdgesFinding found = measureEdges(sources, progress);
    return [this, found = std::move(found)] {
      keepStep(tr("find edges"));
      marks_.edges = found.edges;
      marks_.left_out.assign(marks_.edges.size(), false);
    };
  });
}

void FinishState::addEdge(int64_t frame, const EdgeArea& area) {
  job_.run([this, clip = shot_, frame, area](const Progress& progress) -> Background::Finish {
    progress.check();
    ClipReader reader(clip);
    reader.seek(frame);
    const auto picture = reader.next();
    if (!picture) return [] {};
    SeenEdge edge;
    edge.response = measureEdge({&*picture, 1}, area);
    edge.source = clip.path.filename().string();
    edge.frame = frame;
    edge.from_middle = fromMiddle(area, {picture->width, picture->height});
    return [this, edge] {
      keepStep(tr("mark an edge"));
      marks_.edges.push_back(edge);
      marks_.left_out.push_back(false);
    };
  });
}

void FinishState::leaveOut(size_t edge, bool out) {
  if (edge >= marks_.left_out.size() || marks_.left_out[edge] == out) return;
  keepStep(out ? tr("leave an edge out") : tr("take an edge in"));
  marks_.left_out[edge] = out;
  Q_EMIT changed();
}

std::optional<EdgesFinding> FinishState::finding() const {
  std::vector<SeenEdge> used;
  for (size_t i = 0; i < marks_.edges.size(); ++i)
    if (!marks_.left_out[i]) used.push_back(marks_.edges[i]);
  EdgesFinding found = edgesFindingOf(std::move(used));
  return found.all.used > 0 ? std::optional(std::move(found)) : std::nullopt;
}

std::optional<EdgesPart> FinishState::part() const {
  if (busy()) return std::nullopt;
  const auto found = finding();
  return found ? std::optional(edgesPartFrom(*found)) : std::nullopt;
}

}  // namespace glenhaze::desktop
