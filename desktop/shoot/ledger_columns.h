#pragma once
// Which columns the ledger shows and by which its clips are sorted; kept for the next time.

#include <QMenu>
#include <QObject>
#include <QRectF>
#include <array>

namespace glenhaze::desktop {

class LedgerColumns : public QObject {
  Q_OBJECT
 public:
  /// From left to right. The name is always shown.
  enum Column { Strip, Name, Length, Picture, Iso, Lens, Shutter, Noise, Steady, Finish, State, kColumns };
  static QString title(Column column);

  explicit LedgerColumns(QObject* parent = nullptr);

  bool shown(Column column) const { return shown_[column]; }
  void show(Column column, bool on);
  /// Strip: as they were brought in.
  Column sortedBy() const { return sorted_by_; }
  bool falling() const { return falling_; }
  void sortBy(Column column, bool falling);
  /// What a press on a title does: rising, then falling, then as they were brought in.
  void sortNext(Column column);

  /// Where a column is in a row; empty when it is hidden, or gives way to the name in a narrow one.
  QRectF area(Column column, const QRectF& row) const;
  /// The column at a place in a row; kColumns when there is none.
  Column at(QPointF place, const QRectF& row) const;

  /// Everything that can be set here.
  void fill(QMenu& menu);

 Q_SIGNALS:
  void changed();
  void sortChanged();

 private:
  std::array<bool, kColumns> fitting(qreal width) const;
  void keep() const;
  std::array<bool, kColumns> shown_;
  Column sorted_by_ = Strip;
  bool falling_ = false;
};

}  // namespace glenhaze::desktop
