#include "core/pipeline/any_frame.h"

#include "core/base/error.h"

namespace glenhaze {

AnyFrame::AnyFrame(const ClipInfo& clip, const Correction& correction, const ReadOptions& options,
                   OwnMotionUse use)
    : clip_(clip), correction_(correction), options_(options), use_(use) {
  // What a render does with a gap.
  options_.damage = Damage::Hold;
  chain_.emplace(correction_, PictureSize{clip_.width, clip_.height}, from(0));
}

ChainOptions AnyFrame::from(int64_t index) const {
  ChainOptions options;
  options.first = index;
  options.measure_own_motion = use_ == OwnMotionUse::Measured;
  return options;
}

void AnyFrame::begin(int64_t index) {
  if (!reader_) reader_.emplace(clip_, options_);
  // A chain that looks at single frames has none inside that would have to be forgotten.
  if (!chain_->alone()) chain_.emplace(correction_, PictureSize{clip_.width, clip_.height}, from(index));
  reader_->seek(chain_->alone() ? index : chain_->feedFrom());
  waiting_.clear();
  sources_.clear();
  draining_ = false;
  next_ = index;
}

// The frames before it are decoded first, so that it can be looked at before they are worked on: as many as
// there will be of it later anyway.
void AnyFrame::decodeAhead(int64_t index, const Progress& progress) {
  while (waiting_.empty() || waiting_.back().index < index) {
    progress.check();
    auto frame = reader_->next(progress);
    if (!frame) return;
    waiting_.push_back(std::move(*frame));
  }
}

std::optional<Frame> AnyFrame::nextIn(const Progress& progress) {
  if (waiting_.empty()) return reader_->next(progress);
  std::optional<Frame> frame = std::move(waiting_.front());
  waiting_.pop_front();
  return frame;
}

std::optional<FinishedFrame> AnyFrame::nextOut(const Progress& progress) {
  while (!draining_) {
    auto frame = nextIn(progress);
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
    if (!goesOn(index)) begin(index);
    if (sources_.empty() || sources_.back().index < index) decodeAhead(index, progress);
    if (decoded)
      for (const auto* some : {&sources_, &waiting_})
        for (const Frame& frame : *some)
          if (frame.index == index) decoded(frame);
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
