#pragma once
// Aligning by hand: a frozen frame is laid over the current one and nudged until their difference is black.

#include <QImage>

#include "desktop/bench/hand_align.h"
#include "desktop/bench/picture_tool.h"

namespace glenhaze::desktop {

class HandTools : public PictureTool {
  Q_OBJECT
 public:
  explicit HandTools(QWidget* parent = nullptr);
  HandAlign& align() { return align_; }
  /// The difference to the frozen frame; null before there is one.
  QImage picture();

  bool key(int key, Qt::KeyboardModifiers modifiers) override;
  void doubleClick(QPointF at) override { align_.setPivot(at); }

 Q_SIGNALS:
  void kept(const QString& what, const std::vector<glenhaze::HandKey>& keys);

 private:
  void keep() override;
  void drop() override;
  HandAlign align_;
  QLabel* text_ = nullptr;
  QPushButton *keep_ = nullptr, *drop_ = nullptr;
};

}  // namespace glenhaze::desktop
