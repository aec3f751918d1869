#pragma once
// Before and after in one film, or one still, to show somebody else what was done.

#include <filesystem>
#include <optional>
#include <string>

#include "core/clip/fact_store.h"
#include "core/run/batch.h"

namespace glenhaze {

enum class ShowKind {
  Divider,  ///< a line that goes to and fro: before at its left, after at its right
  Beside,   ///< both whole, side by side
  Circle    ///< the result, and a circle that travels over it, twice as large: before in its left half
};
/// "divider", "beside", "circle".
std::optional<ShowKind> showKindFromName(const std::string& name);

struct ShowRequest {
  std::filesystem::path output;  ///< a film, or a still (.png, .jpg, .tif) of the clip's middle
  ShowKind kind = ShowKind::Divider;
  std::string before = "before", after = "after";  ///< captions; "" for none
  bool overwrite = false;
};

struct ShowResult {
  std::filesystem::path path;
  int64_t frames = 0;
};

/// Of one output of a run. Upright, in the size of the result, with its sound. Throws Error(BadRequest) for a
/// name whose ending says no format, and where nothing would be rendered; Error(Unreadable),
/// Error(Unwritable), Error(Cancelled).
ShowResult makeShow(const ClipPlan& plan, const ShowRequest& request, FactStore& store,
                    const Progress& progress = {});

/// The picture at a time, from two of one size and format. For tests and stills.
Frame shownTogether(const Frame& before, const Frame& after, ShowKind kind, double seconds);

}  // namespace glenhaze
