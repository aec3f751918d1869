#pragma once
// What is shown of a frame: as it is, one channel of it, or what noise removal took away; made off the
// interface thread, since a picture of 4K takes its time.

#include <QObject>

#include "core/pipeline/correction.h"
#include "desktop/background.h"
#include "desktop/compare/compare_bar.h"
#include "desktop/compare/preview.h"

namespace glenhaze::desktop {

/// What the finish of edges is worked out from; `source`: size of the clip's pictures.
struct EdgeFinish {
  Correction correction;
  PictureSize source;
};

struct ShownPictures {
  QImage first, second;  ///< corrected and source; `second` is empty where there is only one
  QSize size;            ///< of `first` at full size
};

/// `lift`: stops by which the exposure is lifted for viewing. Frames that carry no samples, as drafts and
/// cached ones, are shown as they are. `edges`: for that look; null where edges are not finished.
ShownPictures picturesOf(const PreviewFrame& frame, CompareBar::Look look, int lift, const EdgeFinish* edges);

class LookMaker : public QObject {
  Q_OBJECT
 public:
  explicit LookMaker(QObject* parent = nullptr);
  /// Answers with made(): at once where nothing has to be computed. While one is being made only the last
  /// one that was asked for meanwhile waits.
  void show(const PreviewFrame& frame, CompareBar::Look look, int lift);
  /// Of the clip that is shown.
  void setCorrection(const Correction& correction, PictureSize source);
  /// Nothing that was asked for arrives any more.
  void clear();

 Q_SIGNALS:
  void made(const glenhaze::desktop::ShownPictures& pictures);

 private:
  struct Wish {
    PreviewFrame frame;
    CompareBar::Look look;
    int lift;
    std::shared_ptr<const EdgeFinish> edges;
  };
  void make(Wish wish);
  Background work_;
  std::optional<Wish> next_;
  std::shared_ptr<const EdgeFinish> edges_;
};

}  // namespace glenhaze::desktop
