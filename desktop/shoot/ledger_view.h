#pragma once
// The ledger's list, the titles above it, and what its shapes mean.

#include <QListView>
#include <functional>

#include "desktop/shoot/ledger_columns.h"
#include "desktop/shoot/ledger_model.h"

namespace glenhaze::desktop {

/// The stations of the bench that the ledger leads to.
enum class BenchPart { Lens, Shutter, Noise, Stabilization, Finish };

/// What the buttons of a group do.
struct LedgerSteps {
  std::function<void(int clip, BenchPart)> measure;
  std::function<void(int clip)> name;
  std::function<void(const std::vector<int>& clips)> asItIs;
};

/// A list whose group rows have buttons; clips can be dragged onto another group.
class LedgerView : public QListView {
  Q_OBJECT
 public:
  LedgerView(const LedgerModel& model, const LedgerColumns& columns, LedgerSteps steps);

 protected:
  void mouseReleaseEvent(QMouseEvent* event) override;
  /// A double click on a cell goes to its station.
  void mouseDoubleClickEvent(QMouseEvent* event) override;

 private:
  const LedgerModel& model_;
  const LedgerColumns& columns_;
  LedgerSteps steps_;
};

/// Column titles, laid out as the rows below. A press sorts by a column.
class LedgerHead : public QWidget {
  Q_OBJECT
 public:
  LedgerHead(const QListView& ledger, LedgerColumns& columns);

 protected:
  void paintEvent(QPaintEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;
  void contextMenuEvent(QContextMenuEvent* event) override;

 private:
  QRectF row() const;
  void drawOrder(QPainter& p, const QRectF& area, bool number, double text) const;
  const QListView& ledger_;
  LedgerColumns& columns_;
};

/// The shapes of the coverage cells with their names.
class Legend : public QWidget {
  Q_OBJECT
 public:
  explicit Legend(QWidget* parent);
  QSize sizeHint() const override;
  /// It goes where there is no room for it.
  QSize minimumSizeHint() const override;

 protected:
  void paintEvent(QPaintEvent* event) override;
};

}  // namespace glenhaze::desktop
