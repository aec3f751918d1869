#include "desktop/run/run_sight.h"

#include <QCoreApplication>
#include <QPainter>
#include <numeric>

#include "desktop/compare/preview.h"
#include "desktop/widgets/look.h"

namespace glenhaze::desktop {

namespace {

// In the order a frame passes them, each in the words of what it does.
QString stageName(int stage) {
  static constexpr std::array<const char*, RenderWatch::kStages> kNames = {
      QT_TRANSLATE_NOOP("RunSight", "read"), QT_TRANSLATE_NOOP("RunSight", "clean"),
      QT_TRANSLATE_NOOP("RunSight", "straighten and steady"), QT_TRANSLATE_NOOP("RunSight", "finish"),
      QT_TRANSLATE_NOOP("RunSight", "encode")};
  return QCoreApplication::translate("RunSight", kNames[static_cast<size_t>(stage)]);
}

constexpr double kBar_px = 8, kLeast = 0.005;  // a share below it is not worth a word

}  // namespace

RunSight::RunSight(QWidget* parent) : QWidget(parent) {
  setFixedHeight(kHeight);
  setAccessibleName(tr("What is being rendered"));
  setToolTip(tr("The frame that was finished last, and what share of the work each step has"));
}

void RunSight::show(const std::shared_ptr<const RenderWatch>& watch, const QString& clip) {
  shares_ = watch ? watch->seconds() : RenderWatch::Seconds{};
  const double all = std::accumulate(shares_.begin(), shares_.end(), 0.0);
  for (double& share : shares_) share = all > 0 ? share / all : 0;
  const auto frame = watch ? watch->sight() : nullptr;
  if (frame != frame_) {
    frame_ = frame;
    picture_ = frame ? imageOf(*frame) : QImage();
  }
  clip_ = clip;
  update();
}

void RunSight::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHints(QPainter::Antialiasing | QPainter::SmoothPixmapTransform);
  const QRectF place(0, 0, kHeight * 16.0 / 9, kHeight);
  p.fillRect(place, look::kSurround);
  if (!picture_.isNull()) {
    const QSizeF size = QSizeF(picture_.size()).scaled(place.size(), Qt::KeepAspectRatio);
    p.drawImage(QRectF(place.center() - QPointF(size.width() / 2, size.height() / 2), size), picture_);
  }
  const QRectF beside(place.right() + 18, 8, width() - place.right() - 18, kHeight - 16.0);
  p.setFont(textFont(13, true));
  p.setPen(look::kText);
  p.drawText(beside, static_cast<int>(Qt::AlignLeft | Qt::AlignTop),
             QFontMetricsF(p.font()).elidedText(clip_, Qt::ElideMiddle, beside.width()));
  paintShares(p, beside.adjusted(0, 34, 0, 0));
}

// Parts of one line, told apart by the gaps between them and the words below.
void RunSight::paintShares(QPainter& p, const QRectF& area) const {
  p.setFont(textFont(11));
  p.setPen(look::kQuiet);
  const double line = QFontMetricsF(p.font()).height();
  p.drawText(QRectF(area.left(), area.top(), area.width(), line), static_cast<int>(Qt::AlignLeft),
             tr("Where the time goes"));
  const double width = std::min(area.width(), 620.0), top = area.top() + line + 5;
  double left = area.left(), text_left = area.left(), text_top = top + kBar_px + 7;
  p.fillRect(QRectF(left, top, width, kBar_px), look::kLine);
  for (int stage = 0; stage < RenderWatch::kStages; ++stage) {
    const double share = shares_[static_cast<size_t>(stage)];
    if (share < kLeast) continue;
    const QRectF part(left, top, share * width, kBar_px);
    p.fillRect(part.adjusted(0, 0, -2, 0), stage % 2 == 0 ? look::kPaper : look::kQuiet);
    left = part.right();
    const QString text = stageName(stage) + QLatin1Char(' ') + withUnit(share * 100, 0, QStringLiteral("%"));
    const double wide = QFontMetricsF(p.font()).horizontalAdvance(text);
    if (text_left > area.left() && text_left + wide > area.left() + width) {
      text_left = area.left();
      text_top += line + 2;
    }
    p.setPen(look::kText);
    p.drawText(QRectF(text_left, text_top, wide + 2, line), static_cast<int>(Qt::AlignLeft), text);
    text_left += wide + 18;
  }
}

}  // namespace glenhaze::desktop
