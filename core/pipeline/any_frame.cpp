#include "core/pipeline/any_frame.h"

#include "core/base/error.h"

namespace glenhaze {

AnyFrame::AnyFrame(const ClipInfo& clip, const Correction& correction, const ReadOptions& options,
                   OwnMotionUse use)
    : clip_(clip), correction_(correction), options_(options), use_(use) {
  // What a render does with a gap.
  options_.damage = Damage::Hold;
  chain_.emplace(correction_, PictureSize{clip_.width, clip_.height}, from(0));
  alone_ = chain_->alone();
}

ChainOptions AnyFrame::from(int64_t index) const {
  ChainOptions options;
  options.first = index;
  options.measure_own_motion = use_ == OwnMotionUse::Measured;
  return options;
}

void AnyFrame::begin(int64_t index) {
  if (!reader_) reader_.emplace(clip_, options_);
  chain_.emplace(correction_, PictureSize{clip_.width, clip_.height}, from(index));
  reader_->seek(chain_->feedFrom());
  sources_.clear();
  draining_ = false;
  next_ = index;
}

std::optional<FinishedFrame> AnyFrame::nextOut(const Progress& progress) {
  while (!draining_) {
    auto frame = reader_->next();
    draining_ = !frame;
    if (!frame) break;
    sources_.push_back(*frame);
    if (auto done = chain_->push(*frame, progress)) return done;
  }
  return chain_->drain(progress);
}

StagedFrame AnyFrame::make(int64_t index, const Progress& progress) {
  if (index != next_ || !reader_) begin(index);
  std::optional<FinishedFrame> done;
  try {
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

StagedFrame AnyFrame::finish(const Frame& frame, const Progress& progress) {
  const auto done = chain_->push(frame, progress);
  return {frame, done->clean, done->picture, nullptr, 0};
}

}  // namespace glenhaze
