#include "desktop/compare/look_maker.h"

#include <utility>

#include "core/finish/finisher.h"
#include "core/noise/view.h"

namespace glenhaze::desktop {

namespace {

// How much what is faint is raised so that it can be seen.
constexpr double kRemovedGain = 6, kChannelGain = 6, kEdgeGain = 8;

bool hasSamples(const PreviewFrame& frame) { return frame.source_frame.width > 0 && !frame.draft; }

bool isChannel(CompareBar::Look look) { return look > CompareBar::AllChannels && look < CompareBar::Removed; }

bool isRemoved(const PreviewFrame& frame, CompareBar::Look look) {
  return look == CompareBar::Removed && hasSamples(frame) && frame.clean_frame.width > 0;
}

bool isEdges(const PreviewFrame& frame, CompareBar::Look look, const EdgeFinish* edges) {
  return look == CompareBar::Edges && hasSamples(frame) && edges != nullptr && edges->correction.finishes;
}

bool isAsItIs(const PreviewFrame& frame, CompareBar::Look look, int lift, const EdgeFinish* edges) {
  const bool channel = isChannel(look) && hasSamples(frame);
  return lift == 0 && !isRemoved(frame, look) && !channel && !isEdges(frame, look, edges);
}

// What crispness and calm edges change, and nothing else of the finish, raised about mid grey.
Frame edgesChanged(const PreviewFrame& frame, const EdgeFinish& edges) {
  const Frame& clean = frame.clean_frame.width > 0 ? frame.clean_frame : frame.source_frame;
  const Geometry geometry(edges.correction, edges.source);
  const Frame placed = correctFrame(clean, geometry, Finisher::formatBefore(clean.format));
  const Finisher finisher(crispnessOf(edges.correction, geometry), {});
  const Frame without = convertFormat(placed, clean.format);
  const Frame with = finisher.changes(placed) ? finisher.finish(placed, clean.format) : without;
  return removedPart(with, without, kEdgeGain);
}

}  // namespace

ShownPictures picturesOf(const PreviewFrame& frame, CompareBar::Look look, int lift,
                         const EdgeFinish* edges) {
  if (isEdges(frame, look, edges))
    return {imageOf(edgesChanged(frame, *edges)), liftedImage(frame.corrected, lift), frame.size};
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
  if (isAsItIs(frame, look, lift, edges_.get())) {
    clear();
    Q_EMIT made(picturesOf(frame, look, lift, nullptr));
    return;
  }
  // Cutting off what is being made for each newer wish would show nothing while a loop plays.
  if (work_.busy())
    next_ = Wish{frame, look, lift, edges_};
  else
    make({frame, look, lift, edges_});
}

void LookMaker::setCorrection(const Correction& correction, PictureSize source) {
  edges_ = std::make_shared<const EdgeFinish>(EdgeFinish{correction, source});
}

void LookMaker::clear() {
  next_.reset();
  work_.stop();
}

void LookMaker::make(Wish wish) {
  work_.run([this, wish = std::move(wish)](const Progress&) -> Background::Finish {
    return [this, pictures = picturesOf(wish.frame, wish.look, wish.lift, wish.edges.get())] {
      Q_EMIT made(pictures);
    };
  });
}

}  // namespace glenhaze::desktop
