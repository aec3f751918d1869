#include "desktop/compare/pin_strip.h"

#include <QPainter>
#include <QVBoxLayout>

#include "desktop/widgets/look.h"
#include "desktop/widgets/panels.h"

namespace glenhaze::desktop {

PinStrip::PinStrip(QWidget* parent) : QWidget(parent) {
  auto* layout = new QVBoxLayout(this);
  layout->setContentsMargins(0, 0, 0, 0);
  head_ = quietLabel(QObject::tr("Double-click the picture to pin a place"));
  layout->addWidget(head_);
  for (size_t i = 0; i < kMost; ++i) {
    auto* label = new QLabel;
    label->setFixedSize(242, 96);
    label->setAccessibleName(QObject::tr("Pinned place %1").arg(i + 1));
    label->setVisible(false);
    views_.push_back(label);
    layout->addWidget(label);
  }
}

void PinStrip::show(const std::vector<QPointF>& pins, const QImage& source, const QImage& corrected) {
  head_->setVisible(pins.empty());
  for (size_t i = 0; i < views_.size(); ++i) {
    QLabel* label = views_[i];
    label->setVisible(i < pins.size());
    if (i >= pins.size() || corrected.isNull()) continue;
    // In the screen's own pixels, so that it is sharp on dense ones.
    QPixmap pixmap(label->size() * devicePixelRatioF());
    pixmap.setDevicePixelRatio(devicePixelRatioF());
    pixmap.fill(look::kSurround);
    QPainter p(&pixmap);
    const int w = 60, h = 48;
    const QPoint c = pins[i].toPoint();
    const QRect place(c.x() - w / 2, c.y() - h / 2, w, h);
    p.drawImage(QRect(0, 0, 2 * w - 1, 2 * h), source, place);
    p.drawImage(QRect(2 * w + 1, 0, 2 * w, 2 * h), corrected, place);
    p.end();
    label->setPixmap(pixmap);
  }
}

}  // namespace glenhaze::desktop
