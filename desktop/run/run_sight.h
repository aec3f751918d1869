#pragma once
// The frame that a run is at, and where its time goes.

#include <QImage>
#include <QWidget>

#include "core/pipeline/watch.h"

namespace glenhaze::desktop {

class RunSight : public QWidget {
  Q_OBJECT
 public:
  explicit RunSight(QWidget* parent = nullptr);
  /// What is to be seen of `clip`; null: of none.
  void show(const std::shared_ptr<const RenderWatch>& watch, const QString& clip);
  /// Of the time of all stages, 0..1 each; all 0 before anything was done.
  const RenderWatch::Seconds& shares() const { return shares_; }
  const QImage& picture() const { return picture_; }
  QSize sizeHint() const override { return {600, kHeight}; }

 protected:
  void paintEvent(QPaintEvent* event) override;

 private:
  static constexpr int kHeight = 128;
  void paintShares(QPainter& painter, const QRectF& area) const;
  std::shared_ptr<const Frame> frame_;
  QImage picture_;
  QString clip_;
  RenderWatch::Seconds shares_{};
};

}  // namespace glenhaze::desktop
