#include "desktop/bench/hand_tools.h"

#include <QHBoxLayout>
#include <QPushButton>

#include "desktop/compare/preview.h"
#include "desktop/widgets/look.h"
#include "desktop/widgets/panels.h"

namespace glenhaze::desktop {

HandTools::HandTools(QWidget* parent) : PictureTool(parent) {
  addButton(tr("Freeze this frame"), tr("Lay this frame over all others; keys kept so far are dropped"),
            [this] {
              if (align_.hasFrame()) Q_EMIT kept(tr("Freeze a frame"), align_.frozenHere());
            });
  keep_ = addButton(tr("Keep key"), tr("The frozen frame lies right here (Return)"), [this] { keep(); });
  drop_ = addButton(tr("Drop key"), tr("Drop the key of this frame (Delete)"), [this] { drop(); });
  text_ = quietLabel();
  text_->setWordWrap(false);
  row()->addWidget(text_, 1);
  connect(&align_, &HandAlign::changed, this, &PictureTool::changed);
}

void HandTools::keep() {
  if (align_.ready()) Q_EMIT kept(tr("Keep a key by hand"), align_.withNow());
}
void HandTools::drop() { Q_EMIT kept(tr("Drop a key by hand"), align_.withoutNow()); }

bool HandTools::key(int key, Qt::KeyboardModifiers modifiers) {
  const double step = stepOf(modifiers);
  if (const QPointF arrow = arrowOf(key); !arrow.isNull()) {
    align_.nudge(arrow * step, 0, 1);
    return true;
  }
  switch (key) {
    case Qt::Key_BracketLeft:
      align_.nudge({}, -0.1 * step, 1);
      return true;
    case Qt::Key_BracketRight:
      align_.nudge({}, 0.1 * step, 1);
      return true;
    case Qt::Key_Minus:
      align_.nudge({}, 0, 1 / (1 + 0.001 * step));
      return true;
    case Qt::Key_Plus:
    case Qt::Key_Equal:
      align_.nudge({}, 0, 1 + 0.001 * step);
      return true;
    default:
      return keepOrDrop(key, modifiers);
  }
}

QImage HandTools::picture() {
  const auto difference = align_.difference();
  keep_->setEnabled(align_.ready());
  drop_->setEnabled(align_.isKey());
  if (!difference) {
    text_->setText(align_.keys().empty() ? tr("Freeze the frame that the others are laid under.")
                                         : QString());
    return {};
  }
  const HandKey& k = align_.now();
  const double w = difference->picture.width;
  text_->setText(tr("%1, %2 px · %3 · %4 · differs by %5%6")
                     .arg(withUnit(k.shift.x * w, 1, {}), withUnit(k.shift.y * w, 1, {}),
                          withUnit(k.turn_deg, 2, QStringLiteral("°")),
                          withUnit(k.scale, 3, QStringLiteral("×")), withUnit(difference->mean, 1, {}),
                          align_.isKey() ? tr(" · key") : QString()));
  text_->setToolTip(
      tr("Arrow keys shift by a pixel (Shift 10, Ctrl 0.1), [ and ] turn, + and − scale; a double "
         "click puts the pivot. Black is right. Masked parts are left out."));
  return imageOf(difference->picture);
}

}  // namespace glenhaze::desktop
