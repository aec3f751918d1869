#pragma once
// The questions about a clip's camera and mode that its file does not answer.

#include <optional>

#include "desktop/session.h"

namespace glenhaze::desktop {

struct CameraSaid {
  CameraAnswer answer;
  Session::AnswerFor whom = Session::AnswerFor::AllAlike;
};

/// Asks, with what is known already on offer; empty when the user changed their mind.
std::optional<CameraSaid> askCameraAndMode(QWidget* parent, const Session& session, int clip);

}  // namespace glenhaze::desktop
