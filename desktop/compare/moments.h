#pragma once
// What the clip looked at is like from moment to moment, without widgets.

#include <QObject>
#include <filesystem>
#include <optional>

#include "core/clip/timeline.h"
#include "desktop/background.h"
#include "desktop/session.h"

namespace glenhaze::desktop {

class Moments : public QObject {
  Q_OBJECT
 public:
  explicit Moments(Session& session, QObject* parent = nullptr);

  /// Looks only while it is wanted: all frames have to be decoded once.
  void setWanted(bool wanted);
  bool wanted() const { return wanted_; }
  /// −1: none.
  void setClip(int clip);

  /// Empty until it is known.
  const std::optional<ClipTimeline>& timeline() const { return timeline_; }
  /// "looking, 40 %", what went wrong, or "".
  QString message() const;

 Q_SIGNALS:
  void changed();

 private:
  void look();
  Session& session_;
  bool wanted_ = false;
  std::filesystem::path path_;
  std::optional<ClipTimeline> timeline_;
  Background work_;
};

}  // namespace glenhaze::desktop
