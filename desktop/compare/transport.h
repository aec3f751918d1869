#pragma once
// Frame by frame, playing, in and out points, and the position in a clip.

#include <QWidget>
#include <optional>

#include "core/media/writer.h"

class QLabel;
class QPushButton;

namespace glenhaze::desktop {

class PositionSlider;

class Transport : public QWidget {
  Q_OBJECT
 public:
  explicit Transport(QWidget* parent = nullptr);
  void setFrames(int64_t frames);
  void setFrame(int64_t frame);
  void setRendered(std::optional<FrameRange> range);
  void setPlaying(bool playing);
  void setText(const QString& text);
  void setReady(int64_t frames);
  /// `why_not`: why it cannot be heard; "" where it can.
  void setSound(bool on, const QString& why_not);
  void setOverTime(bool on);
  void toggleOverTime();
  void toggleAligned();

 Q_SIGNALS:
  void moved(qint64 frame);
  void stepped(int by);
  void playPressed();
  void inPressed();
  void outPressed();
  void wholePressed();
  void keepPressed();
  void overTimeToggled(bool on);
  void alignedToggled(bool on);
  void soundToggled(bool on);

 private:
  PositionSlider* slider_ = nullptr;
  QPushButton *play_ = nullptr, *over_time_ = nullptr, *aligned_ = nullptr, *sound_ = nullptr;
  QLabel* position_ = nullptr;
};

}  // namespace glenhaze::desktop
