#pragma once
// An edge as the camera draws it, and how much contrast is left of ever finer detail.

#include <QWidget>
#include <optional>

#include "core/finish/edge_response.h"

namespace glenhaze::desktop {

class EdgePlot : public QWidget {
  Q_OBJECT
 public:
  explicit EdgePlot(QWidget* parent = nullptr);
  void setEdge(const std::optional<EdgeResponse>& edge);

 protected:
  void paintEvent(QPaintEvent* event) override;

 private:
  void drawEdge(QPainter& p, const QRectF& area) const;
  void drawContrast(QPainter& p, const QRectF& area) const;
  std::optional<EdgeResponse> edge_;
};

}  // namespace glenhaze::desktop
