#pragma once
// The source and up to three strengths of stabilization side by side, playing: steadiness shows in motion
// only.

#include <QImage>
#include <array>
#include <memory>
#include <vector>

#include "core/pipeline/steady_variants.h"
#include "desktop/background.h"
#include "desktop/compare/tile_board.h"
#include "desktop/picture_cache.h"

namespace glenhaze::desktop {

class SteadyBoard : public TileBoard {
  Q_OBJECT
 public:
  static constexpr int64_t kMostFrames = 75;
  explicit SteadyBoard(std::shared_ptr<PictureCache> pictures, QWidget* parent = nullptr);
  ~SteadyBoard() override;
  /// What is looked at; frames of `range` are made in the background. Without an answer the board is empty
  /// and says `why`.
  void setClip(const MotionRequest& request, const Correction& correction,
               std::shared_ptr<const MotionAnswer> answer, FrameRange range, const QString& why);
  /// Shows the frame if it is there.
  void showFrame(int64_t index);
  /// The frame after it that is there, from the beginning again behind the last; −1 when there is none.
  int64_t after(int64_t index) const;
  bool settled() const { return !work_.busy() && pictures_->usedBy(owner_) > 0; }
  /// The settings of the tiles after the source.
  const std::vector<StabilizationSettings>& strengths() const { return strengths_; }

 Q_SIGNALS:
  /// The clip is to be steadied like this.
  void chosen(const glenhaze::StabilizationSettings& settings);
  void filled(qint64 index);

 private:
  struct Pictures {
    std::array<QImage, kMost> images;
  };
  void begin(const MotionRequest& request, const Correction& correction, const MotionAnswer& answer,
             FrameRange range);
  void nameTiles(const std::vector<StabilizedClip>& clips);
  std::vector<StabilizationSettings> strengths_;
  const std::shared_ptr<PictureCache> pictures_;
  const int owner_;
  std::string key_;
  Correction correction_;
  QSize size_;
  Background work_;
};

/// "smooth 0.8 s", "held still", "as filmed".
QString strengthText(const StabilizationSettings& settings);

}  // namespace glenhaze::desktop
