#include "desktop/shoot/ledger_columns.h"

#include <QActionGroup>
#include <QSettings>

#include "desktop/shoot/film_strips.h"

namespace glenhaze::desktop {

namespace {

constexpr qreal kGap = 12;
constexpr qreal kStripWidth = FilmStrips::kFrames * FilmStrips::kWidth;
// Of the name 0: it has what the others leave.
constexpr std::array<qreal, LedgerColumns::kColumns> kWidths = {kStripWidth, 0,   46, 84, 46, 72,
                                                                72,          146, 80, 88, 90};

QString keyOf(int column) { return QStringLiteral("ledger/hidden_%1").arg(column); }

}  // namespace

QString LedgerColumns::title(Column column) {
  static constexpr std::array<const char*, kColumns> kTitles = {
      QT_TR_NOOP("Pictures"),      QT_TR_NOOP("Clip"),   QT_TR_NOOP("Length"),  QT_TR_NOOP("Picture"),
      QT_TR_NOOP("ISO"),           QT_TR_NOOP("Lens"),   QT_TR_NOOP("Shutter"), QT_TR_NOOP("Noise"),
      QT_TR_NOOP("Stabilization"), QT_TR_NOOP("Finish"), QT_TR_NOOP("Render")};
  return tr(kTitles[column]);
}

LedgerColumns::LedgerColumns(QObject* parent) : QObject(parent) {
  const QSettings settings;
  for (int c = 0; c < kColumns; ++c)
    shown_[static_cast<size_t>(c)] = c == Name || !settings.value(keyOf(c)).toBool();
  const int by = settings.value(QStringLiteral("ledger/sorted_by")).toInt();
  sorted_by_ = by > Strip && by < kColumns ? static_cast<Column>(by) : Strip;
  falling_ = settings.value(QStringLiteral("ledger/falling")).toBool();
}

void LedgerColumns::keep() const {
  QSettings settings;
  for (int c = 0; c < kColumns; ++c) settings.setValue(keyOf(c), !shown_[static_cast<size_t>(c)]);
  settings.setValue(QStringLiteral("ledger/sorted_by"), static_cast<int>(sorted_by_));
  settings.setValue(QStringLiteral("ledger/falling"), falling_);
}

void LedgerColumns::show(Column column, bool on) {
  if (column == Name || shown_[column] == on) return;
  shown_[column] = on;
  keep();
  Q_EMIT changed();
}

void LedgerColumns::sortBy(Column column, bool falling) {
  if (column == sorted_by_ && falling == falling_) return;
  sorted_by_ = column;
  falling_ = falling;
  keep();
  Q_EMIT changed();
  Q_EMIT sortChanged();
}

void LedgerColumns::sortNext(Column column) {
  if (column == Strip || column == kColumns) return;
  if (column != sorted_by_) return sortBy(column, false);
  if (!falling_) return sortBy(column, true);
  sortBy(Strip, false);
}

// In a narrow window what the head of a camera says as well gives way first: a name has to be read.
std::array<bool, LedgerColumns::kColumns> LedgerColumns::fitting(qreal width) const {
  constexpr qreal kNameNeeds = 150;
  std::array<bool, kColumns> there = shown_;
  qreal name = width;
  for (size_t c = 0; c < kColumns; ++c)
    if (c != Name && there[c]) name -= kWidths[c] + kGap;
  for (const Column c : {Picture, Length, Strip, Iso}) {
    if (name >= kNameNeeds) break;
    if (!there[c]) continue;
    there[c] = false;
    name += kWidths[c] + kGap;
  }
  return there;
}

QRectF LedgerColumns::area(Column column, const QRectF& row) const {
  const std::array<bool, kColumns> there = fitting(row.width());
  if (!there[column]) return {};
  if (column == Strip)
    return {row.left(), row.top() + (row.height() - FilmStrips::kHeight) / 2, kStripWidth,
            FilmStrips::kHeight};
  qreal right = row.right();
  for (int c = kColumns - 1; c > Name; --c) {
    if (!there[static_cast<size_t>(c)]) continue;
    const qreal width = kWidths[static_cast<size_t>(c)];
    if (c == column) return {right - width, row.top(), width, row.height()};
    right -= width + kGap;
  }
  const qreal left = row.left() + (there[Strip] ? kStripWidth + kGap : 0);
  return {left, row.top(), right - left, row.height()};
}

LedgerColumns::Column LedgerColumns::at(QPointF place, const QRectF& row) const {
  for (int c = 0; c < kColumns; ++c)
    if (const QRectF a = area(static_cast<Column>(c), row);
        !a.isEmpty() && place.x() >= a.left() && place.x() < a.right())
      return static_cast<Column>(c);
  return kColumns;
}

void LedgerColumns::fill(QMenu& menu) {
  menu.clear();
  QMenu* order = menu.addMenu(tr("Sort clips by"));
  auto* group = new QActionGroup(order);
  const auto add = [&](const QString& text, Column column, bool falling) {
    QAction* a = order->addAction(text, this, [this, column, falling] { sortBy(column, falling); });
    a->setCheckable(true);
    a->setChecked(sorted_by_ == column && falling_ == falling);
    group->addAction(a);
  };
  add(tr("As they were brought in"), Strip, false);
  order->addSeparator();
  for (int c = Name; c < kColumns; ++c) {
    const auto column = static_cast<Column>(c);
    add(tr("%1, rising").arg(title(column)), column, false);
    add(tr("%1, falling").arg(title(column)), column, true);
  }
  menu.addSeparator();
  for (int c = 0; c < kColumns; ++c) {
    const auto column = static_cast<Column>(c);
    if (column == Name) continue;
    QAction* a = menu.addAction(title(column));
    a->setCheckable(true);
    a->setChecked(shown(column));
    connect(a, &QAction::toggled, this, [this, column](bool on) { show(column, on); });
  }
}

}  // namespace glenhaze::desktop
