#pragma once
// The bar of Compare: which clip, how it is laid out and zoomed, what of it is shown, and its parts on or
// off.

#include <QStringListModel>
#include <QWidget>

#include "core/run/plan.h"
#include "desktop/compare/clip_edit.h"

class QComboBox;
class QHBoxLayout;
class QPushButton;

namespace glenhaze::desktop {

class PartSwitches;

class CompareBar : public QWidget {
  Q_OBJECT
 public:
  /// In the order in which they are listed.
  enum Way { Divider, SideBySide, Corrected, NoiseTrials, SteadyTrials };
  enum Look { AllChannels, Luma, Cb, Cr, Removed, OwnMotion, Edges };

  explicit CompareBar(QWidget* parent = nullptr);
  void setClips(const PlanList& plans, int current);
  void setPlan(const ClipPlan& plan, const OutputSettings& output);

  Look look() const;
  void setLook(int look);
  void setWay(int way);
  /// Exposure lifted for viewing only, stops.
  int lift() const;
  void setLift(int stops);
  void nextLift();
  void showZoom(double zoom);
  void setEdge(bool on);
  void toggleEdge();

 Q_SIGNALS:
  void clipChosen(int clip);
  void wayChosen(int way);
  void zoomChosen(double zoom);
  void edgeToggled(bool on);
  void lookChosen(int look);
  void liftChosen(int stops);
  void edited(const QString& what, const glenhaze::desktop::ClipEdit& edit);

 private:
  QStringListModel clip_names_;
  QStringList names_;  // the same
  QComboBox* addChoice(const QString& name, const QStringList& items, int width, const QString& tip);
  void addZooms();
  QComboBox* zoom_ = nullptr;
  QHBoxLayout* row_;
  QComboBox *clips_ = nullptr, *way_ = nullptr, *look_ = nullptr, *lift_ = nullptr;
  QPushButton* edge_ = nullptr;
  PartSwitches* parts_ = nullptr;
};

}  // namespace glenhaze::desktop
