#pragma once
// The noise bench without widgets: the shot, patches on it, what was measured, and the curve that would go
// into the profile. Changes nothing outside itself until the user says so.

#include <QObject>
#include <QString>
#include <QUndoStack>
#include <optional>
#include <vector>

#include "core/profile/profile.h"
#include "desktop/background.h"
#include "desktop/bench/mark_step.h"

namespace glenhaze::desktop {

class NoiseState : public QObject {
  Q_OBJECT
 public:
  enum class Way { LockedOff, Patches };

  /// What was marked and measured.
  struct Marks {
    Way way = Way::LockedOff;
    std::vector<PatchVerdict> patches;
    std::vector<bool> used;
    std::optional<NoiseFinding> finding;
    double factor = 1;
  };
  /// Sets these and gives back those before; what was going on stops.
  Marks exchange(Marks marks);
  /// Each mark and measurement since the shot was chosen.
  QUndoStack& steps() { return steps_; }

  explicit NoiseState(QObject* parent = nullptr);

  void setCamera(const CameraMode& camera, const std::optional<NoisePart>& before);
  const CameraMode& camera() const { return camera_; }
  const std::optional<NoisePart>& before() const { return before_; }

  /// The ISO follows from the shot where it says one.
  void setShot(const ClipInfo& shot);
  const ClipInfo& shot() const { return shot_; }
  Way way() const { return marks_.way; }
  void setWay(Way way);
  double iso() const { return iso_; }  ///< 0: not known
  void setIso(double iso);
  const QString& light() const { return light_; }
  void setLight(const QString& light);

  /// Shots to choose more from: those of the same ISO and size can be measured together with this one.
  void setOffered(std::vector<ClipInfo> shots);
  std::vector<ClipInfo> sameIso() const;
  bool together() const { return together_; }
  void setTogether(bool on);
  /// The curve is multiplied by this by hand; 1: as measured.
  double factor() const { return marks_.factor; }
  void setFactor(double factor);

  /// A frame of the shot and the one after it: patches are judged on them. Either may be empty.
  void setFrames(const Frame& frame, const Frame& next);
  PatchVerdict judge(const PatchRect& rect) const;
  /// Every cell of the frame with its verdict, row by row.
  const std::vector<PatchVerdict>& cells();

  const std::vector<PatchVerdict>& patches() const { return marks_.patches; }
  bool patchUsed(int row) const;
  void addPatch(const PatchRect& rect);
  void setPatchUsed(int row, bool used);
  void removePatch(int row);

  /// In the background. Without patches they are found by themselves.
  void measure();
  /// In the background, on the same shots.
  void findHot();
  /// What was found last; empty when nothing was looked for.
  const std::optional<HotPixelFinding>& hot() const { return hot_; }
  void stop() { job_.stop(); }
  bool busy() const { return job_.busy(); }
  const QString& trouble() const { return job_.trouble(); }

  const std::optional<NoiseFinding>& finding() const { return marks_.finding; }
  /// The curve shown: the finding's, or what the profile has for this ISO; empty when neither is there.
  std::optional<NoiseCurve> curve() const;
  /// What the profile has for this ISO and light now.
  std::optional<NoiseCurve> curveBefore() const;
  /// What would be put into the profile; empty when there is nothing.
  std::optional<NoiseEntry> entry() const;

 Q_SIGNALS:
  void changed();
  void progressed(double share);

 private:
  void forget();
  void keepStep(const QString& what, MarkStep<NoiseState>::Kind kind = MarkStep<NoiseState>::Single);
  std::vector<ClipInfo> shots() const;
  const NoiseEntry* entryBefore() const;
  CameraMode camera_;
  std::optional<NoisePart> before_;
  ClipInfo shot_;
  double iso_ = 0;
  QString light_;
  Frame frame_, next_;
  std::vector<PatchVerdict> cells_;
  std::optional<HotPixelFinding> hot_;
  std::vector<ClipInfo> offered_;
  bool together_ = false;
  Marks marks_;
  QUndoStack steps_;
  Background job_;
};

}  // namespace glenhaze::desktop
