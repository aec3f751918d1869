#pragma once
// Suggests the good parts of the shoot's clips; each is taken or refused.

#include <QDialog>
#include <vector>

#include "core/clip/pick.h"
#include "desktop/background.h"
#include "desktop/session.h"

class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QPushButton;
class QTableWidget;

namespace glenhaze::desktop {

class PickDialog : public QDialog {
  Q_OBJECT
 public:
  PickDialog(Session& session, QWidget* parent);
  /// In the background; all clips are decoded once, the first time.
  void look();
  bool busy() const { return work_.busy(); }
  QTableWidget* table() const { return table_; }
  /// Keeps those that are ticked, as one step that can be undone.
  void take();

 private:
  QLayout* makeHead();
  void buildTable();
  void present(std::vector<Suggestion> found);
  void showTotal();
  double secondsOf(const Suggestion& suggestion) const;
  Session& session_;
  Background work_;
  std::vector<Suggestion> found_;
  std::vector<std::filesystem::path> paths_;  // of the clips that were looked at
  QComboBox* wish_ = nullptr;
  QDoubleSpinBox* total_ = nullptr;
  QTableWidget* table_ = nullptr;
  QLabel* said_ = nullptr;
  QPushButton *look_ = nullptr, *take_ = nullptr;
};

}  // namespace glenhaze::desktop
