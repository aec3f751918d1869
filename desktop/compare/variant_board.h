#pragma once
// Up to four settings of noise removal side by side on one frame, each with what it did. They move together.

#include <QImage>
#include <array>
#include <vector>

#include "core/media/clip_info.h"
#include "core/pipeline/variants.h"
#include "desktop/background.h"
#include "desktop/compare/tile_board.h"

namespace glenhaze::desktop {

class VariantBoard : public TileBoard {
  Q_OBJECT
 public:
  explicit VariantBoard(QWidget* parent = nullptr);
  /// What is looked at. The first variant is always what is set for the clip; the others stay.
  void setFrame(const ClipInfo& clip, Fields fields, int64_t frame, const Correction& correction);
  /// Exposure lifted for viewing only, stops.
  void setLift(int stops);
  const std::vector<DenoiseSettings>& variants() const { return variants_; }
  bool settled() const { return settled_; }

 Q_SIGNALS:
  /// The clip is to be treated like this.
  void chosen(const glenhaze::DenoiseSettings& settings);

 private:
  void refresh();
  void show(const std::vector<VariantFrame>& results);
  void present();

  std::array<std::pair<QImage, QSize>, kMost> pictures_;
  std::vector<DenoiseSettings> variants_;
  ClipInfo clip_;
  Fields fields_ = Fields::Keep;
  Correction correction_;
  int64_t frame_ = -1;
  int lift_ = 0;
  bool settled_ = false;
  Background work_;
};

/// How settings differ from others, in words: "luma 0.6× · 2 frames ahead"; "as set" where they do not.
QString differenceText(const DenoiseSettings& settings, const DenoiseSettings& from);

}  // namespace glenhaze::desktop
