#pragma once
// A clip over time: five thin lanes that say how it shakes, where it is soft, too dark or too bright, what
// moves and how loud it is; its kept stretches, and the frame looked at.

#include <QWidget>
#include <optional>
#include <vector>

#include "core/clip/timeline.h"
#include "core/treat/shoot.h"

namespace glenhaze::desktop {

class MomentStrip : public QWidget {
  Q_OBJECT
 public:
  explicit MomentStrip(QWidget* parent = nullptr);
  void setTimeline(const std::optional<ClipTimeline>& timeline, const QString& message);
  void setClip(const ClipInfo& info, const std::vector<Stretch>& stretches, std::optional<FrameRange> range);
  void setFrame(int64_t frame);
  /// What shake is left of each frame once it is steadied, % of the width; empty where that is not known.
  void setShakeLeft(std::vector<float> per_frame);
  /// Its mean around a moment, as the strip draws it; −1 where it is not known.
  double shakeLeftAt(double seconds) const;
  /// What is said of a moment, in words.
  QString textAt(double seconds) const;
  QSize sizeHint() const override;

 Q_SIGNALS:
  void moved(qint64 frame);

 protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  bool event(QEvent* event) override;

 private:
  QRectF lanes() const;
  double xOf(double seconds) const;
  double secondsAt(double x) const;
  double length() const;
  void drawLane(QPainter& painter, int lane) const;
  void drawShakeLeft(QPainter& painter) const;
  void drawRange(QPainter& painter, const FrameRange& range, bool kept) const;
  ClipInfo info_;
  std::vector<Stretch> stretches_;
  std::optional<FrameRange> range_;
  std::optional<ClipTimeline> timeline_;
  QString message_;
  int64_t frame_ = 0;
  std::vector<float> shake_left_;
};

}  // namespace glenhaze::desktop
