#pragma once
// The camera's path over time, axis by axis, before and after: pan, tilt and roll in lanes above each other.

#include <QWidget>
#include <functional>
#include <memory>

#include "core/pipeline/clip_motion.h"

namespace glenhaze::desktop {

class PathPlot : public QWidget {
  Q_OBJECT
 public:
  explicit PathPlot(QWidget* parent = nullptr);
  /// Null: nothing known. `range`: the in and out points.
  void setMotion(std::shared_ptr<const MotionAnswer> motion, std::optional<FrameRange> range);
  void setFrame(int64_t frame);

 Q_SIGNALS:
  void chosen(qint64 frame);

 protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;

 private:
  void build();
  QRectF area() const;
  double xOf(double frame) const;
  void drawLane(QPainter& p, const QRectF& lane, size_t axis) const;
  std::shared_ptr<const MotionAnswer> motion_;
  std::optional<FrameRange> range_;
  std::array<std::vector<float>, 3> before_, after_;  // degrees; pan, tilt, roll
  int64_t frame_ = 0;
};

}  // namespace glenhaze::desktop
