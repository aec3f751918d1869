#pragma once
// Paints the ledger's rows; the header above uses the same columns.

#include <QStyledItemDelegate>

#include "desktop/shoot/film_strips.h"
#include "desktop/shoot/ledger_columns.h"
#include "desktop/shoot/ledger_model.h"

namespace glenhaze::desktop {

class LedgerDelegate : public QStyledItemDelegate {
  Q_OBJECT
 public:
  static constexpr int kClipHeight = 42, kGroupHeight = 42;

  LedgerDelegate(Session& session, const LedgerModel& model, const LedgerColumns& columns, FilmStrips& strips,
                 QObject* parent = nullptr);

  /// How a clip stands, in the words of its row.
  static QString stateText(const Session& session, const ClipPlan& plan, int clip, bool& wrong);
  /// Where a group's button is.
  static QRectF buttonArea(const QRectF& row);
  static QRectF secondButtonArea(const QRectF& row);

  void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override;
  QSize sizeHint(const QStyleOptionViewItem& option, const QModelIndex& index) const override;

 private:
  void paintGroup(QPainter& painter, const QStyleOptionViewItem& option,
                  const LedgerModel::Group& group) const;
  void paintClip(QPainter& painter, const QStyleOptionViewItem& option, const ClipPlan& plan, int clip) const;
  QRectF area(LedgerColumns::Column column, const QRectF& row) const;
  void paintFacts(QPainter& painter, const QRectF& row, const ClipPlan& plan) const;
  void paintCells(QPainter& painter, const QRectF& row, const ClipPlan& plan) const;
  void paintState(QPainter& painter, const QRectF& row, const ClipPlan& plan, int clip) const;
  Session& session_;
  const LedgerModel& model_;
  const LedgerColumns& columns_;
  FilmStrips& strips_;
};

}  // namespace glenhaze::desktop
