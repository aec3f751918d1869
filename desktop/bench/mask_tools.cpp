#include "desktop/bench/mask_tools.h"

#include <QMenu>
#include <QPushButton>
#include <algorithm>

#include "desktop/widgets/picture_view.h"

namespace glenhaze::desktop {

namespace {

constexpr double kSmallest_px = 8;

}  // namespace

MaskTools::MaskTools(QWidget* parent) : PictureTool(parent) {
  button_ =
      addButton(tr("Masks"),
                tr("Keep what is not the scene, as rotor blades or the craft itself, out of the motion and "
                   "out of the difference"),
                [] {});
  menu_ = new QMenu(this);
  const auto draw = [&](const QString& text, Scope scope) {
    menu_->addAction(text, this, [this, scope] { begin(scope); });
  };
  draw(tr("Draw one for every clip of the camera"), Scope::Camera);
  draw(tr("Draw one for this clip"), Scope::Clip);
  draw(tr("Draw one for this clip from this frame on"), Scope::ClipFromHere);
  menu_->addSeparator();
  end_ = menu_->addAction(tr("End this clip's masks with this frame"), this, &MaskTools::endHere);
  drop_clip_ = menu_->addAction(tr("Drop this clip's masks"), this,
                                [this] { Q_EMIT clipEdited(tr("Drop the clip's masks"), {}); });
  drop_camera_ = menu_->addAction(tr("Drop the camera's masks"), this,
                                  [this] { Q_EMIT cameraEdited(tr("Drop the camera's masks"), {}); });
  button_->setMenu(menu_);
  showMenu();
}

void MaskTools::setMasks(const std::vector<MotionMask>& camera, const std::vector<MotionMask>& clip) {
  camera_ = camera;
  clip_ = clip;
  showMenu();
}

void MaskTools::setFrame(int64_t frame, QSize picture) {
  frame_ = frame;
  picture_ = picture;
  showMenu();
}

void MaskTools::showMenu() {
  end_->setEnabled(
      std::any_of(clip_.begin(), clip_.end(), [this](const MotionMask& m) { return m.holdsAt(frame_); }));
  drop_clip_->setEnabled(!clip_.empty());
  drop_camera_->setEnabled(!camera_.empty());
}

void MaskTools::begin(Scope scope) {
  scope_ = scope;
  button_->setText(tr("Drag over it…"));
}

void MaskTools::endHere() {
  std::vector<MotionMask> masks = clip_;
  for (MotionMask& m : masks)
    if (m.holdsAt(frame_)) m.last = frame_ + 1;
  Q_EMIT clipEdited(tr("End masks with a frame"), masks);
}

bool MaskTools::press(QPointF at) {
  if (!scope_ || picture_.isEmpty()) return false;
  from_ = at;
  drawn_ = QRectF(at, at);
  return true;
}

void MaskTools::drag(QPointF at) {
  if (drawn_) drawn_ = QRectF(from_, at).normalized();
}

void MaskTools::release(QPointF at) {
  if (!drawn_ || !scope_) return;
  const QRectF r = QRectF(from_, at).normalized();
  const Scope scope = *scope_;
  drawn_.reset();
  scope_.reset();
  button_->setText(tr("Masks"));
  if (r.width() < kSmallest_px || r.height() < kSmallest_px) return;
  const auto share = [&](double x, double y) {
    return Point{std::clamp((x + 0.5) / picture_.width(), 0.0, 1.0),
                 std::clamp((y + 0.5) / picture_.height(), 0.0, 1.0)};
  };
  MotionMask mask;
  mask.corners = {share(r.left(), r.top()), share(r.right(), r.top()), share(r.right(), r.bottom()),
                  share(r.left(), r.bottom())};
  if (scope == Scope::ClipFromHere) mask.first = frame_;
  std::vector<MotionMask> masks = scope == Scope::Camera ? camera_ : clip_;
  masks.push_back(mask);
  const QString what = tr("Mask what is not the scene");
  if (scope == Scope::Camera)
    Q_EMIT cameraEdited(what, masks);
  else
    Q_EMIT clipEdited(what, masks);
}

void MaskTools::draw(QPainter& p, const PictureView& view) const {
  const auto show = [&](const MotionMask& m, const QString& text) {
    if (!m.holdsAt(frame_)) return;
    QPolygonF outline;
    for (const Point& c : m.corners)
      outline << view.toScreen(QPointF(c.x * picture_.width() - 0.5, c.y * picture_.height() - 0.5));
    p.setPen(Qt::NoPen);
    p.setBrush(QColor(30, 31, 32, 165));
    p.drawPolygon(outline);
    drawTag(p, outline.boundingRect().topLeft() + QPointF(4, 16), text);
  };
  for (const MotionMask& m : camera_) show(m, tr("not the scene"));
  for (const MotionMask& m : clip_)
    show(m, m.first > 0 || m.last >= 0 ? tr("not the scene, frames %1 to %2")
                                             .arg(m.first + 1)
                                             .arg(m.last < 0 ? tr("the last") : QString::number(m.last))
                                       : tr("not the scene, in this clip"));
  if (drawn_)
    drawRimmed(p, QPolygonF(QRectF(view.toScreen(drawn_->topLeft()), view.toScreen(drawn_->bottomRight()))));
}

}  // namespace glenhaze::desktop
