#pragma once
// Where the next run renders: this computer, or a partition of Slurm. Not to be seen where there is no Slurm.

#include <QWidget>

#include "desktop/background.h"
#include "desktop/session.h"

class QComboBox;
class QDoubleSpinBox;
class QLabel;

namespace glenhaze::desktop {

class RunWhere : public QWidget {
  Q_OBJECT
 public:
  explicit RunWhere(Session& session, QWidget* parent = nullptr);
  /// Asks Slurm, elsewhere than in the window's thread.
  void look();

 private:
  void offer(const std::vector<std::string>& partitions);
  void take();
  Session& session_;
  QComboBox* where_ = nullptr;
  QLabel* parts_label_ = nullptr;
  QDoubleSpinBox* parts_ = nullptr;
  Background asking_;
};

}  // namespace glenhaze::desktop
