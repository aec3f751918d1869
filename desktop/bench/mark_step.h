#pragma once
// One step back or forth in what was marked and measured on a station: not in the profile yet, so not one of
// the shoot's steps.

#include <QUndoCommand>
#include <utility>

#include "desktop/background.h"

namespace glenhaze::desktop {

/// Of a state that has `Marks` and `Marks exchange(Marks)`, which sets these and gives back those before.
template <typename State>
class MarkStep : public QUndoCommand {
 public:
  /// Nudges that follow one another are one step.
  enum Kind { Single = -1, Nudge = 1 };
  /// What was done, when it is done already; `before`: the marks without it.
  MarkStep(const QString& what, State& state, typename State::Marks before, Kind kind = Single)
      : QUndoCommand(what), state_(state), other_(std::move(before)), kind_(kind) {}

  int id() const override { return kind_; }
  bool mergeWith(const QUndoCommand*) override { return true; }
  void undo() override { other_ = state_.exchange(std::move(other_)); }
  void redo() override {
    if (std::exchange(done_, true)) undo();
  }

 private:
  State& state_;
  typename State::Marks other_;
  Kind kind_;
  bool done_ = false;
};

/// What `exchange` of such a state does: sets these marks and gives back those before; what was going on stops.
template <typename Marks>
Marks exchanged(Background& job, Marks& now, Marks marks) {
  job.stop();
  job.setTrouble({});
  Marks before = now;
  now = std::move(marks);
  return before;
}

}  // namespace glenhaze::desktop
