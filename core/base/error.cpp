#include "core/base/error.h"

#include <utility>

namespace glenhaze {

Error::Error(ErrorKind kind, std::string what_happened, std::string where, std::string why,
             std::string remedy)
    : kind_(kind),
      what_happened_(std::move(what_happened)),
      where_(std::move(where)),
      why_(std::move(why)),
      remedy_(std::move(remedy)) {
  text_ = what_happened_;
  if (!where_.empty()) text_ += ": " + where_;
  if (!why_.empty()) text_ += " (" + why_ + ")";
  if (!remedy_.empty()) text_ += ". " + remedy_;
}

void throwCancelled() { throw Error(ErrorKind::Cancelled, "Stopped", "", "", ""); }

}  // namespace glenhaze
