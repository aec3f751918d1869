#pragma once
// What every station of the bench is to the bench.

#include <QVBoxLayout>
#include <QWidget>
#include <vector>

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
  /// The other shots that suit the camera and mode.
  virtual void setOffered(const std::vector<ClipInfo>&) {}
  virtual void putIntoProfile() = 0;

 protected:
  /// Tools, picture and position above the evidence; findings beside them. Sizes are remembered under `name`.
  void arrange(QWidget* tools, QWidget* picture, QWidget* position, QWidget* evidence, QWidget* findings,
               const QString& name);
  /// The dark panel of findings, its column, and the "Put into profile" button that ends it.
  static std::pair<QWidget*, QVBoxLayout*> findingsPanel();
  class QPushButton* putButton(const QString& tip);
  class QProgressBar* progressBar();
};

}  // namespace glenhaze::desktop
