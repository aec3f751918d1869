#pragma once
// Run: the batch, clip by clip.

#include <QAbstractTableModel>
#include <QWidget>

#include "desktop/background.h"
#include "desktop/session.h"

class QHBoxLayout;
class QLabel;
class QProgressBar;
class QPushButton;
class QTableView;

namespace glenhaze::desktop {

class RunSight;
class RunWhere;

class RunModel : public QAbstractTableModel {
  Q_OBJECT
 public:
  explicit RunModel(Session& session, QObject* parent = nullptr);
  int rowCount(const QModelIndex& parent = {}) const override;
  int columnCount(const QModelIndex& parent = {}) const override;
  QVariant data(const QModelIndex& index, int role) const override;
  QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
  const std::vector<RunItem>& items() const { return items_; }

 private:
  void refresh();
  Session& session_;
  std::vector<RunItem> items_;
};

class RunPlace : public QWidget {
  Q_OBJECT
 public:
  explicit RunPlace(Session& session, QWidget* parent = nullptr);
  QTableView* table() const { return table_; }
  const RunSight& sight() const { return *sight_; }

 protected:
  void showEvent(QShowEvent* event) override;

 Q_SIGNALS:
  void runWanted();

 private:
  Background reporting_;
  void addButtons(QHBoxLayout& head);
  void buildTable();
  void refresh();
  void showSight();
  void saveReport();
  int selectedRow() const;
  Session& session_;
  RunModel model_;
  QTableView* table_ = nullptr;
  QLabel *title_ = nullptr, *left_ = nullptr, *note_ = nullptr;
  QProgressBar* bar_ = nullptr;
  RunSight* sight_ = nullptr;
  RunWhere* where_ = nullptr;
  QPushButton *start_ = nullptr, *pause_ = nullptr, *stop_ = nullptr, *retry_ = nullptr, *out_ = nullptr,
              *up_ = nullptr, *report_ = nullptr, *folder_ = nullptr;
};

}  // namespace glenhaze::desktop
