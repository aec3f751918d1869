#pragma once
// What went wrong, for the user's eyes.

#include <QString>
#include <exception>

#include "core/base/error.h"

namespace glenhaze::desktop {

/// In words; none where the user cancelled it, who knows.
inline QString troubleOf(const std::exception& error) {
  const auto* known = dynamic_cast<const Error*>(&error);
  const bool cancelled = known != nullptr && known->kind() == ErrorKind::Cancelled;
  return cancelled ? QString() : QString::fromUtf8(error.what());
}

}  // namespace glenhaze::desktop
