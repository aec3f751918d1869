#pragma once
// One planned output from its pictures to its file: what prepares it, renders it, and says what was done.

#include <functional>
#include <string>

#include "core/base/progress.h"
#include "core/clip/fact_store.h"
#include "core/pipeline/render.h"
#include "core/run/plan.h"

namespace glenhaze {

struct Rendered {
  RenderResult result;
  std::string words;  ///< what was done, and what came out on the way
};

/// Renders a plan whose questions are answered (see ask.h) to where plan.job.place says, and fills its
/// correction. `begins`: called when the pictures have been looked at. Throws as prepare() and renderClip()
/// do.
Rendered renderPlan(ClipPlan& plan, FactStore& store, const Progress& progress = {},
                    RenderWatch* watch = nullptr, const std::function<void()>& begins = {});

/// Sentences about a rendered plan: what was done, `notes`, what only came out while the clip was read.
std::string renderedWords(const ClipPlan& plan, const std::vector<std::string>& notes,
                          const RenderResult& rendered);

}  // namespace glenhaze
