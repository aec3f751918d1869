#include "desktop/bench/window_tools.h"

#include <QDoubleSpinBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QSignalBlocker>
#include <algorithm>
#include <cmath>

#include "desktop/widgets/look.h"
#include "desktop/widgets/panels.h"
#include "desktop/widgets/picture_view.h"

namespace glenhaze::desktop {

namespace {

constexpr double kSmallest = 0.1, kFarthest = 0.45;

// One frame of the clip as it is seen under a view.
class ShownFrame {
 public:
  ShownFrame(const MotionAnswer& motion, const MotionRequest& request, const VirtualFrame& view,
             int64_t frame)
      : lens_(request.lens),
        window_(request.lens, request.window),
        map_(motion.finding.path, motion.shutter, static_cast<size_t>(frame), view, lens_, window_) {}
  const FrameMap& map() const { return map_; }
  const LensWindow& window() const { return window_; }

 private:
  LensMap lens_;
  LensWindow window_;
  FrameMap map_;
};

}  // namespace

WindowTools::WindowTools(QWidget* parent) : PictureTool(parent) {
  size_ = new QDoubleSpinBox;
  size_->setRange(kSmallest * 100, 100);
  size_->setDecimals(0);
  size_->setSuffix(QStringLiteral("\u2009%"));
  size_->setKeyboardTracking(false);
  size_->setAccessibleName(tr("Size of the window"));
  size_->setToolTip(tr("Share of the width that is delivered at this frame (+ and −)"));
  connect(size_, &QDoubleSpinBox::valueChanged, this, [this](double v) {
    WindowKey key = now_;
    key.size = v / 100;
    moveTo(key);
  });
  row()->addWidget(size_);
  keep_ =
      addButton(tr("Keep key"), tr("The window lies like this at this frame (Return)"), [this] { keep(); });
  drop_ = addButton(tr("Drop key"), tr("Drop the key of this frame (Delete)"), [this] { drop(); });
  whole_ = addButton(tr("Whole again"), tr("Drop all keys: the window takes what it can"),
                     [this] { Q_EMIT kept(tr("Drop the window's keys"), {}); });
  text_ = quietLabel();
  text_->setWordWrap(false);
  text_->setToolTip(tr(
      "Drag the window, or move it with the arrow keys (Shift by 10 px, Ctrl by a tenth), so that what is in "
      "the way falls outside. Straight from key to key."));
  row()->addWidget(text_, 1);
}

void WindowTools::setMotion(std::shared_ptr<const MotionAnswer> motion,
                            const std::optional<MotionRequest>& request) {
  motion_ = std::move(motion);
  request_ = request;
  keys_ = request ? request->settings.window : std::vector<WindowKey>{};
  std::sort(keys_.begin(), keys_.end(), [](const auto& a, const auto& b) { return a.frame < b.frame; });
  now_ = windowAt(keys_, now_.frame);
  show();
}

void WindowTools::setFrame(int64_t frame) {
  if (frame == now_.frame || dragged_from_) return;
  now_ = windowAt(keys_, frame);
  now_.frame = frame;
  show();
}

std::vector<WindowKey> WindowTools::others() const {
  std::vector<WindowKey> keys = keys_;
  std::erase_if(keys, [this](const WindowKey& k) { return k.frame == now_.frame; });
  return keys;
}

bool WindowTools::isKey() const { return others().size() != keys_.size(); }

bool WindowTools::known() const {
  return motion_ && request_ && now_.frame >= 0 &&
         now_.frame < static_cast<int64_t>(motion_->stabilized.frames.size());
}

void WindowTools::keep() {
  std::vector<WindowKey> keys = others();
  keys.insert(std::upper_bound(keys.begin(), keys.end(), now_,
                               [](const auto& a, const auto& b) { return a.frame < b.frame; }),
              now_);
  Q_EMIT kept(tr("Place the window"), keys);
}

void WindowTools::drop() {
  if (isKey()) Q_EMIT kept(tr("Drop a key of the window"), others());
}

void WindowTools::moveTo(WindowKey key) {
  key.size = std::clamp(key.size, kSmallest, 1.0);
  key.offset = {std::clamp(key.offset.x, -kFarthest, kFarthest),
                std::clamp(key.offset.y, -kFarthest, kFarthest)};
  now_ = key;
  show();
  Q_EMIT changed();
}

// The frame's view with the window where it is being put. The scale it needs to stay filled is known only
// when the key is kept.
VirtualFrame WindowTools::viewNow() const {
  VirtualFrame view = motion_->stabilized.frames[static_cast<size_t>(now_.frame)];
  view.zoom *= windowAt(keys_, now_.frame).size / now_.size;
  view.offset = now_.offset;
  return view;
}

void WindowTools::show() {
  const QSignalBlocker quiet(size_);
  size_->setValue(now_.size * 100);
  drop_->setEnabled(isKey());
  whole_->setEnabled(!keys_.empty());
  keep_->setEnabled(known());
  if (!known()) return text_->setText({});
  const LensWindow window(request_->lens, request_->window);
  const double zoom = window.zoom() * viewNow().zoom;
  text_->setText(tr("%1 × %2 px of the source for %3 × %4%5")
                     .arg(std::lround(window.width() / zoom))
                     .arg(std::lround(window.height() / zoom))
                     .arg(window.width())
                     .arg(window.height())
                     .arg(isKey() ? tr(" · key") : QString()));
}

bool WindowTools::key(int key, Qt::KeyboardModifiers modifiers) {
  if (!known()) return false;
  const double step = stepOf(modifiers);
  if (const QPointF arrow = arrowOf(key); !arrow.isNull()) {
    WindowKey moved = now_;
    const LensWindow window(request_->lens, request_->window);
    moved.offset =
        moved.offset + Point{arrow.x() * step / window.width(), arrow.y() * step / window.height()};
    moveTo(moved);
    return true;
  }
  WindowKey sized = now_;
  switch (key) {
    case Qt::Key_Minus:
      sized.size -= 0.01 * step;
      moveTo(sized);
      return true;
    case Qt::Key_Plus:
    case Qt::Key_Equal:
      sized.size += 0.01 * step;
      moveTo(sized);
      return true;
    default:
      return keepOrDrop(key, modifiers);
  }
}

bool WindowTools::press(QPointF at) {
  if (!active_ || !known()) return false;
  dragged_from_ = at;
  before_drag_ = now_;
  return true;
}

void WindowTools::drag(QPointF at) {
  if (!dragged_from_ || !known()) return;
  // Both places in the window's own plane, under the view that the drag began with.
  VirtualFrame view = motion_->stabilized.frames[static_cast<size_t>(now_.frame)];
  view.offset = before_drag_.offset;
  const ShownFrame frame(*motion_, *request_, view, now_.frame);
  const auto a = frame.map().toOutput({dragged_from_->x(), dragged_from_->y()}),
             b = frame.map().toOutput({at.x(), at.y()});
  if (!a || !b) return;
  WindowKey moved = before_drag_;
  moved.offset = before_drag_.offset + Point{(b->x - a->x) / (view.zoom * frame.window().width()),
                                             (b->y - a->y) / (view.zoom * frame.window().height())};
  moveTo(moved);
}

void WindowTools::release(QPointF) {
  if (!dragged_from_) return;
  dragged_from_.reset();
  if (!(now_ == before_drag_)) keep();
}

void WindowTools::draw(QPainter& p, const PictureView& view) const {
  if (!known()) return;
  const ShownFrame frame(*motion_, *request_, viewNow(), now_.frame);
  const double w = frame.window().width() - 1, h = frame.window().height() - 1;
  QPolygonF outline;
  constexpr int kSteps = 24;
  const auto add = [&](double x, double y) {
    if (const auto s = frame.map().toSource({x, y})) outline << view.toScreen(QPointF(s->x, s->y));
  };
  for (int i = 0; i < kSteps; ++i) add(w * i / kSteps, 0);
  for (int i = 0; i < kSteps; ++i) add(w, h * i / kSteps);
  for (int i = 0; i < kSteps; ++i) add(w - w * i / kSteps, h);
  for (int i = 0; i <= kSteps; ++i) add(0, h - h * i / kSteps);
  drawRimmed(p, outline, 1.8);
  if (!outline.isEmpty()) drawTag(p, outline.front() + QPointF(8, 22), tr("delivered"));
}

}  // namespace glenhaze::desktop
