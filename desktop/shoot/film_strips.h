#pragma once
// Small strips of frames for the ledger, made in the background and kept.

#include <QHash>
#include <QImage>
#include <QObject>
#include <QSet>
#include <QThreadPool>

#include "core/media/clip_info.h"

namespace glenhaze::desktop {

class FilmStrips : public QObject {
  Q_OBJECT
 public:
  static constexpr int kFrames = 5, kWidth = 20, kHeight = 31;

  explicit FilmStrips(QObject* parent = nullptr);

  /// The strip of a clip, null while it is being made; asks for it then.
  QImage strip(const ClipInfo& clip);

 Q_SIGNALS:
  void ready();

 private:
  QHash<QString, QImage> strips_;
  QSet<QString> asked_;
  QThreadPool pool_;  // see runElsewhere()
};

}  // namespace glenhaze::desktop
