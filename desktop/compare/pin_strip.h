#pragma once
// Pinned places of the picture as small windows, source beside corrected, at 200 %.

#include <QImage>
#include <QWidget>
#include <vector>

class QLabel;

namespace glenhaze::desktop {

class PinStrip : public QWidget {
 public:
  static constexpr size_t kMost = 3;
  explicit PinStrip(QWidget* parent = nullptr);
  /// Places in picture pixels.
  void show(const std::vector<QPointF>& pins, const QImage& source, const QImage& corrected);

 private:
  QLabel* head_ = nullptr;
  std::vector<QLabel*> views_;
};

}  // namespace glenhaze::desktop
