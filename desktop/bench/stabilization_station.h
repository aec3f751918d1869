#pragma once
// The stabilization station of the bench: the camera's path through a clip, what becomes of it, and what it
// costs. Set on one clip, kept as the camera's default.

#include "desktop/bench/station.h"
#include "desktop/compare/preview.h"
#include "desktop/session.h"
#include "desktop/widgets/picture_view.h"

class QCheckBox;
class QComboBox;
class QLabel;
class QProgressBar;
class QPushButton;
class QSlider;

namespace glenhaze::desktop {

class HandTools;
class MaskTools;
class PathPlot;
class PictureTool;
class StabilizationForm;
class WindowTools;

class StabilizationStation : public BenchStation {
  Q_OBJECT
 public:
  explicit StabilizationStation(Session& session, QWidget* parent = nullptr);
  void setCamera(int clip, const Profile& profile) override;
  /// The clip itself is what is looked at.
  void setShot(const ClipInfo&) override {}
  void putIntoProfile() override;
  void goTo(qint64 frame);
  StabilizationForm& form() { return *form_; }
  HandTools& hand() { return *hand_; }
  WindowTools& window() { return *window_; }
  MaskTools& masks() { return *masks_; }
  /// 0: source with its window; 1: result; 2: difference to the frozen frame, for aligning by hand; 3: the
  /// window placed by hand.
  void setLook(int look);
  /// True when the path under the settings shown is known.
  bool settled() const { return motion_ != nullptr; }

 protected:
  void keyPressEvent(QKeyEvent* event) override;
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  QWidget* buildTools();
  QWidget* buildFindings();
  void wireTools();
  void wireView();
  void showLook();
  PictureTool* tool() const;
  void takeFrame(const PreviewFrame& frame);
  void keepHand(const QString& what, const std::vector<HandKey>& keys);
  void chooseLog();
  void refresh();
  void showFindings();
  void showPicture();
  void showMasks(const Profile& profile, const ShootClip& clip);
  void edit(const StabilizationSettings& settings, const QString& what);
  void changeMasks(const QString& what, const std::function<void(std::vector<MotionMask>&)>& change);
  void drawOver(QPainter& painter, const PictureView& view);
  void drawTracks(QPainter& painter, const PictureView& view);
  std::optional<MotionRequest> request() const;
  const ClipPlan* plan() const;
  void say(const QString& text);

  Session& session_;
  Preview preview_, frozen_;
  PreviewFrame frame_;
  PictureView* view_ = nullptr;
  PathPlot* plot_ = nullptr;
  StabilizationForm* form_ = nullptr;
  QSlider* slider_ = nullptr;
  QComboBox* look_ = nullptr;
  QCheckBox* tracks_ = nullptr;
  HandTools* hand_ = nullptr;
  WindowTools* window_ = nullptr;
  MaskTools* masks_ = nullptr;
  PictureTool* taken_ = nullptr;  // has the mouse until it is released
  QPushButton *log_ = nullptr, *put_ = nullptr, *follow_ = nullptr;
  QLabel *headline_ = nullptr, *note_ = nullptr, *budget_ = nullptr, *doubts_ = nullptr, *advice_ = nullptr,
         *assumed_ = nullptr, *hint_ = nullptr;
  QProgressBar* progress_ = nullptr;
  std::shared_ptr<const MotionAnswer> motion_;
  std::filesystem::path path_;
  Correction shown_;
  int clip_ = -1;
};

}  // namespace glenhaze::desktop
