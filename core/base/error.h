#pragma once
// The one error type of the core: what went wrong, where, why, and what the user can do about it.

#include <exception>
#include <string>

namespace glenhaze {

/// What kind of trouble an Error is; callers choose an exit status or an icon by it.
enum class ErrorKind {
  Unreadable,  ///< the input cannot be used: missing, damaged, of an unknown kind
  Unwritable,  ///< the output cannot be written: no permission, disk full, exists already
  BadRequest,  ///< the request makes no sense: a value out of range, an unknown name
  Evidence,    ///< the material does not hold what was to be measured
  Cancelled    ///< the user stopped it
};

class Error : public std::exception {
 public:
  /// `what_happened`: one sentence without a full stop; `where`: file or object, may be empty;
  /// `why`: the cause, may be empty; `remedy`: what to do, may be empty.
  Error(ErrorKind kind, std::string what_happened, std::string where, std::string why, std::string remedy);

  ErrorKind kind() const { return kind_; }
  const std::string& whatHappened() const { return what_happened_; }
  const std::string& where() const { return where_; }
  const std::string& why() const { return why_; }
  const std::string& remedy() const { return remedy_; }

  /// All parts as one line: "Cannot read the clip: /path (why). Remedy."
  const char* what() const noexcept override { return text_.c_str(); }

 private:
  ErrorKind kind_;
  std::string what_happened_, where_, why_, remedy_, text_;
};

/// Throws Error of kind Cancelled.
[[noreturn]] void throwCancelled();

}  // namespace glenhaze
