#include "desktop/undo_trail.h"

#include <gtest/gtest.h>

#include <QUndoCommand>
#include <memory>

namespace glenhaze::desktop {
namespace {

class Step : public QUndoCommand {
 public:
  Step(const QString& name, QStringList& seen) : QUndoCommand(name), seen_(seen) {}
  void undo() override { seen_ << QLatin1Char('-') + text(); }
  void redo() override { seen_ << text(); }

 private:
  QStringList& seen_;
};

struct Trail {
  QUndoStack shoot, station;
  QStringList seen;
  UndoTrail trail;
  Trail() { trail.setStacks({&station, &shoot}); }
  void add(QUndoStack& to, const QString& name) { to.push(new Step(name, seen)); }
  void undo() { trail.undoAction()->trigger(); }
  void redo() { trail.redoAction()->trigger(); }
};

TEST(UndoTrail, TheStationGoesBackFirstAndAllComesForthTheOtherWayRound) {
  Trail t;
  EXPECT_FALSE(t.trail.undoAction()->isEnabled());
  t.add(t.shoot, QStringLiteral("edit"));
  t.add(t.station, QStringLiteral("mark"));
  t.seen.clear();
  EXPECT_TRUE(t.trail.undoAction()->text().endsWith(QStringLiteral("mark")));
  t.undo();
  EXPECT_TRUE(t.trail.undoAction()->text().endsWith(QStringLiteral("edit")));
  t.undo();
  EXPECT_FALSE(t.trail.undoAction()->isEnabled());
  t.undo();  // nothing more to take back
  t.redo();
  t.redo();
  EXPECT_EQ(t.seen.join(QLatin1Char(' ')), QStringLiteral("-mark -edit edit mark"));
  EXPECT_FALSE(t.trail.redoAction()->isEnabled());
}

TEST(UndoTrail, WhatIsNotAtHandStaysAsItIs) {
  Trail t;
  t.add(t.station, QStringLiteral("mark"));
  t.trail.setStacks({&t.shoot});
  EXPECT_FALSE(t.trail.undoAction()->isEnabled());
  t.trail.setStacks({&t.station, &t.shoot});
  t.undo();
  t.trail.setStacks({&t.shoot});
  EXPECT_FALSE(t.trail.redoAction()->isEnabled());
}

TEST(UndoTrail, AStackMayGo) {
  UndoTrail trail;
  auto gone = std::make_unique<QUndoStack>();
  QStringList seen;
  gone->push(new Step(QStringLiteral("x"), seen));
  trail.setStacks({gone.get()});
  EXPECT_TRUE(trail.undoAction()->isEnabled());
  gone.reset();
  trail.undoAction()->trigger();
  EXPECT_FALSE(trail.redoAction()->isEnabled());
}

}  // namespace
}  // namespace glenhaze::desktop
