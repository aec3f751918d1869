#pragma once
// The lens station of the bench: from a chart, from straight edges, from moving footage, or by hand.

#include <vector>

#include "desktop/bench/evidence_model.h"
#include "desktop/bench/lens_marks.h"
#include "desktop/bench/lens_state.h"
#include "desktop/bench/station.h"
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

class LensStation : public BenchStation {
  Q_OBJECT
 public:
  explicit LensStation(Session& session, QWidget* parent = nullptr);
  LensState& state() { return state_; }
  void setCamera(int clip, const Profile& profile) override;
  void setShot(const ClipInfo& shot) override;
  void setWay(LensState::Way way);
  void setStraightView(bool on);
  void showEvidence(int row);
  void showRichestFrame();
  bool was_busy_ = false;
  void putIntoProfile() override;
  QUndoStack* steps() override { return &state_.steps(); }

 private:
  QWidget* buildTools();
  QWidget* buildFindings();
  void askFrame(int64_t frame);
  void refresh();
  void showDeeds();
  struct Headline {
    QString text, note;
  };
  Headline found() const;
  QString hint() const;
  QString verdict() const;
  static QString readoutText(const FootageLens& footage);
  static QString bendText(const Bend& bend, bool bends);
  void fillValues();
  void readValues();
  void remakePicture();
  LensMarks marks() const;
  void writeChartPaper();
  void showChartFullScreen();

  Session& session_;
  LensState state_;
  EvidenceModel evidence_;
  Preview preview_;
  PictureView* view_ = nullptr;
  BendPlot* plot_ = nullptr;
  QTableView* table_ = nullptr;
  QLabel *headline_ = nullptr, *headline_note_ = nullptr, *values_ = nullptr, *warnings_ = nullptr,
         *hint_ = nullptr;
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
  PreviewFrame frame_;
  std::unique_ptr<LensWindow> window_;
  std::vector<Point> drawing_;
  int chosen_row_ = -1;
  int clip_ = -1;
  bool filling_ = false;
};

}  // namespace glenhaze::desktop
