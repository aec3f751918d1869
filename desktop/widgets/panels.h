#pragma once
// Small building blocks that every place uses, so that they look alike.

#include <QLabel>
#include <QSlider>
#include <QSplitter>
#include <QToolButton>
#include <QWidget>
#include <optional>

#include "core/media/writer.h"

class QAbstractItemView;

namespace glenhaze::desktop {

/// Gives a widget the dark ground of side panels and feet.
void makeDeep(QWidget& widget);

/// A label that wraps, in quiet text or in gorse for "look at this".
QLabel* quietLabel(const QString& text = {});
QLabel* noticeLabel();

/// A quiet label of one line, beside a field.
QLabel* fieldLabel(const QString& text);

/// A sentence in the middle of a list or table for as long as there is nothing in it.
void hintWhileEmpty(QAbstractItemView& view, const QString& hint);

/// A small "?" that opens the guide, in the window it is in, at the chapter of this name.
QToolButton* guideMark(const QString& topic);

/// A Shift-click on a row with a box to check takes it out or in; it is not chosen by that.
void leaveOutByShiftClick(QAbstractItemView& view);

/// Restores the sizes that the user gave a splitter last, and keeps them when they change.
void rememberSizes(QSplitter& splitter, const QString& name);

/// A position slider that shows which part of the clip is rendered.
class PositionSlider : public QSlider {
 public:
  explicit PositionSlider(QWidget* parent = nullptr) : QSlider(Qt::Horizontal, parent) {}
  void setRendered(std::optional<FrameRange> range);

 protected:
  void paintEvent(QPaintEvent* event) override;

 private:
  std::optional<FrameRange> rendered_;
};

}  // namespace glenhaze::desktop
