#include "desktop/shoot/ledger_delegate.h"

#include <QPainter>
#include <QPainterPath>
#include <algorithm>

#include "core/treat/iso.h"
#include "desktop/widgets/look.h"

namespace glenhaze::desktop {

using namespace look;

LedgerDelegate::LedgerDelegate(Session& session, const LedgerModel& model, const LedgerColumns& columns,
                               FilmStrips& strips, QObject* parent)
    : QStyledItemDelegate(parent), session_(session), model_(model), columns_(columns), strips_(strips) {}

QRectF LedgerDelegate::buttonArea(const QRectF& row) { return {row.right() - 148, row.top() + 8, 148, 27}; }

QRectF LedgerDelegate::secondButtonArea(const QRectF& row) {
  return {row.right() - 148 - 8 - 186, row.top() + 8, 186, 27};
}

QSize LedgerDelegate::sizeHint(const QStyleOptionViewItem&, const QModelIndex& index) const {
  return {400, model_.groupAt(index) != nullptr ? kGroupHeight : kClipHeight};
}

void LedgerDelegate::paint(QPainter* painter, const QStyleOptionViewItem& option,
                           const QModelIndex& index) const {
  painter->save();
  if (const auto* group = model_.groupAt(index)) {
    paintGroup(*painter, option, *group);
  } else if (const int clip = model_.clipAt(index); clip >= 0) {
    paintClip(*painter, option, session_.plans()[static_cast<size_t>(clip)], clip);
  }
  painter->restore();
}

void LedgerDelegate::paintGroup(QPainter& p, const QStyleOptionViewItem& option,
                                const LedgerModel::Group& group) const {
  const QRectF row = option.rect;
  const QRectF text = row.adjusted(0, 8, 0, -6);
  p.setFont(textFont(13, true));
  p.setPen(kText);
  p.drawText(text, static_cast<int>(Qt::AlignLeft | Qt::AlignVCenter), group.title);
  qreal x = row.left() + QFontMetricsF(p.font()).horizontalAdvance(group.title) + 14;
  p.setFont(textFont(13));
  p.setPen(kQuiet);
  p.drawText(QRectF(x, text.top(), row.width(), text.height()),
             static_cast<int>(Qt::AlignLeft | Qt::AlignVCenter), group.mode);
  x += QFontMetricsF(p.font()).horizontalAdvance(group.mode) + 18;
  if (!group.missing.isEmpty()) {
    paintGlyph(p, QRectF(x, text.center().y() - 6, 12, 11), false);
    p.setPen(kGorse);
    p.drawText(QRectF(x + 18, text.top(), 300, text.height()),
               static_cast<int>(Qt::AlignLeft | Qt::AlignVCenter), group.missing);
    p.setRenderHint(QPainter::Antialiasing);
    const auto paintButton = [&](const QRectF& area, const QString& label) {
      p.setPen(kDim);
      p.setBrush(kRaised);
      p.drawRoundedRect(area, 3, 3);
      p.setPen(kText);
      p.setFont(textFont(13));
      p.drawText(area, Qt::AlignCenter, label);
    };
    // The accent is for the one next step, in the line on top.
    paintButton(buttonArea(row), group.step);
    if (!group.meanwhile.isEmpty()) paintButton(secondButtonArea(row), group.meanwhile);
  }
  p.setPen(kDim);
  p.drawLine(QPointF(row.left(), row.bottom()), QPointF(row.right(), row.bottom()));
}

namespace {

// What is in the output folder, by whomever it was rendered.
QString standingText(const ClipStatus& status) {
  switch (status.kind) {
    case ClipStatus::Kind::Rendered:
      return QObject::tr("rendered");
    case ClipStatus::Kind::OutOfDate: {
      // "Changed since: noise, lens." in the few words that fit.
      QString why = QString::fromStdString(status.why);
      why.remove(QStringLiteral("Changed since: "));
      if (why.endsWith(QLatin1Char('.'))) why.chop(1);
      return why.isEmpty() ? QObject::tr("out of date") : QObject::tr("out of date\n%1").arg(why);
    }
    case ClipStatus::Kind::Blocked:
      return QObject::tr("name is taken");
    default:
      return {};
  }
}

void putText(QPainter& p, const QRectF& where, const QString& text, QColor colour, Qt::Alignment align) {
  if (where.isEmpty()) return;
  p.setPen(colour);
  p.drawText(where, static_cast<int>(align | Qt::AlignVCenter),
             QFontMetricsF(p.font()).elidedText(text, Qt::ElideRight, where.width()));
}

}  // namespace

QString LedgerDelegate::stateText(const Session& session, const ClipPlan& plan, int clip, bool& wrong) {
  wrong = false;
  if (const RunItem* item = session.runItemOf(plan.info.path)) {
    if (item->state == RunState::Running) return tr("rendering %1 %").arg(qRound(item->share * 100));
    if (item->state == RunState::Waiting && session.running()) return tr("waiting");
    if (item->state == RunState::Failed && plan.refusal.empty()) {
      wrong = true;
      return tr("failed");
    }
  }
  if (plan.failed) {
    wrong = true;
    for (const ClipProblem& problem : plan.info.problems)
      if (problem.kind == ClipProblem::Kind::Truncated) return tr("cut off");
    return tr("cannot be read");
  }
  if (!plan.clip.render) return tr("left out");
  QStringList notes;
  if (const ClipStatus* status = session.standings().of(clip)) {
    if (const QString text = standingText(*status); !text.isEmpty()) notes << text;
    if (status->kind == ClipStatus::Kind::OutOfDate || status->kind == ClipStatus::Kind::Blocked)
      return notes.join(QStringLiteral(", "));
  }
  for (const ClipProblem& problem : plan.info.problems) {
    if (problem.kind == ClipProblem::Kind::VariableRate) notes << tr("rate varies");
    if (problem.kind == ClipProblem::Kind::NoSound) notes << tr("no sound");
    if (problem.kind == ClipProblem::Kind::Rotated) notes << tr("turned %1°").arg(plan.info.rotation);
    if (problem.kind == ClipProblem::Kind::Interlaced) notes << tr("interlaced");
  }
  return notes.join(QStringLiteral(", "));
}

namespace {

// What the clip is treated with: as said or read, or "≈" as its noise tells.
QString isoText(const Shoot& shoot, const ClipPlan& plan) {
  const auto iso = isoOf(shoot, plan.clip, plan.info);
  if (!iso) return QStringLiteral("—");
  return (iso->from == ClipIso::From::Noise ? QStringLiteral("≈ ") : QString()) +
         QString::number(qRound(iso->iso));
}

// The crop where the motion is known already, else what is set.
QString steadyText(const Session& session, const ClipPlan& plan) {
  const bool on = plan.questions.motion && plan.motion.settings.steadying != Steadying::Off;
  if (on)
    if (const auto answer = session.motion().find(plan.motion))
      return QObject::tr("crop %1").arg(withUnit(answer->stabilized.crop * 100, 0, QStringLiteral("%")));
  return QString::fromStdString(plan.stabilization.figure);
}

}  // namespace

void LedgerDelegate::paintClip(QPainter& p, const QStyleOptionViewItem& option, const ClipPlan& plan,
                               int clip) const {
  const QRectF row = option.rect;
  const bool selected = option.state.testFlag(QStyle::State_Selected);
  if (selected) p.fillRect(row, kRaised);
  paintFacts(p, row, plan);
  paintCells(p, row, plan);
  paintState(p, row, plan, clip);
  p.setPen(selected ? kThrift : kRaised);
  if (selected) {
    p.setBrush(Qt::NoBrush);
    p.drawRect(row.adjusted(0, 0, -1, -1));
  } else {
    p.drawLine(QPointF(row.left(), row.bottom()), QPointF(row.right(), row.bottom()));
  }
}

QRectF LedgerDelegate::area(LedgerColumns::Column column, const QRectF& row) const {
  return columns_.area(column, row.adjusted(0, 0, -1, 0));
}

void LedgerDelegate::paintFacts(QPainter& p, const QRectF& row, const ClipPlan& plan) const {
  using Column = LedgerColumns::Column;
  if (const QRectF pictures = area(Column::Strip, row); !pictures.isEmpty()) {
    const QImage strip = strips_.strip(plan.info);
    if (strip.isNull())
      p.fillRect(pictures, kDeep);
    else
      p.drawImage(pictures, strip);
  }
  p.setFont(textFont(13));
  putText(p, area(Column::Name, row), QString::fromStdString(plan.info.path.stem().string()),
          plan.refusal.empty() ? kText : kQuiet, Qt::AlignLeft);
  if (plan.info.width <= 0) return;
  const bool upright = plan.info.rotation % 180 != 0;
  const int w = upright ? plan.info.height : plan.info.width,
            h = upright ? plan.info.width : plan.info.height;
  putText(p, area(Column::Length, row), lengthText(plan.info.duration_s), kQuiet, Qt::AlignRight);
  putText(p, area(Column::Picture, row), QStringLiteral("%1 × %2").arg(w).arg(h), kQuiet, Qt::AlignRight);
  putText(p, area(Column::Iso, row), isoText(session_.shoot(), plan), kQuiet, Qt::AlignRight);
}

void LedgerDelegate::paintCells(QPainter& p, const QRectF& row, const ClipPlan& plan) const {
  using Column = LedgerColumns::Column;
  const auto cover = [&](Column column, const CoverageCell& cell, const QString& figure) {
    if (const QRectF where = area(column, row); !where.isEmpty())
      paintCoverage(p, where.adjusted(0, 7, 0, -7), cell.kind, figure);
  };
  cover(Column::Lens, plan.lens, QString::fromStdString(plan.lens.figure));
  cover(Column::Shutter, plan.shutter, QString::fromStdString(plan.shutter.figure));
  cover(Column::Noise, plan.noise, QString::fromStdString(plan.noise.figure));
  cover(Column::Steady, plan.stabilization, steadyText(session_, plan));
  cover(Column::Finish, plan.finish, QString::fromStdString(plan.finish.figure));
}

void LedgerDelegate::paintState(QPainter& p, const QRectF& row, const ClipPlan& plan, int clip) const {
  QRectF where = area(LedgerColumns::Column::State, row);
  if (where.isEmpty()) return;
  bool wrong = false;
  const QString state = stateText(session_, plan, clip, wrong);
  if (wrong) {
    paintGlyph(p, QRectF(where.left(), where.center().y() - 6, 12, 12), true);
    where.adjust(18, 0, 0, 0);
  }
  const QColor ink = wrong ? kRust.lighter(112) : kQuiet;
  const QString first = state.section(QLatin1Char('\n'), 0, 0), second = state.section(QLatin1Char('\n'), 1);
  p.setFont(textFont(12));
  if (second.isEmpty()) {
    putText(p, where, first, ink, Qt::AlignLeft);
    return;
  }
  // The reason stands below: both are read whole.
  const QRectF middle = where.adjusted(0, 5, 0, -5);
  const double half = middle.height() / 2;
  putText(p, QRectF(middle.left(), middle.top(), middle.width(), half), first, ink, Qt::AlignLeft);
  p.setFont(textFont(11));
  putText(p, QRectF(middle.left(), middle.center().y(), middle.width(), half), second, ink, Qt::AlignLeft);
}

}  // namespace glenhaze::desktop
