#pragma once
// What is shown of a frame: as it is, one channel of it, or what noise removal took away; made off the
// interface thread, since a picture of 4K takes its time.

#include <QObject>

#include "desktop/background.h"
#include "desktop/compare/compare_bar.h"
#include "desktop/compare/preview.h"

namespace glenhaze::desktop {

struct ShownPictures {
  QImage first, second;  ///< corrected and source; `second` is empty where there is only one
  QSize size;            ///< of `first` at full size
};

/// `lift`: stops by which the exposure is lifted for viewing. Frames that carry no samples, as drafts and
/// cached ones, are shown as they are.
ShownPictures picturesOf(const PreviewFrame& frame, CompareBar::Look look, int lift);

class LookMaker : public QObject {
  Q_OBJECT
 public:
  explicit LookMaker(QObject* parent = nullptr);
  /// Answers with made(): at once where nothing has to be computed. While one is being made only the last
  /// one that was asked for meanwhile waits.
  void show(const PreviewFrame& frame, CompareBar::Look look, int lift);
  /// Nothing that was asked for arrives any more.
  void clear();

 Q_SIGNALS:
  void made(const glenhaze::desktop::ShownPictures& pictures);

 private:
  struct Wish {
    PreviewFrame frame;
    CompareBar::Look look;
    int lift;
  };
  void make(Wish wish);
  Background work_;
  std::optional<Wish> next_;
};

}  // namespace glenhaze::desktop
