#include "desktop/undo_trail.h"

#include <algorithm>
#include <ranges>

namespace glenhaze::desktop {

UndoTrail::UndoTrail(QObject* parent) : QObject(parent) {
  undo_.setShortcut(QKeySequence::Undo);
  redo_.setShortcut(QKeySequence::Redo);
  connect(&undo_, &QAction::triggered, this, [this] {
    QUndoStack* stack = toUndo();
    if (stack == nullptr) return;
    undone_.emplace_back(stack);
    stack->undo();
    refresh();
  });
  connect(&redo_, &QAction::triggered, this, [this] {
    QUndoStack* stack = toRedo();
    if (stack == nullptr) return;
    const auto last = std::find(undone_.rbegin(), undone_.rend(), stack);
    if (last != undone_.rend()) undone_.erase(std::next(last).base());
    stack->redo();
    refresh();
  });
  refresh();
}

void UndoTrail::setStacks(const std::vector<QUndoStack*>& stacks) {
  for (const auto& stack : stacks_)
    if (stack) stack->disconnect(this);
  stacks_.assign(stacks.begin(), stacks.end());
  for (QUndoStack* stack : stacks) {
    connect(stack, &QUndoStack::canUndoChanged, this, &UndoTrail::refresh);
    connect(stack, &QUndoStack::canRedoChanged, this, &UndoTrail::refresh);
    connect(stack, &QUndoStack::undoTextChanged, this, &UndoTrail::refresh);
    connect(stack, &QUndoStack::redoTextChanged, this, &UndoTrail::refresh);
  }
  refresh();
}

QUndoStack* UndoTrail::toUndo() const {
  for (const auto& stack : stacks_)
    if (stack && stack->canUndo()) return stack;
  return nullptr;
}

// The other way round than they were taken back, as far as they are at hand.
QUndoStack* UndoTrail::toRedo() const {
  for (const auto& stack : undone_ | std::views::reverse)
    if (stack && stack->canRedo() && std::ranges::find(stacks_, stack) != stacks_.end()) return stack;
  for (const auto& stack : stacks_)
    if (stack && stack->canRedo()) return stack;
  return nullptr;
}

void UndoTrail::refresh() {
  const QUndoStack *back = toUndo(), *forth = toRedo();
  const auto named = [](const QString& verb, const QString& what) {
    return what.isEmpty() ? verb : verb + QLatin1Char(' ') + what;
  };
  undo_.setEnabled(back != nullptr);
  undo_.setText(named(tr("&Undo"), back != nullptr ? back->undoText() : QString()));
  redo_.setEnabled(forth != nullptr);
  redo_.setText(named(tr("&Redo"), forth != nullptr ? forth->redoText() : QString()));
}

}  // namespace glenhaze::desktop
