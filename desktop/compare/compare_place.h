#pragma once
// Compare: does it look right?

#include <QTimer>
#include <QWidget>
#include <vector>

#include "desktop/compare/compare_state.h"
#include "desktop/compare/look_maker.h"
#include "desktop/compare/loop_sound.h"
#include "desktop/compare/moments.h"
#include "desktop/compare/own_marks.h"
#include "desktop/compare/preview.h"
#include "desktop/compare/straight_edge.h"
#include "desktop/keys_sheet.h"
#include "desktop/session.h"
#include "desktop/widgets/picture_view.h"

class QLabel;
class QPushButton;
class QStackedWidget;

namespace glenhaze::desktop {

class ClipForm;
class NoiseForm;
class MomentStrip;
class PlainControls;
class PinStrip;
class SteadyBoard;
class Transport;
class VariantBoard;

class ComparePlace : public QWidget {
  Q_OBJECT
 public:
  explicit ComparePlace(Session& session, QWidget* parent = nullptr);
  /// What keyPressEvent() takes, in words.
  static std::vector<KeyLine> keys();
  PictureView& view() { return *view_; }
  CompareState& state() { return state_; }
  /// The frame shown last in full.
  const PreviewFrame& shown() const { return current_; }
  /// True when what is shown is the frame that was asked for.
  bool settled() const { return state_.hasClip() && shown_ == state_.frame(); }
  /// True when at least a draft of it is shown.
  bool answered() const { return settled() || (state_.hasClip() && drafted_ == state_.frame()); }
  /// True when the frame that was asked for is shown, at least as a draft, and not another one near it.
  bool drafted() const { return answered() && in_sight_ == state_.frame(); }
  /// How many frames of the loop can be played.
  int64_t loopReady() const { return preview_.loopFilled(); }
  void layStraightEdge(QPointF a, QPointF b);
  void addPin(QPointF at);
  /// 0: divider; 1: side by side; 2: corrected only; 3: noise removal, 4: stabilization in variants.
  void setLayoutMode(int mode);
  MomentStrip& momentStrip() { return *strip_; }
  Moments& moments() { return moments_; }
  /// Shows the clip over time, below the picture.
  void setOverTime(bool on);
  VariantBoard& board() { return *board_; }
  SteadyBoard& steadyBoard() { return *steady_board_; }
  /// 0: all channels; 1 to 3: luma, Cb, Cr alone with raised contrast; 4: what noise removal took away; 5:
  /// what moves on its own; 6: what the finish changes at edges.
  void setLook(int look);
  /// Where the sound of the loop goes; the computer's device unless it is said otherwise.
  void hearThrough(std::unique_ptr<SoundOutput> output);
  const LoopSound& sound() const { return *sound_; }
  /// Exposure lifted for viewing only, stops.
  void setLift(int stops);

 protected:
  void showEvent(QShowEvent* event) override;
  void hideEvent(QHideEvent* event) override;
  struct KeyRow;
  static std::vector<KeyRow> keyRows();
  void keyPressEvent(QKeyEvent* event) override;
  void keyReleaseEvent(QKeyEvent* event) override;

 private:
  CompareBar* buildBar();
  void buildView();
  void takeWay(int way);
  Transport* buildTransport();
  QWidget* buildSide();
  void showMore();

  void showState();
  void takeClip();
  void takeCorrection();
  void takeFrame();
  void show(const PreviewFrame& frame);
  void present(const PreviewFrame& frame);
  void showVariants();
  void showSteady();
  void showOwnMotion();
  void connectBoards();
  void zoomTo(double zoom, QPointF around = {-1, -1});
  void measureEdge();
  void takePins();
  void updatePins();
  void togglePlay();
  void setSound(bool on);
  void showSound();
  void showPace();
  void showShakeLeft();
  void tick();
  void drawOver(QPainter& painter, const PictureView& view, int pane) const;

  Session& session_;
  CompareState state_;
  Moments moments_;
  MomentStrip* strip_ = nullptr;
  Preview preview_;
  LookMaker looks_;
  PictureView* view_ = nullptr;
  CompareBar* bar_ = nullptr;
  PlainControls* plain_ = nullptr;
  QPushButton* more_ = nullptr;
  NoiseForm* noise_form_ = nullptr;
  Transport* transport_ = nullptr;
  ClipForm* clip_form_ = nullptr;
  QLabel *figures_ = nullptr, *edge_text_ = nullptr, *message_ = nullptr;
  PinStrip* pin_strip_ = nullptr;
  VariantBoard* board_ = nullptr;
  SteadyBoard* steady_board_ = nullptr;
  QLabel* own_text_ = nullptr;
  OwnMarks own_marks_;
  QStackedWidget* pictures_ = nullptr;
  std::vector<QPointF> pins_;
  QTimer timer_;
  std::unique_ptr<LoopSound> sound_;
  bool sound_wanted_ = false;
  int64_t shown_ = -1, drafted_ = -1;  // in full; answered, if only by a draft
  int64_t in_sight_ = -1;              // which may be another one near it
  PreviewFrame current_;
  StraightEdge edge_;
};

}  // namespace glenhaze::desktop
