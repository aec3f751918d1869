#pragma once
// Aligning by hand without widgets: a frozen frame, the keys kept so far, and the one being nudged.

#include <QObject>
#include <optional>
#include <vector>

#include "core/motion/hand.h"

namespace glenhaze::desktop {

class HandAlign : public QObject {
  Q_OBJECT
 public:
  using QObject::QObject;

  /// The clip's keys as they are; the first one's frame is the frozen one.
  void setKeys(const std::vector<HandKey>& keys);
  const std::vector<HandKey>& keys() const { return keys_; }
  /// The frame that is laid over the others; −1: none is frozen yet.
  int64_t frozenFrame() const { return keys_.empty() ? -1 : keys_.front().frame; }
  void setFrozen(const Frame& frame) { frozen_ = frame; }
  bool ready() const { return frozen_.width > 0 && !keys_.empty(); }

  /// Parts that move on their own are left out of the difference.
  void setLeftOut(const std::vector<MotionMask>& masks);
  /// The frame looked at: the key being nudged begins with what holds there.
  void setFrame(const Frame& frame);
  bool hasFrame() const { return frame_.width > 0; }
  const HandKey& now() const { return now_; }
  /// Picture pixels, degrees clockwise, and a factor.
  void nudge(QPointF by_px, double turn_deg, double scale);
  /// Where the picture turns and scales about, picture pixels.
  void setPivot(QPointF at_px);

  /// How the frozen frame differs from the one looked at; empty before both are there.
  std::optional<Difference> difference() const;

  /// Keys as they would be: begun anew from the frame looked at, with the key being nudged, or without the
  /// one of this frame.
  std::vector<HandKey> frozenHere() const;
  std::vector<HandKey> withNow() const;
  std::vector<HandKey> withoutNow() const;
  bool isKey() const;

 Q_SIGNALS:
  void changed();

 private:
  std::vector<HandKey> keys_;
  Frame frozen_, frame_;
  std::vector<MotionMask> left_out_;
  HandKey now_;
};

}  // namespace glenhaze::desktop
