#pragma once
// The finish station of the bench: how the camera draws edges, and what is done to the finished picture.

#include "desktop/bench/finish_state.h"
#include "desktop/bench/station.h"
#include "desktop/compare/compare_state.h"
#include "desktop/compare/preview.h"
#include "desktop/session.h"
#include "desktop/widgets/picture_view.h"

class QButtonGroup;
class QLabel;
class QProgressBar;
class QPushButton;
class QSlider;
class QTableWidget;

namespace glenhaze::desktop {

class EdgePlot;
class ScopeView;
class FinishForm;

class FinishStation : public BenchStation {
  Q_OBJECT
 public:
  explicit FinishStation(Session& session, QWidget* parent = nullptr);
  FinishState& state() { return state_; }
  FinishForm& form() { return *form_; }
  ScopeView& scope() { return *scope_; }
  void setCamera(int clip, const Profile& profile) override;
  void setShot(const ClipInfo& shot) override;
  void putIntoProfile() override;
  QUndoStack* steps() override { return &state_.steps(); }

  /// What is looked at: the reference shot with its edges, or the clip as it will be.
  enum class Look { Edges, Clip };
  void setLook(Look look);
  /// False while a picture that was asked for is still on its way.
  bool settled() const { return !waiting_; }

 protected:
  void showEvent(QShowEvent* event) override;
  void hideEvent(QHideEvent* event) override;

 private:
  QWidget* buildTools();
  QWidget* buildFindings();
  void refresh();
  void showEvidence();
  void showFindings();
  void showEdge(int row);
  void ask();
  void settingsEdited(const FinishSettings& settings);
  void drawOver(QPainter& painter, const PictureView& view);
  void say(const QString& text);

  Session& session_;
  FinishState state_;
  CompareState clip_state_;
  Preview preview_;
  Look look_ = Look::Edges;
  PictureView* view_ = nullptr;
  EdgePlot* plot_ = nullptr;
  ScopeView* scope_ = nullptr;
  FinishForm* form_ = nullptr;
  QTableWidget* evidence_ = nullptr;
  QButtonGroup* looks_ = nullptr;
  QPushButton *find_ = nullptr, *mark_ = nullptr, *put_ = nullptr, *follow_ = nullptr;
  QLabel *headline_ = nullptr, *note_ = nullptr, *warnings_ = nullptr, *hint_ = nullptr;
  QSlider* slider_ = nullptr;
  QProgressBar* progress_ = nullptr;
  int clip_ = -1, chosen_ = -1;
  QPointF from_, to_;  // of the mark that is being drawn
  bool marking_ = false, filling_ = false, waiting_ = false;
};

}  // namespace glenhaze::desktop
