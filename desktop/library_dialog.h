#pragma once
// All profiles at once: what each holds, which clips use it, what it was before; renamed, copied for another
// mode, compared, sent and received.

#include <QDialog>
#include <vector>

#include "desktop/session.h"

class QLabel;
class QListWidget;
class QPushButton;
class QTableWidget;

namespace glenhaze::desktop {

class LibraryDialog : public QDialog {
  Q_OBJECT
 public:
  LibraryDialog(Session& session, QWidget* parent);
  QTableWidget* table() const { return table_; }
  QListWidget* history() const { return history_; }
  QString details() const;
  void rename(const QString& name);
  /// For another mode; what was measured at another picture size does not go with it.
  void copyFor(const CameraMode& mode);
  void exportTo(const QString& zip);
  void importFrom(const QStringList& files);
  /// The state that is chosen in the history.
  void bringBack();

 private:
  void buildTable();
  QLayout* makeFoot();
  void fill();
  void showChosen();
  std::vector<size_t> chosen() const;
  void attempt(const std::function<void()>& action);
  void askRename();
  void askCopy();
  Session& session_;
  std::vector<Profile> profiles_;
  QTableWidget* table_ = nullptr;
  QLabel *details_ = nullptr, *said_ = nullptr;
  QListWidget* history_ = nullptr;
  QPushButton *rename_ = nullptr, *copy_ = nullptr, *export_ = nullptr, *back_ = nullptr;
};

}  // namespace glenhaze::desktop
