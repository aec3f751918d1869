#pragma once
// Masks: parts of the picture that are not the scene, once for the camera or over time for a clip.

#include <QSize>
#include <optional>
#include <vector>

#include "core/motion/tracks.h"
#include "desktop/bench/picture_tool.h"

class QAction;
class QMenu;

namespace glenhaze::desktop {

class MaskTools : public PictureTool {
  Q_OBJECT
 public:
  enum class Scope { Camera, Clip, ClipFromHere };
  explicit MaskTools(QWidget* parent = nullptr);

  void setMasks(const std::vector<MotionMask>& camera, const std::vector<MotionMask>& clip);
  void setFrame(int64_t frame, QSize picture);
  /// The next drag draws a mask for this.
  void begin(Scope scope);
  bool drawing() const { return scope_.has_value(); }

  bool press(QPointF at) override;
  void drag(QPointF at) override;
  void release(QPointF at) override;
  void draw(QPainter& painter, const PictureView& view) const override;

 Q_SIGNALS:
  void cameraEdited(const QString& what, const std::vector<glenhaze::MotionMask>& masks);
  void clipEdited(const QString& what, const std::vector<glenhaze::MotionMask>& masks);

 private:
  void endHere();
  void showMenu();
  std::vector<MotionMask> camera_, clip_;
  int64_t frame_ = 0;
  QSize picture_;
  std::optional<Scope> scope_;
  std::optional<QRectF> drawn_;
  QPointF from_;
  QPushButton* button_ = nullptr;
  QMenu* menu_ = nullptr;
  QAction *end_ = nullptr, *drop_clip_ = nullptr, *drop_camera_ = nullptr;
};

}  // namespace glenhaze::desktop
