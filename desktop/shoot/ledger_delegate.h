#pragma once
// Paints the ledger's rows; the header above uses the same columns.

#include <QStyledItemDelegate>

#include "desktop/shoot/film_strips.h"
#include "desktop/shoot/ledger_model.h"

namespace glenhaze::desktop {

class LedgerDelegate : public QStyledItemDelegate {
  Q_OBJECT
 public:
  static constexpr int kClipHeight = 42, kGroupHeight = 42;

  LedgerDelegate(Session& session, const LedgerModel& model, FilmStrips& strips, QObject* parent = nullptr);

  /// Left edge and width of every column for a row this wide.
  struct Columns {
    QRectF strip, name, length, picture, iso, lens, shutter, noise, steady, finish, state;
  };
  static Columns columns(const QRectF& row);
  /// Where a group's button is.
  static QRectF buttonArea(const QRectF& row);
  static QRectF secondButtonArea(const QRectF& row);

  void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override;
  QSize sizeHint(const QStyleOptionViewItem& option, const QModelIndex& index) const override;

 private:
  void paintGroup(QPainter& painter, const QStyleOptionViewItem& option,
                  const LedgerModel::Group& group) const;
  void paintClip(QPainter& painter, const QStyleOptionViewItem& option, const ClipPlan& plan, int clip) const;
  QString stateText(const ClipPlan& plan, int clip, bool& wrong) const;
  Session& session_;
  const LedgerModel& model_;
  FilmStrips& strips_;
};

}  // namespace glenhaze::desktop
