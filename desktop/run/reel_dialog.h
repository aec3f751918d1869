#pragma once
// Everything that a run would render as one film, or as a cut list for other programs.

#include <QDialog>

#include "desktop/background.h"
#include "desktop/session.h"

class QDoubleSpinBox;
class QLabel;
class QListWidget;
class QProgressBar;
class QPushButton;

namespace glenhaze::desktop {

class ReelDialog : public QDialog {
  Q_OBJECT
 public:
  ReelDialog(Session& session, QWidget* parent);
  void setDissolve(double seconds);
  /// In the background.
  void join(const QString& file);
  void writeCuts(const QString& file);
  bool busy() const { return work_.busy(); }
  QString said() const;

 private:
  void buildList();
  QLayout* makeFoot();
  /// The clips that are ticked.
  std::vector<ClipPlan> chosen() const;
  void showLength();
  void askJoin();
  void askCuts();
  Session& session_;
  Background work_;
  std::vector<int> clips_;  // by row
  QListWidget* list_ = nullptr;
  QDoubleSpinBox* dissolve_ = nullptr;
  QLabel* said_ = nullptr;
  QProgressBar* bar_ = nullptr;
  QPushButton *join_ = nullptr, *cuts_ = nullptr;
};

}  // namespace glenhaze::desktop
