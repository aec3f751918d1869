#pragma once
// The edges of the finish bench without widgets: the shot, the edges that were found or marked in it, which
// of them are left out, and what they say together. Changes nothing outside itself until the user says so.

#include <QObject>
#include <QString>
#include <QUndoStack>
#include <optional>
#include <vector>

#include "core/finish/edges_finding.h"
#include "core/profile/profile.h"
#include "desktop/background.h"
#include "desktop/bench/mark_step.h"

namespace glenhaze::desktop {

class FinishState : public QObject {
  Q_OBJECT
 public:
  explicit FinishState(QObject* parent = nullptr);

  /// What was found and marked.
  struct Marks {
    std::vector<SeenEdge> edges;
    std::vector<bool> left_out;
  };
  /// Sets these and gives back those before; what was going on stops.
  Marks exchange(Marks marks);
  /// Each mark and measurement since the shot was chosen.
  QUndoStack& steps() { return steps_; }

  void setCamera(const Profile& profile);
  const CameraMode& camera() const { return camera_; }
  /// What the profile has now.
  const std::optional<EdgesPart>& before() const { return before_; }

  void setShot(const ClipInfo& shot);
  const ClipInfo& shot() const { return shot_; }

  /// In the background: edges that are found by themselves, over a few frames.
  void findEdges();
  /// In the background: one more edge, marked by hand in a frame.
  void addEdge(int64_t frame, const EdgeArea& area);
  void stop() { job_.stop(); }
  bool busy() const { return job_.busy(); }
  const QString& trouble() const { return job_.trouble(); }

  const std::vector<SeenEdge>& edges() const { return marks_.edges; }
  bool leftOut(size_t edge) const { return marks_.left_out[edge]; }
  void leaveOut(size_t edge, bool out);
  /// Of the edges that are not left out; empty when none is usable.
  std::optional<EdgesFinding> finding() const;
  /// What would be put into the profile; empty when there is nothing new.
  std::optional<EdgesPart> part() const;

 Q_SIGNALS:
  void changed();
  void progressed(double share);

 private:
  void forget();
  void keepStep(const QString& what);
  CameraMode camera_;
  std::optional<EdgesPart> before_;
  ClipInfo shot_;
  Marks marks_;
  QUndoStack steps_;
  Background job_;
};

}  // namespace glenhaze::desktop
