#pragma once
// Bench: where a profile is measured. The lens station.

#include <QWidget>
#include <set>
#include <vector>

#include "desktop/bench/evidence_model.h"
#include "desktop/bench/lens_marks.h"
#include "desktop/bench/lens_state.h"
#include "desktop/compare/preview.h"
#include "desktop/session.h"
#include "desktop/widgets/picture_view.h"

class QButtonGroup;
class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QFormLayout;
class QLabel;
class QProgressBar;
class QPushButton;
class QSlider;
class QSpinBox;
class QTableView;

namespace glenhaze::desktop {

class BendPlot;

class BenchPlace : public QWidget {
  Q_OBJECT
 public:
  explicit BenchPlace(Session& session, QWidget* parent = nullptr);
  LensState& state() { return state_; }
  /// Chooses the reference shot by its file name; false when it is not on offer.
  bool chooseShot(const QString& file_name);
  void setWay(LensState::Way way);
  void setStraightView(bool on);
  void showEvidence(int row);
  void putIntoProfile();

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  QWidget* buildHead();
  QWidget* buildTools();
  QWidget* buildFindings();
  void reload();
  std::vector<ClipInfo> suitableShots() const;
  void offerShots(bool start_over);
  void showWantedShot();
  void showShot();
  void askFrame(int64_t frame);
  void refresh();
  void fillValues();
  void readValues();
  void remakePicture();
  LensMarks marks() const;
  void writeChartPaper();
  void showChartFullScreen();
  void addReference();

  Session& session_;
  LensState state_;
  EvidenceModel evidence_;
  Preview preview_;
  PictureView* view_ = nullptr;
  BendPlot* plot_ = nullptr;
  QTableView* table_ = nullptr;
  QLabel *camera_ = nullptr, *mode_ = nullptr, *headline_ = nullptr, *headline_note_ = nullptr,
         *values_ = nullptr, *warnings_ = nullptr, *hint_ = nullptr;
  QComboBox* shots_ = nullptr;
  QButtonGroup* ways_ = nullptr;
  QSpinBox *columns_ = nullptr, *rows_ = nullptr;
  QPushButton *measure_ = nullptr, *straight_ = nullptr, *put_ = nullptr, *paper_ = nullptr;
  QCheckBox *exaggerate_ = nullptr, *coverage_ = nullptr, *enlargement_ = nullptr;
  QSlider* slider_ = nullptr;
  QProgressBar* progress_ = nullptr;
  QWidget* spins_box_ = nullptr;
  QComboBox* model_ = nullptr;
  std::vector<QDoubleSpinBox*> spins_;
  std::vector<QLabel*> spin_names_;
  std::vector<ClipInfo> offered_;
  PreviewFrame frame_;
  std::unique_ptr<LensWindow> window_;
  std::vector<Point> drawing_;
  int chosen_row_ = -1;
  int clip_ = -1;
  std::set<std::filesystem::path> added_;  // by the user in this sitting
  std::filesystem::path wanted_shot_;      // added by the user, not looked at yet
  bool filling_ = false;
};

}  // namespace glenhaze::desktop
