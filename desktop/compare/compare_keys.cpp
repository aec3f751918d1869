// What the keys of Compare do, and what they are called: one table for both.
#include <QKeyEvent>

#include "desktop/compare/compare_bar.h"
#include "desktop/compare/compare_place.h"
#include "desktop/compare/transport.h"

namespace glenhaze::desktop {

struct ComparePlace::KeyRow {
  struct Deed {
    int key;
    bool shift;
    void (*act)(ComparePlace& place,
                QPointF pointer);  ///< pointer: (−1, −1) where it is not over the picture
  };
  QString keys, what;
  std::vector<Deed> deeds;  ///< none: not a key alone
};

std::vector<ComparePlace::KeyRow> ComparePlace::keyRows() {
  using P = ComparePlace&;
  constexpr bool kPlain = false, kShift = true;
  return {
      {tr("S"), tr("hold: the source"), {{Qt::Key_S, kPlain, [](P p, QPointF) { p.view_->setHold(true); }}}},
      {tr("D, B"),
       tr("divider, side by side"),
       {{Qt::Key_D, kPlain, [](P p, QPointF) { p.bar_->setWay(CompareBar::Divider); }},
        {Qt::Key_B, kPlain, [](P p, QPointF) { p.bar_->setWay(CompareBar::SideBySide); }}}},
      {tr("V, M"),
       tr("noise trials, steady trials"),
       {{Qt::Key_V, kPlain, [](P p, QPointF) { p.bar_->setWay(CompareBar::NoiseTrials); }},
        {Qt::Key_M, kPlain, [](P p, QPointF) { p.bar_->setWay(CompareBar::SteadyTrials); }}}},
      {tr("N"),
       tr("what was removed"),
       {{Qt::Key_N, kPlain,
         [](P p, QPointF) {
           const bool removed = p.bar_->look() == CompareBar::Removed;
           p.bar_->setLook(removed ? CompareBar::AllChannels : CompareBar::Removed);
         }}}},
      {tr("L"),
       tr("lift the exposure for viewing"),
       {{Qt::Key_L, kPlain, [](P p, QPointF) { p.bar_->nextLift(); }}}},
      {tr("E"), tr("straight edge"), {{Qt::Key_E, kPlain, [](P p, QPointF) { p.bar_->toggleEdge(); }}}},
      {tr("A"),
       tr("source and result aligned"),
       {{Qt::Key_A, kPlain, [](P p, QPointF) { p.transport_->toggleAligned(); }}}},
      {tr("0, 1, 2, 4"),
       tr("fit; 100, 200, 400 % at the pointer"),
       {{Qt::Key_0, kPlain, [](P p, QPointF) { p.zoomTo(0); }},
        {Qt::Key_1, kPlain, [](P p, QPointF at) { p.zoomTo(1, at); }},
        {Qt::Key_2, kPlain, [](P p, QPointF at) { p.zoomTo(2, at); }},
        {Qt::Key_4, kPlain, [](P p, QPointF at) { p.zoomTo(4, at); }}}},
      {tr("Comma, full stop"),
       tr("a frame back, a frame on"),
       {{Qt::Key_Comma, kPlain, [](P p, QPointF) { p.state_.goTo(p.state_.frame() - 1); }},
        {Qt::Key_Period, kPlain, [](P p, QPointF) { p.state_.goTo(p.state_.frame() + 1); }}}},
      {tr("P"), tr("play the loop, stop it"), {{Qt::Key_P, kPlain, [](P p, QPointF) { p.togglePlay(); }}}},
      {tr("U"),
       tr("with its sound, without"),
       {{Qt::Key_U, kPlain,
         [](P p, QPointF) {
           if (p.sound_->whyNot().isEmpty()) p.setSound(!p.sound_wanted_);
         }}}},
      {tr("I, O, W"),
       tr("set in, set out, the whole clip"),
       {{Qt::Key_I, kPlain, [](P p, QPointF) { p.state_.setIn(); }},
        {Qt::Key_O, kPlain, [](P p, QPointF) { p.state_.setOut(); }},
        {Qt::Key_W, kPlain, [](P p, QPointF) { p.state_.clearRange(); }}}},
      {tr("K, Shift+K"),
       tr("keep this stretch, forget it"),
       {{Qt::Key_K, kPlain, [](P p, QPointF) { p.state_.keepStretch(); }},
        {Qt::Key_K, kShift, [](P p, QPointF) { p.state_.forgetStretch(); }}}},
      {tr("T"),
       tr("the clip over time"),
       {{Qt::Key_T, kPlain, [](P p, QPointF) { p.transport_->toggleOverTime(); }}}},
      {tr("Double click"), tr("pin a place; on a pin: take it away"), {}},
      {tr("Shift-drag"), tr("turn the divider"), {}}};
}

std::vector<KeyLine> ComparePlace::keys() {
  std::vector<KeyLine> lines;
  for (const KeyRow& row : keyRows()) lines.emplace_back(row.keys, row.what);
  return lines;
}

void ComparePlace::keyPressEvent(QKeyEvent* event) {
  static const std::vector<KeyRow> rows = keyRows();
  const bool shift = (event->modifiers() & Qt::ShiftModifier) != 0;
  const QPointF pointer = view_->mapFromGlobal(QCursor::pos());
  const QPointF at = view_->rect().contains(pointer.toPoint()) ? pointer : QPointF(-1, -1);
  // What is not said with Shift does the same with it: some keyboards need it for a full stop.
  const KeyRow::Deed* plain = nullptr;
  for (const KeyRow& row : rows)
    for (const KeyRow::Deed& deed : row.deeds) {
      if (deed.key != event->key()) continue;
      if (deed.shift == shift) return deed.act(*this, at);
      if (!deed.shift) plain = &deed;
    }
  if (plain == nullptr) return QWidget::keyPressEvent(event);
  plain->act(*this, at);
}

void ComparePlace::keyReleaseEvent(QKeyEvent* event) {
  if (event->key() == Qt::Key_S && !event->isAutoRepeat()) view_->setHold(false);
  QWidget::keyReleaseEvent(event);
}

}  // namespace glenhaze::desktop
