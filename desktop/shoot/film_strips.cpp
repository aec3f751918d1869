#include "desktop/shoot/film_strips.h"

#include <QPainter>

#include "core/base/error.h"
#include "core/frame/rgb.h"
#include "core/media/reader.h"
#include "desktop/elsewhere.h"

namespace glenhaze::desktop {

namespace {

QImage makeStrip(const ClipInfo& clip) {
  constexpr int kScale = 2;  // sharp on dense screens
  constexpr int w = FilmStrips::kWidth * kScale, h = FilmStrips::kHeight * kScale;
  QImage strip(w * FilmStrips::kFrames, h, QImage::Format_RGB32);
  strip.fill(Qt::black);
  QPainter painter(&strip);
  try {
    ClipReader reader(clip, {1, Fields::Keep});
    for (int i = 0; i < FilmStrips::kFrames; ++i) {
      const int64_t at = clip.frames * i / FilmStrips::kFrames;
      // The nearest key frame before will do, and is much quicker.
      auto frame = reader.keyFrame(at);
      if (!frame) {
        reader.seek(at);
        frame = reader.landing();
      }
      if (!frame) frame = reader.next();
      if (!frame) break;
      const int height = h, width = frame->width * h / std::max(1, frame->height);
      const ScreenPicture picture = toScreen(*frame, std::max(w, width), height);
      const QImage image(picture.bgrx.data(), picture.width, picture.height, picture.width * 4,
                         QImage::Format_RGB32);
      // The middle of the picture, as much as fits.
      painter.drawImage(QRect(i * w, 0, w - kScale, h), image,
                        QRect((picture.width - w) / 2, 0, w - kScale, h));
    }
  } catch (const std::exception&) {
    // A clip that cannot be read shows an empty strip; the ledger says why in words.
  }
  return strip;
}

}  // namespace

FilmStrips::FilmStrips(QObject* parent) : QObject(parent) {
  pool_.setMaxThreadCount(1);
  pool_.setThreadPriority(QThread::LowPriority);
}

QImage FilmStrips::strip(const ClipInfo& clip) {
  const QString key = QString::fromStdString(clip.path.string());
  const auto known = strips_.constFind(key);
  if (known != strips_.constEnd()) return *known;
  if (clip.width <= 0 || asked_.contains(key)) return {};
  asked_.insert(key);
  runElsewhere(
      pool_, this, [clip] { return makeStrip(clip); },
      [this, key](const QImage& strip) {
        strips_.insert(key, strip);
        Q_EMIT ready();
      });
  return {};
}

}  // namespace glenhaze::desktop
