#include "desktop/compare/look_maker.h"

#include <utility>

#include "core/noise/view.h"

namespace glenhaze::desktop {

namespace {

// How much what is faint is raised so that it can be seen.
constexpr double kRemovedGain = 6, kChannelGain = 6;

bool hasSamples(const PreviewFrame& frame) { return frame.source_frame.width > 0 && !frame.draft; }

bool isChannel(CompareBar::Look look) { return look > CompareBar::AllChannels && look < CompareBar::Removed; }

bool isRemoved(const PreviewFrame& frame, CompareBar::Look look) {
  return look == CompareBar::Removed && hasSamples(frame) && frame.clean_frame.width > 0;
}

bool isAsItIs(const PreviewFrame& frame, CompareBar::Look look, int lift) {
  return lift == 0 && !isRemoved(frame, look) && !(isChannel(look) && hasSamples(frame));
}

}  // namespace

ShownPictures picturesOf(const PreviewFrame& frame, CompareBar::Look look, int lift) {
  if (isRemoved(frame, look)) {
    const Frame removed = removedPart(frame.source_frame, frame.clean_frame, kRemovedGain);
    return {imageOf(removed), liftedImage(frame.source, lift), {removed.width, removed.height}};
  }
  if (isChannel(look) && hasSamples(frame)) {
    const auto channelOf = [&](const Frame& of) {
      return imageOf(channelDetail(of, look - CompareBar::Luma, kChannelGain));
    };
    return {channelOf(frame.corrected_frame), channelOf(frame.source_frame), frame.size};
  }
  // The marks of what moves on its own belong to the corrected picture alone.
  const QImage second = look == CompareBar::OwnMotion ? QImage() : liftedImage(frame.source, lift);
  return {liftedImage(frame.corrected, lift), second, frame.size};
}

LookMaker::LookMaker(QObject* parent) : QObject(parent) {
  connect(&work_, &Background::changed, this, [this] {
    if (!work_.busy() && next_) make(*std::exchange(next_, std::nullopt));
  });
}

void LookMaker::show(const PreviewFrame& frame, CompareBar::Look look, int lift) {
  if (isAsItIs(frame, look, lift)) {
    clear();
    Q_EMIT made(picturesOf(frame, look, lift));
    return;
  }
  // Cutting off what is being made for each newer wish would show nothing while a loop plays.
  if (work_.busy())
    next_ = Wish{frame, look, lift};
  else
    make({frame, look, lift});
}

void LookMaker::clear() {
  next_.reset();
  work_.stop();
}

void LookMaker::make(Wish wish) {
  work_.run([this, wish = std::move(wish)](const Progress&) -> Background::Finish {
    return [this, pictures = picturesOf(wish.frame, wish.look, wish.lift)] { Q_EMIT made(pictures); };
  });
}

}  // namespace glenhaze::desktop
