#pragma once
// Up to four settings of noise removal side by side on one frame, each with what it did. They move together.

#include <QWidget>
#include <array>
#include <vector>

#include "core/media/clip_info.h"
#include "core/pipeline/variants.h"
#include "desktop/background.h"

class QLabel;
class QPushButton;

namespace glenhaze::desktop {

class PictureView;

class VariantBoard : public QWidget {
  Q_OBJECT
 public:
  static constexpr size_t kMost = 4;
  explicit VariantBoard(QWidget* parent = nullptr);
  /// What is looked at. The first variant is always what is set for the clip; the others stay.
  void setFrame(const ClipInfo& clip, Fields fields, int64_t frame, const Correction& correction);
  /// Exposure lifted for viewing only, stops.
  void setLift(int stops);
  void setZoom(double zoom);
  void centreOn(QPointF picture);
  const std::vector<DenoiseSettings>& variants() const { return variants_; }
  bool settled() const { return settled_; }

 Q_SIGNALS:
  /// The clip is to be treated like this.
  void chosen(const glenhaze::DenoiseSettings& settings);

 private:
  struct Tile {
    QWidget* box = nullptr;
    QLabel *name = nullptr, *figures = nullptr;
    PictureView* view = nullptr;
    QPushButton *use = nullptr, *hold = nullptr;
    QImage image;
    QSize size;
  };
  Tile makeTile(size_t which);
  void refresh();
  void show(const std::vector<VariantFrame>& results);
  void present();
  void follow(size_t leader);

  std::array<Tile, kMost> tiles_;
  std::vector<DenoiseSettings> variants_;
  ClipInfo clip_;
  Fields fields_ = Fields::Keep;
  Correction correction_;
  int64_t frame_ = -1;
  int lift_ = 0;
  bool following_ = false, settled_ = false;
  Background work_;
};

/// How settings differ from others, in words: "luma 0.6× · frames ±2"; "as set" where they do not.
QString differenceText(const DenoiseSettings& settings, const DenoiseSettings& from);

}  // namespace glenhaze::desktop
