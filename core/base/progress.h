#pragma once
// How long work reports its progress and learns that it should stop.

#include <functional>
#include <stop_token>

#include "core/base/error.h"

namespace glenhaze {

/// Passed by value to everything that may take longer than a blink. Both parts may be empty.
struct Progress {
  /// Called with the share done, 0..1, from the thread that does the work; must be quick.
  std::function<void(double)> report;
  std::stop_token stop;

  void update(double share) const {
    if (report) report(share);
  }
  /// Throws Error(Cancelled) when a stop was asked for.
  void check() const {
    if (stop.stop_requested()) throwCancelled();
  }
};

/// A part of longer work: what it reports runs from `from` to `to` of the whole, which must outlive it.
inline Progress partOf(const Progress& whole, double from, double to) {
  Progress part = whole;
  part.report = [&whole, from, to](double share) { whole.update(from + (to - from) * share); };
  return part;
}

}  // namespace glenhaze
