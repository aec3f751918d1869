#pragma once
// What every station of the bench is to the bench.

#include <QWidget>

#include "core/media/clip_info.h"
#include "core/profile/profile.h"

namespace glenhaze::desktop {

class BenchStation : public QWidget {
  Q_OBJECT
 public:
  using QWidget::QWidget;
  /// The clip whose camera and mode are measured, and the profile they have now.
  virtual void setCamera(int clip, const Profile& profile) = 0;
  /// The reference shot to measure from.
  virtual void setShot(const ClipInfo& shot) = 0;
  virtual void putIntoProfile() = 0;
};

}  // namespace glenhaze::desktop
