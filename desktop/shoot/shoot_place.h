#pragma once
// Shoot: what will happen to which clip.

#include <QWidget>
#include <functional>

#include "desktop/background.h"
#include "desktop/session.h"
#include "desktop/shoot/film_strips.h"
#include "desktop/shoot/hand_over_menu.h"
#include "desktop/shoot/ledger_columns.h"
#include "desktop/shoot/ledger_model.h"
#include "desktop/shoot/ledger_view.h"

class QComboBox;
class QLabel;
class QLineEdit;
class QListView;
class QMenu;
class QPushButton;
class QStackedWidget;

namespace glenhaze::desktop {

class ShootPlace : public QWidget {
  Q_OBJECT
 public:
  explicit ShootPlace(Session& session, QWidget* parent = nullptr);
  /// Tells the ISO of clips by their own noise, in the background; where it cannot be told the ledger says
  /// so.
  void estimateIsoOf(const std::vector<int>& clips);
  /// Puts the noise that was measured in the clip itself into its camera's profile; asks for the camera's
  /// name and the ISO where nobody has said them.
  void keepNoiseOf(int clip);
  bool busy() const { return telling_.busy() || hand_over_.busy(); }
  HandOverMenu& handOver() { return hand_over_; }
  QPushButton* nextStep() const { return next_; }
  QLabel* summary() const { return summary_; }
  QListView* ledger() const { return ledger_; }
  const LedgerModel& model() const { return model_; }
  LedgerModel& model() { return model_; }
  LedgerColumns& columns() { return columns_; }

 Q_SIGNALS:
  void bringInWanted();
  void benchWanted(int clip, glenhaze::desktop::BenchPart part);
  void compareWanted(int clip);
  void runWanted();
  void outputWanted();
  void demonstrationWanted();
  void guideWanted();

 private:
  std::vector<NoiseCurve> curvesOf(int profile) const;
  Background telling_;
  void buildLedger();
  QWidget* buildHead();
  QWidget* buildNext();
  void showNext();
  void takeNext();
  QWidget* buildFoot();
  QWidget* buildEmpty();
  void showMenu(const QPoint& at);
  /// A line of a menu that changes all of `clips`.
  void addChange(QMenu& menu, const std::vector<int>& clips, const QString& text,
                 const std::function<void(ShootClip&)>& edit);
  void addParts(QMenu& menu, const std::vector<int>& clips);
  void addNoise(QMenu& menu, const std::vector<int>& clips);
  void addHandling(QMenu& menu, const std::vector<int>& clips);
  void answerFor(int clip);
  void giveCamera(const std::vector<int>& clips, int like);
  void takeAsTheyAre(const std::vector<int>& clips, bool on);
  void askIsoPattern(int clip);
  void askIso(const std::vector<int>& clips);
  void assignFor(const std::vector<int>& clips);
  std::vector<int> selectedClips() const;
  void refresh();
  Session& session_;
  LedgerModel model_;
  LedgerColumns columns_;
  FilmStrips strips_;
  HandOverMenu hand_over_;
  QListView* ledger_ = nullptr;
  QStackedWidget* stack_ = nullptr;
  QLabel *title_ = nullptr, *summary_ = nullptr, *covered_ = nullptr, *time_ = nullptr, *disk_ = nullptr;
  QPushButton *render_ = nullptr, *next_ = nullptr;
  QPushButton* output_ = nullptr;
  QWidget* foot_ = nullptr;
  QLabel* done_ = nullptr;
  QLineEdit* find_ = nullptr;
  QComboBox* only_ = nullptr;
};

}  // namespace glenhaze::desktop
