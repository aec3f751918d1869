#include "desktop/shoot/ledger_view.h"

#include <QContextMenuEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QScrollBar>

#include "desktop/shoot/ledger_delegate.h"
#include "desktop/widgets/look.h"

namespace glenhaze::desktop {

namespace {

constexpr int kLegendCell = 80, kLegendKinds = 6, kLegendHeight = 22;

BenchPart partOf(LedgerModel::Group::Need need) {
  using Need = LedgerModel::Group::Need;
  return need == Need::Noise     ? BenchPart::Noise
         : need == Need::Shutter ? BenchPart::Shutter
                                 : BenchPart::Lens;
}

}  // namespace

LedgerView::LedgerView(const LedgerModel& model, const LedgerColumns& columns, LedgerSteps steps)
    : model_(model), columns_(columns), steps_(std::move(steps)) {
  setDragDropMode(QAbstractItemView::DragDrop);
  connect(&columns, &LedgerColumns::changed, viewport(), [this] { viewport()->update(); });
}

void LedgerView::mouseReleaseEvent(QMouseEvent* event) {
  const QModelIndex index = indexAt(event->pos());
  const auto* group = model_.groupAt(index);
  if (group != nullptr && !group->missing.isEmpty() &&
      LedgerDelegate::buttonArea(visualRect(index)).contains(event->position()))
    return group->need == LedgerModel::Group::Need::Name
               ? steps_.name(group->first_clip)
               : steps_.measure(group->first_clip, partOf(group->need));
  if (group != nullptr && !group->meanwhile.isEmpty() &&
      LedgerDelegate::secondButtonArea(visualRect(index)).contains(event->position()))
    return steps_.asItIs(group->clips);
  QListView::mouseReleaseEvent(event);
}

void LedgerView::mouseDoubleClickEvent(QMouseEvent* event) {
  const QModelIndex index = indexAt(event->pos());
  const int clip = model_.clipAt(index);
  if (clip < 0) return QListView::mouseDoubleClickEvent(event);
  const auto column = columns_.at(event->position(), visualRect(index));
  steps_.measure(clip, column == LedgerColumns::Noise     ? BenchPart::Noise
                       : column == LedgerColumns::Shutter ? BenchPart::Shutter
                       : column == LedgerColumns::Steady  ? BenchPart::Stabilization
                       : column == LedgerColumns::Finish  ? BenchPart::Finish
                                                          : BenchPart::Lens);
}

LedgerHead::LedgerHead(const QListView& ledger, LedgerColumns& columns) : ledger_(ledger), columns_(columns) {
  setToolTip(tr("Press a title to sort by it; right button: columns"));
  connect(ledger.verticalScrollBar(), &QScrollBar::rangeChanged, this, [this] { update(); });
  connect(&columns, &LedgerColumns::changed, this, [this] { update(); });
}

void LedgerHead::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  for (int c = LedgerColumns::Name; c < LedgerColumns::kColumns; ++c) {
    const auto column = static_cast<LedgerColumns::Column>(c);
    const QRectF area = columns_.area(column, row());
    if (area.isEmpty()) continue;
    const bool sorted = columns_.sortedBy() == column;
    const bool number =
        column == LedgerColumns::Length || column == LedgerColumns::Picture || column == LedgerColumns::Iso;
    p.setFont(textFont(11));
    p.setPen(sorted ? look::kText : look::kQuiet);
    const QString title = LedgerColumns::title(column);
    p.drawText(area, static_cast<int>((number ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter), title);
    if (sorted) drawOrder(p, area, number, QFontMetricsF(p.font()).horizontalAdvance(title));
  }
}

void LedgerHead::mouseReleaseEvent(QMouseEvent* event) {
  if (event->button() == Qt::LeftButton) columns_.sortNext(columns_.at(event->position(), row()));
}

void LedgerHead::contextMenuEvent(QContextMenuEvent* event) {
  QMenu menu(this);
  columns_.fill(menu);
  menu.exec(event->globalPos());
}

QRectF LedgerHead::row() const {
  return {0, 0, ledger_.viewport()->width() - 1.0, static_cast<double>(height())};
}

// Three strokes that grow the way the values do.
void LedgerHead::drawOrder(QPainter& p, const QRectF& area, bool number, double text) const {
  const double left = number ? area.right() - text - 13 : area.left() + text + 5, low = area.center().y() + 4;
  p.setPen(QPen(look::kText, 1.5));
  for (int i = 0; i < 3; ++i) {
    const int size = columns_.falling() ? 3 - i : i + 1;
    p.drawLine(QPointF(left + 3.5 * i, low), QPointF(left + 3.5 * i, low - 2.5 * size));
  }
}

Legend::Legend(QWidget* parent) : QWidget(parent) {
  setFixedHeight(kLegendHeight);
  setSizePolicy(QSizePolicy::Maximum, QSizePolicy::Fixed);
}

QSize Legend::sizeHint() const { return {kLegendKinds * kLegendCell, kLegendHeight}; }
QSize Legend::minimumSizeHint() const { return {0, kLegendHeight}; }

void Legend::paintEvent(QPaintEvent*) {
  if (width() < kLegendKinds * kLegendCell) return;
  QPainter p(this);
  int x = 0;
  for (const Coverage kind : {Coverage::Measured, Coverage::ByHand, Coverage::Borrowed, Coverage::Estimated,
                              Coverage::Missing, Coverage::Doubtful}) {
    paintCoverage(p, QRectF(x, 0, kLegendCell - 5, kLegendHeight), kind, coverageName(kind));
    x += kLegendCell;
  }
}

}  // namespace glenhaze::desktop
