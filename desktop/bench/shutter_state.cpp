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
  finding_.reset();
  by_hand_.reset();
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
  way_ = name.contains(QStringLiteral("lamp"))  ? Way::Lamp
         : name.contains(QStringLiteral("pan")) ? Way::Pan
                                                : Way::Footage;
  Q_EMIT changed();
}

void ShutterState::setWay(Way way) {
  if (way == way_) return;
  way_ = way;
  finding_.reset();
  Q_EMIT changed();
}

void ShutterState::setFlickerHz(double hz) {
  if (hz == hz_) return;
  hz_ = hz;
  finding_.reset();
  Q_EMIT changed();
}

void ShutterState::measure() {
  by_hand_.reset();
  job_.run([this, clip = shot_, way = way_, hz = hz_, lens = lens(),
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
                             Progress{{}, progress.stop});
    }
    return [this, found] { finding_ = found; };
  });
}

std::optional<Shutter> ShutterState::value() const {
  if (by_hand_) return by_hand_;
  if (finding_) return finding_->shutter;
  return before_ ? std::optional(before_->shutter) : std::nullopt;
}

void ShutterState::setByHand(const Shutter& shutter) {
  if (value() == shutter) return;
  by_hand_ = shutter;
  Q_EMIT changed();
}

double ShutterState::frameInterval() const {
  if (shot_.fps.num > 0 && shot_.frames > 1) return 1 / shot_.fps.value();
  return camera_.fps ? 1 / camera_.fps->value() : 0;
}

std::optional<ShutterPart> ShutterState::part() const {
  if (busy()) return std::nullopt;
  if (by_hand_) {
    ShutterPart part = shutterPartByHand(*by_hand_);
    part.frame_interval_s = frameInterval();
    return part;
  }
  if (!finding_) return std::nullopt;
  return shutterPartFrom(*finding_, kMethods[static_cast<size_t>(way_)], shot_.path.string(),
                         frameInterval());
}

double ShutterState::leanLeft() const {
  const auto shutter = value();
  if (!finding_ || finding_->sights.empty() || !shutter) return -1;
  double sum = 0;
  for (const PanSight& s : finding_->sights) {
    const auto now = sightOf(s.frame);
    sum += now->lean * now->lean;
  }
  return std::sqrt(sum / static_cast<double>(finding_->sights.size()));
}

std::optional<PanSight> ShutterState::sightOf(int64_t frame) const {
  const auto shutter = value();
  if (!finding_ || !shutter) return std::nullopt;
  const bool backwards = shutter->direction == ScanDirection::Up || shutter->direction == ScanDirection::Left;
  for (PanSight s : finding_->sights) {
    if (s.frame != frame) continue;
    s.lean -= (backwards ? -1 : 1) * s.speed * shutter->readout_s;
    return s;
  }
  return std::nullopt;
}

}  // namespace glenhaze::desktop
