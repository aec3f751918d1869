#pragma once
// A picture with zoom, pan and things drawn over it. Knows nothing of clips.

#include <QImage>
#include <QPainter>
#include <QTimer>
#include <QWidget>
#include <array>
#include <functional>
#include <vector>

namespace glenhaze::desktop {

class PictureView : public QWidget {
  Q_OBJECT
 public:
  explicit PictureView(QWidget* parent = nullptr);

  /// What is shown; `size` is the picture's full size, which the image may be a reduced version of.
  void setPicture(const QImage& image, QSize size);
  /// A second picture of the same full size, shown on one side of a divider or beside the first.
  void setSecond(const QImage& image);
  enum class Layout { Single, Divider, Side };
  void setLayoutMode(Layout mode);
  Layout layoutMode() const { return mode_; }
  /// While true the second picture (the source) is shown alone.
  void setHold(bool hold);

  QSize pictureSize() const { return size_; }
  /// Screen pixels per picture pixel; 0: fit the window.
  void setZoom(double zoom, QPointF around = {-1, -1});
  double zoom() const { return zoom_; }
  double shownScale() const;
  void centreOn(QPointF picture);
  QPointF centre() const { return centre_; }
  /// The same part at the same size as another view, also before its own picture has come.
  void lookAs(const PictureView& other);

  QPointF toScreen(QPointF picture, int pane = 0) const;
  QPointF toPicture(QPointF screen) const;

  /// Drawn over the picture in screen coordinates; `pane` 1 is the right one side by side.
  using Overlay = std::function<void(QPainter&, const PictureView&, int pane)>;
  void setOverlay(Overlay overlay);
  /// A frame that closes in on a place for a moment, so that one sees where it is; brought into view.
  void flash(const QRectF& picture);
  /// The place it closes in on; null when there is none.
  QRectF flashing() const { return flash_; }
  /// Text in the corner, e.g. that the picture is reduced.
  void setNote(const QString& note);

  /// Mouse handling for tools: return true to take the event. Positions in picture pixels.
  std::function<bool(QPointF at, Qt::KeyboardModifiers)> on_press;
  std::function<void(QPointF at)> on_drag;
  std::function<void(QPointF at)> on_release;
  std::function<void(QPointF at)> on_double_click;

 Q_SIGNALS:
  void viewChanged();  ///< zoomed or moved

 protected:
  void paintEvent(QPaintEvent* event) override;
  void wheelEvent(QWheelEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;
  void mouseDoubleClickEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;

 private:
  QRectF paneRect(int pane) const;
  void drawPane(QPainter& painter, const QImage& image, int pane) const;
  void drawFlash(QPainter& painter) const;
  bool nearDivider(QPointF screen) const;
  QLineF dividerLine() const;
  QImage first_, second_;
  QSize size_;
  Layout mode_ = Layout::Single;
  bool hold_ = false;
  double zoom_ = 0;
  QPointF centre_;  // picture point in the middle of a pane
  QPointF divider_{0.5, 0.5};
  double divider_angle_ = 90;  // degrees; 90: upright
  enum class Drag { None, Pan, Divider, Turn, Tool } drag_ = Drag::None;
  QPointF last_;
  Overlay overlay_;
  QString note_;
  QRectF flash_;
  double flash_left_ = 0;  // 1 to 0
  QTimer flash_timer_;
};

/// A light line with a dark rim.
void drawRimmed(QPainter& painter, const QPolygonF& line, double width = 1.6);
/// A word on a small paper label.
void drawTag(QPainter& painter, QPointF at, const QString& text);

}  // namespace glenhaze::desktop
