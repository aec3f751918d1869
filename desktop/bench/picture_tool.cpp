#include "desktop/bench/picture_tool.h"

#include <QHBoxLayout>
#include <QPushButton>

namespace glenhaze::desktop {

PictureTool::PictureTool(QWidget* parent) : QWidget(parent), row_(new QHBoxLayout(this)) {
  row_->setContentsMargins(0, 0, 0, 0);
  row_->setSpacing(6);
}

QPushButton* PictureTool::addButton(const QString& text, const QString& tip,
                                    const std::function<void()>& action) {
  auto* button = new QPushButton(text);
  button->setToolTip(tip);
  // Arrow keys must keep nudging behind a click.
  button->setFocusPolicy(Qt::TabFocus);
  connect(button, &QPushButton::clicked, this, action);
  row_->addWidget(button);
  return button;
}

bool PictureTool::keepOrDrop(int key, Qt::KeyboardModifiers modifiers) {
  if (key == Qt::Key_Delete) {
    drop();
    return true;
  }
  if ((key != Qt::Key_Return && key != Qt::Key_Enter) || modifiers != Qt::NoModifier) return false;
  keep();
  return true;
}

double PictureTool::stepOf(Qt::KeyboardModifiers modifiers) {
  return modifiers.testFlag(Qt::ShiftModifier) ? 10 : modifiers.testFlag(Qt::ControlModifier) ? 0.1 : 1;
}

QPointF PictureTool::arrowOf(int key) {
  switch (key) {
    case Qt::Key_Left:
      return {-1, 0};
    case Qt::Key_Right:
      return {1, 0};
    case Qt::Key_Up:
      return {0, -1};
    case Qt::Key_Down:
      return {0, 1};
    default:
      return {};
  }
}

}  // namespace glenhaze::desktop
