#pragma once
// The delivery window placed and sized by hand, over time: key frames on the picture as it was filmed.

#include <memory>
#include <optional>

#include "core/pipeline/clip_motion.h"
#include "desktop/bench/picture_tool.h"

class QDoubleSpinBox;

namespace glenhaze::desktop {

class WindowTools : public PictureTool {
  Q_OBJECT
 public:
  explicit WindowTools(QWidget* parent = nullptr);

  /// What holds now; null while the motion is not known.
  void setMotion(std::shared_ptr<const MotionAnswer> motion, const std::optional<MotionRequest>& request);
  void setFrame(int64_t frame);
  /// The key that is being set: of the frame looked at.
  const WindowKey& now() const { return now_; }

  /// Whether it can be moved; else only its outline is drawn.
  void setActive(bool active) { active_ = active; }

  bool key(int key, Qt::KeyboardModifiers modifiers) override;
  bool press(QPointF at) override;
  void drag(QPointF at) override;
  void release(QPointF at) override;
  /// The outline of what is delivered.
  void draw(QPainter& painter, const PictureView& view) const override;

 Q_SIGNALS:
  void kept(const QString& what, const std::vector<glenhaze::WindowKey>& keys);

 private:
  std::vector<WindowKey> others() const;
  void keep() override;
  void drop() override;
  bool isKey() const;
  /// Whether the frame looked at has a motion that is known.
  bool known() const;
  void moveTo(WindowKey key);
  void show();
  VirtualFrame viewNow() const;
  std::shared_ptr<const MotionAnswer> motion_;
  std::optional<MotionRequest> request_;
  std::vector<WindowKey> keys_;
  WindowKey now_;
  std::optional<QPointF> dragged_from_;
  WindowKey before_drag_;
  bool active_ = false;
  QDoubleSpinBox* size_ = nullptr;
  QLabel* text_ = nullptr;
  QPushButton *keep_ = nullptr, *drop_ = nullptr, *whole_ = nullptr;
};

}  // namespace glenhaze::desktop
