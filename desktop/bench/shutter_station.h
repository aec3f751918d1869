#pragma once
// The shutter station of the bench: how long the sensor takes to read a frame, and which way.

#include "desktop/bench/shutter_state.h"
#include "desktop/bench/station.h"
#include "desktop/compare/preview.h"
#include "desktop/session.h"
#include "desktop/widgets/picture_view.h"

class QButtonGroup;
class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QProgressBar;
class QPushButton;
class QSlider;
class QTableWidget;

namespace glenhaze::desktop {

class ShutterPlotView;

class ShutterStation : public BenchStation {
  Q_OBJECT
 public:
  explicit ShutterStation(Session& session, QWidget* parent = nullptr);
  ShutterState& state() { return state_; }
  void setCamera(int clip, const Profile& profile) override;
  void setShot(const ClipInfo& shot) override;
  void putIntoProfile() override;
  QUndoStack* steps() override { return &state_.steps(); }
  void goTo(int frame);

 private:
  QWidget* buildTools();
  QWidget* buildFindings();
  QWidget* buildByHand(QWidget* parent);
  void refresh();
  void showValue();
  void showEvidence();
  void drawOver(QPainter& painter, const PictureView& view);
  void say(const QString& text);

  Session& session_;
  ShutterState state_;
  Preview preview_;
  PictureView* view_ = nullptr;
  ShutterPlotView* plot_ = nullptr;
  QTableWidget* evidence_ = nullptr;
  QButtonGroup* ways_ = nullptr;
  QComboBox *hz_ = nullptr, *direction_ = nullptr, *turned_ = nullptr;
  QDoubleSpinBox *readout_ = nullptr, *share_ = nullptr;
  QCheckBox* guides_ = nullptr;
  QPushButton *measure_ = nullptr, *put_ = nullptr;
  QLabel *headline_ = nullptr, *note_ = nullptr, *lean_ = nullptr, *warnings_ = nullptr, *hint_ = nullptr;
  QSlider* slider_ = nullptr;
  QProgressBar* progress_ = nullptr;
  int64_t frame_ = 0;
  int clip_ = -1;
  bool filling_ = false;
};

}  // namespace glenhaze::desktop
