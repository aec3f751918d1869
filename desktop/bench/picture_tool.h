#pragma once
// A tool of the stabilization station: its controls in the bar, and what it does on the picture.

#include <QPainter>
#include <QWidget>
#include <functional>

class QHBoxLayout;
class QLabel;
class QPushButton;

namespace glenhaze::desktop {

class PictureView;

class PictureTool : public QWidget {
  Q_OBJECT
 public:
  explicit PictureTool(QWidget* parent = nullptr);
  /// Keys and mouse in picture pixels; true when the tool took them.
  virtual bool key(int, Qt::KeyboardModifiers) { return false; }
  virtual bool press(QPointF) { return false; }
  virtual void drag(QPointF) {}
  virtual void release(QPointF) {}
  virtual void doubleClick(QPointF) {}
  virtual void draw(QPainter&, const PictureView&) const {}

 Q_SIGNALS:
  /// What it shows has changed.
  void changed();

 protected:
  QPushButton* addButton(const QString& text, const QString& tip, const std::function<void()>& action);
  QHBoxLayout* row() const { return row_; }
  /// Return keeps a key frame, Delete drops it: for tools that have them.
  virtual void keep() {}
  virtual void drop() {}
  bool keepOrDrop(int key, Qt::KeyboardModifiers modifiers);
  /// How far a key moves: 1, with Shift 10, with Ctrl a tenth.
  static double stepOf(Qt::KeyboardModifiers modifiers);
  /// The direction of an arrow key; null for other keys.
  static QPointF arrowOf(int key);

 private:
  QHBoxLayout* row_;
};

}  // namespace glenhaze::desktop
