#pragma once
// The lens bench without widgets: reference shot, marks, findings, and the value that would go into
// the profile. Changes nothing outside itself until the user says so.

#include <QObject>
#include <QString>
#include <QUndoStack>
#include <memory>
#include <optional>
#include <vector>

#include "core/lens/measure.h"
#include "core/profile/from_findings.h"
#include "desktop/background.h"
#include "desktop/bench/mark_step.h"

namespace glenhaze::desktop {

class LensState : public QObject {
  Q_OBJECT
 public:
  enum class Way { Chart, Edges, Footage, ByHand };

  /// What was marked and measured, and the value that is shown.
  struct Marks {
    Way way = Way::Chart;
    std::optional<ChartFinding> chart;
    std::vector<ChartView> views;
    std::vector<StraightEdge> edges;
    std::optional<EdgeFinding> edge_finding;
    std::optional<FootageLens> footage;
    std::optional<Lens> lens;
    bool nudged = false;
  };
  /// Sets these and gives back those before; what was going on stops.
  Marks exchange(Marks marks);
  /// Each mark and measurement since the camera was chosen.
  QUndoStack& steps() { return steps_; }

  explicit LensState(QObject* parent = nullptr);

  /// Starts over for a camera and mode; `before` is what the profile has now.
  void setCamera(const CameraMode& camera, const std::optional<LensPart>& before);
  const CameraMode& camera() const { return camera_; }
  const std::optional<LensPart>& before() const { return before_; }

  void setShot(const ClipInfo& shot);
  const ClipInfo& shot() const { return shot_; }

  Way way() const { return marks_.way; }
  void setWay(Way way);

  ChartSpec spec;
  void findChart();
  void findEdges();
  /// From the reference shot's own motion.
  void findFromFootage();
  /// Adds an edge along marks in `frame`; snaps and solves in the background.
  void markEdge(const Frame& frame, const std::vector<Point>& marks);
  void setEvidenceUsed(int row, bool used);
  void removeEdge(int row);
  void stop() { job_.stop(); }

  bool busy() const { return job_.busy(); }
  /// What went wrong last, "" when nothing did.
  const QString& trouble() const { return job_.trouble(); }

  const std::optional<ChartFinding>& chart() const { return marks_.chart; }
  const std::optional<EdgeFinding>& edgeFinding() const { return marks_.edge_finding; }
  const std::vector<StraightEdge>& edges() const { return marks_.edges; }
  const std::optional<FootageLens>& footage() const { return marks_.footage; }
  /// The focal length of the profile beside the footage's, in a sentence; "" when there is nothing to
  /// compare.
  QString comparison() const;

  /// The lens that is shown: the finding's, or as nudged by hand; empty when there is none yet.
  std::optional<Lens> lens() const { return marks_.lens; }
  bool nudged() const { return marks_.nudged; }
  /// Sets the value by hand; figures follow.
  void nudge(const Lens& lens);

  /// Straightness of the marked edges with the lens shown: after and before, px RMS; −1 without edges.
  std::pair<double, double> straightness() const;
  std::vector<std::string> warnings() const;
  /// What would be put into the profile; empty when there is nothing.
  std::optional<LensPart> part() const;
  /// Puts it in, and the readout that was found beside it where the profile has none.
  void putInto(Profile& profile) const;

 Q_SIGNALS:
  void changed();
  void progressed(double share);

 private:
  void solveAgain();
  void keepStep(const QString& what, MarkStep<LensState>::Kind kind = MarkStep<LensState>::Single);
  CameraMode camera_;
  std::optional<LensPart> before_;
  ClipInfo shot_;
  Marks marks_;
  QUndoStack steps_;
  Background job_;
};

}  // namespace glenhaze::desktop
