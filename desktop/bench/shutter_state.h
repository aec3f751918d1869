#pragma once
// The shutter bench without widgets: the shot, the way to measure, what was found, and the value that would
// go into the profile. Changes nothing outside itself until the user says so.

#include <QObject>
#include <QString>
#include <QUndoStack>
#include <optional>

#include "core/profile/profile.h"
#include "desktop/background.h"
#include "desktop/bench/mark_step.h"

namespace glenhaze::desktop {

class ShutterState : public QObject {
  Q_OBJECT
 public:
  explicit ShutterState(QObject* parent = nullptr);

  enum class Way { Lamp, Pan, Footage };

  /// What was measured and how, and what was set instead.
  struct Marks {
    Way way = Way::Pan;
    double hz = 100;
    std::optional<ShutterFinding> finding;
    std::optional<Shutter> by_hand;
  };
  /// Sets these and gives back those before; what was going on stops.
  Marks exchange(Marks marks);
  /// Each measurement and nudge since the shot was chosen.
  QUndoStack& steps() { return steps_; }

  void setCamera(const Profile& profile);
  const CameraMode& camera() const { return camera_; }
  const std::optional<ShutterPart>& before() const { return before_; }
  /// For the shot's picture size; empty when the profile has none.
  std::optional<Lens> lens() const;

  void setShot(const ClipInfo& shot);
  const ClipInfo& shot() const { return shot_; }
  Way way() const { return marks_.way; }
  void setWay(Way way);
  double flickerHz() const { return marks_.hz; }
  void setFlickerHz(double hz);

  /// In the background.
  void measure();
  void stop() { job_.stop(); }
  bool busy() const { return job_.busy(); }
  const QString& trouble() const { return job_.trouble(); }
  const std::optional<ShutterFinding>& finding() const { return marks_.finding; }

  /// The value shown: set by hand, else found, else the profile's; empty when there is none.
  std::optional<Shutter> value() const;
  bool byHand() const { return marks_.by_hand.has_value(); }
  void setByHand(const Shutter& shutter);
  /// Of the shot's footage, or the mode's; 0 when not known.
  double frameInterval() const;
  /// What would be put into the profile; empty when there is nothing new.
  std::optional<ShutterPart> part() const;

  /// What is left of the lean with the value shown, over all frames of a pan: RMS px over the picture; −1
  /// where no pan was measured.
  double leanLeft() const;
  /// Of one frame: lean as filmed and what the value makes of it.
  std::optional<PanSight> sightOf(int64_t frame) const;

 Q_SIGNALS:
  void changed();
  void progressed(double share);

 private:
  void forget();
  void keepStep(const QString& what, MarkStep<ShutterState>::Kind kind = MarkStep<ShutterState>::Single);
  CameraMode camera_;
  std::optional<ShutterPart> before_;
  std::optional<LensPart> lens_;
  std::vector<MotionMask> masks_;
  ClipInfo shot_;
  Marks marks_;
  QUndoStack steps_;
  Background job_;
};

}  // namespace glenhaze::desktop
