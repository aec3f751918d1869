#include "core/pipeline/any_frame.h"

#include "core/base/error.h"

namespace glenhaze {

AnyFrame::AnyFrame(const ClipInfo& clip, const Correction& correction, const ReadOptions& options,
                   OwnMotionUse use)
    : clip_(clip), correction_(correction), options_(options), use_(use) {
  chain_.emplace(correction_, PictureSize{clip_.width, clip_.height}, from(0));
}

ChainOptions AnyFrame::from(int64_t index) const {
  ChainOptions options;
  options.first = index;
  options.measure_own_motion = use_ == OwnMotionUse::Measured;
  return options;
}

void AnyFrame::begin(int64_t index) {
  // A chain that looks at single frames has none inside that would have to be forgotten.
  if (!chain_->alone()) chain_.emplace(correction_, PictureSize{clip_.width, clip_.height}, from(index));
  if (!source_) source_.emplace(clip_, options_);
  constexpr int64_t kStep = 2;
  const bool backwards = index < asked_ && index + kStep >= asked_;
  source_->goTo(chain_->alone() ? index : chain_->feedFrom(), backwards);
  sources_.clear();
  draining_ = false;
  next_ = index;
}

std::optional<FinishedFrame> AnyFrame::nextOut(const Progress& progress) {
  while (!draining_) {
    auto frame = source_->next(progress);
    draining_ = !frame;
    if (!frame) break;
    sources_.push_back(*frame);
    if (auto done = chain_->push(*frame, progress)) return done;
  }
  return chain_->drain(progress);
}

StagedFrame AnyFrame::make(int64_t index, const Progress& progress,
                           const std::function<void(const Frame&)>& decoded) {
  std::optional<FinishedFrame> done;
  try {
    // Before the way to the frames it is worked on with is taken: they may lie further back.
    const bool kept = decoded && isDecoded(index);
    if (kept) decoded(*source_->find(index));
    progress.check();
    if (!goesOn(index)) begin(index);
    asked_ = index;
    // The frames before it are decoded first, so that it can be looked at before they are worked on.
    const Frame* filmed = source_->reach(index, progress);
    if (filmed != nullptr && decoded && !kept) decoded(*filmed);
    done = nextOut(progress);
  } catch (...) {
    // A chain that was interrupted is of no further use.
    next_ = -1;
    throw;
  }
  if (!done || done->picture.index != index) {
    next_ = -1;
    throw Error(ErrorKind::Unreadable, "This frame cannot be read", clip_.path.filename().string(),
                "frame " + std::to_string(index), "");
  }
  next_ = index + 1;
  while (!sources_.empty() && sources_.front().index < index) sources_.pop_front();
  return {sources_.front(), done->clean, done->picture, done->own, done->own_seconds};
}

}  // namespace glenhaze
