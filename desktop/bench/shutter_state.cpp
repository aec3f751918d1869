#include "desktop/bench/shutter_state.h"

#include <cmath>

#include "core/base/error.h"
#include "core/motion/readout.h"
#include "core/profile/match.h"
#include "core/shutter/lamp.h"
#include "core/shutter/pan.h"

namespace glenhaze::desktop {

namespace {

constexpr std::array<const char*, 3> kMethods = {"lamp", "pan", "footage"};

}  // namespace

ShutterState::ShutterState(QObject* parent) : QObject(parent) {
  connect(&job_, &Background::changed, this, &ShutterState::changed);
  connect(&job_, &Background::progressed, this, &ShutterState::progressed);
}

void ShutterState::setCamera(const Profile& profile) {
  before_ = profile.shutter;
  lens_ = profile.lens;
  masks_ = profile.stabilization ? profile.stabilization->masks : std::vector<MotionMask>{};
  if (!(profile.camera == camera_)) {
    camera_ = profile.camera;
    forget();
  }
  Q_EMIT changed();
}

void ShutterState::forget() {
  job_.stop();
  job_.setTrouble({});
  steps_.clear();
  marks_.finding.reset();
  marks_.by_hand.reset();
}

void ShutterState::keepStep(const QString& what, MarkStep<ShutterState>::Kind kind) {
  steps_.push(new MarkStep<ShutterState>(what, *this, marks_, kind));
}

ShutterState::Marks ShutterState::exchange(Marks marks) {
  Marks before = exchanged(job_, marks_, std::move(marks));
  Q_EMIT changed();
  return before;
}

std::optional<Lens> ShutterState::lens() const {
  if (!lens_ || shot_.width <= 0) return std::nullopt;
  Profile profile;
  profile.camera = camera_;
  profile.lens = lens_;
  return assignProfile(shot_, profile, 0).lens;
}

void ShutterState::setShot(const ClipInfo& shot) {
  if (shot.path == shot_.path) return;
  forget();
  shot_ = shot;
  // The name of a reference shot mostly says what it is for.
  const QString name = QString::fromStdString(shot.path.stem().string()).toLower();
  marks_.way = name.contains(QStringLiteral("lamp"))  ? Way::Lamp
               : name.contains(QStringLiteral("pan")) ? Way::Pan
                                                      : Way::Footage;
  Q_EMIT changed();
}

void ShutterState::setWay(Way way) {
  if (way == marks_.way) return;
  if (marks_.finding) keepStep(tr("measure another way"));
  marks_.way = way;
  marks_.finding.reset();
  Q_EMIT changed();
}

void ShutterState::setFlickerHz(double hz) {
  if (hz == marks_.hz) return;
  if (marks_.finding) keepStep(tr("say the lamp's rate"));
  marks_.hz = hz;
  marks_.finding.reset();
  Q_EMIT changed();
}

void ShutterState::measure() {
  job_.run([this, clip = shot_, way = marks_.way, hz = marks_.hz, lens = lens(),
            masks = masks_](const Progress& progress) -> Background::Finish {
    ShutterFinding found;
    if (way == Way::Lamp) {
      found = measureLamp(clip, hz, progress);
    } else if (way == Way::Pan) {
      found = measurePan(clip, lens, progress);
    } else {
      if (!lens)
        throw Error(ErrorKind::Evidence, "Ordinary footage needs the lens", clip.path.string(), "",
                    "Measure the lens first, or use a lamp");
      TrackOptions options;
      options.masks = masks;
      found = measureReadout(trackClip(clip, options, progress), *lens, 1 / clip.fps.value(),
                             codingOf(clip, Progress{{}, progress.stop}), Progress{{}, progress.stop});
    }
    return [this, found] {
      keepStep(tr("measure the readout"));
      marks_.finding = found;
      marks_.by_hand.reset();
    };
  });
}

std::optional<Shutter> ShutterState::value() const {
  if (marks_.by_hand) return marks_.by_hand;
  if (marks_.finding) return marks_.finding->shutter;
  return before_ ? std::optional(before_->shutter) : std::nullopt;
}

void ShutterState::setByHand(const Shutter& shutter) {
  if (value() == shutter) return;
  keepStep(tr("set the readout by hand"), MarkStep<ShutterState>::Nudge);
  marks_.by_hand = shutter;
  Q_EMIT changed();
}

double ShutterState::frameInterval() const {
  if (shot_.fps.num > 0 && shot_.frames > 1) return 1 / shot_.fps.value();
  return camera_.fps ? 1 / camera_.fps->value() : 0;
}

std::optional<ShutterPart> ShutterState::part() const {
  if (busy()) return std::nullopt;
  if (marks_.by_hand) {
    ShutterPart part = shutterPartByHand(*marks_.by_hand);
    part.frame_interval_s = frameInterval();
    return part;
  }
  if (!marks_.finding) return std::nullopt;
  return shutterPartFrom(*marks_.finding, kMethods[static_cast<size_t>(marks_.way)], shot_.path.string(),
                         frameInterval());
}

double ShutterState::leanLeft() const {
  const auto shutter = value();
  if (!marks_.finding || marks_.finding->sights.empty() || !shutter) return -1;
  double sum = 0;
  for (const PanSight& s : marks_.finding->sights) {
    const auto now = sightOf(s.frame);
    sum += now->lean * now->lean;
  }
  return std::sqrt(sum / static_cast<double>(marks_.finding->sights.size()));
}

std::optional<PanSight> ShutterState::sightOf(int64_t frame) const {
  const auto shutter = value();
  if (!marks_.finding || !shutter) return std::nullopt;
  const bool backwards = shutter->direction == ScanDirection::Up || shutter->direction == ScanDirection::Left;
  for (PanSight s : marks_.finding->sights) {
    if (s.frame != frame) continue;
    s.lean -= (backwards ? -1 : 1) * s.speed * shutter->readout_s;
    return s;
  }
  return std::nullopt;
}

}  // namespace glenhaze::desktop
