#pragma once
// One Undo and one Redo for several stacks: the shoot's, and that of the station that is looked at.

#include <QAction>
#include <QPointer>
#include <QUndoStack>
#include <vector>

namespace glenhaze::desktop {

class UndoTrail : public QObject {
  Q_OBJECT
 public:
  explicit UndoTrail(QObject* parent = nullptr);
  QAction* undoAction() { return &undo_; }
  QAction* redoAction() { return &redo_; }
  /// Those at hand; the first that can is the one that goes back.
  void setStacks(const std::vector<QUndoStack*>& stacks);

 private:
  QUndoStack* toUndo() const;
  QUndoStack* toRedo() const;
  void refresh();

  QAction undo_, redo_;
  std::vector<QPointer<QUndoStack>> stacks_;
  std::vector<QPointer<QUndoStack>> undone_;  // whose steps were taken back, the last one at the end
};

}  // namespace glenhaze::desktop
