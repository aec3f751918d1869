#pragma once
// The noise station of the bench: the curve of each ISO, from a locked-off shot or from flat patches.

#include <functional>
#include <optional>

#include "desktop/bench/noise_state.h"
#include "desktop/bench/station.h"
#include "desktop/compare/preview.h"
#include "desktop/session.h"
#include "desktop/widgets/picture_view.h"

class QButtonGroup;
class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QLineEdit;
class QProgressBar;
class QPushButton;
class QSlider;
class QSpinBox;
class QTableWidget;

namespace glenhaze::desktop {

class NoisePlot;

class NoiseStation : public BenchStation {
  Q_OBJECT
 public:
  explicit NoiseStation(Session& session, QWidget* parent = nullptr);
  NoiseState& state() { return state_; }
  void setCamera(int clip, const Profile& profile) override;
  void setShot(const ClipInfo& shot) override;
  void setOffered(const std::vector<ClipInfo>& shots) override;
  void putIntoProfile() override;
  QUndoStack* steps() override { return &state_.steps(); }
  /// 0: the picture; 1 to 3: luma, Cb, Cr alone with raised contrast.
  void setLook(int look);
  void showFlatPlaces(bool on);

 private:
  QWidget* buildTools();
  QWidget* buildFindings();
  void wireView();
  void askFrame(int64_t frame);
  void refresh();
  void showPicture();
  void showPatches();
  void showPatch(int row);
  void showIsos();
  void showHot();
  void hotPressed();
  bool change(const QString& what, const std::function<void(NoisePart&)>& edit);
  void drawOver(QPainter& painter, const PictureView& view);
  void say(const QString& text);

  Session& session_;
  NoiseState state_;
  Preview preview_, after_;  // the frame shown, and the one after it to judge patches by
  PictureView* view_ = nullptr;
  NoisePlot* plot_ = nullptr;
  QTableWidget *patches_ = nullptr, *isos_ = nullptr;
  QLabel *headline_ = nullptr, *note_ = nullptr, *warnings_ = nullptr, *hint_ = nullptr;
  QButtonGroup* ways_ = nullptr;
  QSpinBox* iso_ = nullptr;
  QLineEdit* light_ = nullptr;
  QComboBox* look_ = nullptr;
  QPushButton *measure_ = nullptr, *put_ = nullptr;
  QPushButton* hot_ = nullptr;
  QLabel* hot_text_ = nullptr;
  QDoubleSpinBox* factor_ = nullptr;
  QCheckBox *flat_ = nullptr, *together_ = nullptr;
  QSlider* slider_ = nullptr;
  QProgressBar* progress_ = nullptr;
  PreviewFrame frame_;
  std::optional<PatchRect> drawing_;
  int clip_ = -1;
  bool filling_ = false;
};

}  // namespace glenhaze::desktop
