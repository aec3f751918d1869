#pragma once
// What Compare looks at, without widgets: the clip, the frame, the correction as far as it is known, and what
// the user does to the clip.

#include <QObject>
#include <QString>
#include <map>

#include "desktop/background.h"
#include "desktop/compare/clip_edit.h"
#include "desktop/session.h"

namespace glenhaze::desktop {

class CompareState : public QObject {
  Q_OBJECT
 public:
  explicit CompareState(Session& session, QObject* parent = nullptr);

  /// Follows the session only while it is looked at: what is shown nowhere is not worked out.
  void setActive(bool active);

  bool hasClip() const { return clip_ >= 0; }
  /// Of the clip looked at; only where hasClip().
  const ClipPlan& plan() const;
  const std::filesystem::path& path() const { return path_; }
  int64_t frame() const { return frame_; }
  /// Held to the clip.
  void goTo(int64_t frame);
  /// The few seconds around the frame that was looked at first.
  const FrameRange& loop() const { return loop_; }

  /// As the clip would be rendered, but for what still has to be found out from its pictures.
  const Correction& correction() const { return correction_; }
  ReadOptions reading() const { return reading_; }
  /// Under the clip's settings; null while it is not known.
  std::shared_ptr<const MotionAnswer> motion() const;
  /// What is shown otherwise than it would be rendered, or why nothing is; "" when there is nothing to say.
  const QString& message() const { return message_; }
  void setTrouble(const QString& text);
  const QString& flickerText() const { return flicker_text_; }
  /// The figures of the correction, as HTML.
  QString figures() const;

  void edit(const QString& what, const ClipEdit& change);
  /// The clip is rendered from, or up to and with, the frame looked at.
  void setIn();
  void setOut();
  /// Neither in and out points nor stretches.
  void clearRange();
  /// What lies between the in and out points is kept as a stretch, and they are free for the next one.
  void keepStretch();
  /// The stretch that holds the frame looked at is not kept any more.
  void forgetStretch();
  void setDenoise(const DenoiseSettings& settings);
  void followCamera();
  void keepForCamera();
  /// In the background: the strength past which noise removal takes structure with it.
  void findStrength();
  bool searching() const { return search_.busy(); }

 Q_SIGNALS:
  /// Another clip, or none: whatever is shown of the former one is to go.
  void clipChanged();
  /// Frames made before show another correction.
  void correctionChanged();
  /// Anything else: settings, figures, words.
  void changed();
  void frameChanged();
  void searchingChanged();

 private:
  void reload();
  void leave(const QString& why);
  void takeMotion(const ClipPlan& plan, Correction& correction);
  std::optional<FlickerPath> flickerOf(const ClipPlan& plan);

  Session& session_;
  bool active_ = false;
  int clip_ = -1;
  std::filesystem::path path_;  // the clip's number changes when others are removed
  int64_t frame_ = 0;
  FrameRange loop_{0, 0};
  Correction correction_;
  ReadOptions reading_;
  QString message_, flicker_text_;
  Background search_, flicker_search_;
  std::map<std::filesystem::path, FlickerPath> flicker_;  // of clips looked at
};

}  // namespace glenhaze::desktop
