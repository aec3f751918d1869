#include "desktop/compare/compare_state.h"

#include <algorithm>
#include <utility>

#include "core/base/error.h"
#include "core/noise/judge.h"
#include "core/run/ask.h"
#include "core/run/picking.h"
#include "desktop/compare/clip_figures.h"

namespace glenhaze::desktop {

namespace {

constexpr int64_t kLoopFrames = 90;  // three seconds at usual rates

FrameRange loopAround(int64_t frame, int64_t frames) {
  const int64_t first = std::max<int64_t>(0, std::min(frame - kLoopFrames / 2, frames - kLoopFrames));
  return {first, std::min(frames, first + kLoopFrames)};
}

}  // namespace

CompareState::CompareState(Session& session, QObject* parent) : QObject(parent), session_(session) {
  connect(&session_, &Session::changed, this, &CompareState::reload);
  connect(&session_, &Session::currentClipChanged, this, &CompareState::reload);
  connect(&session_.motion(), &MotionStore::changed, this, &CompareState::reload);
  connect(&search_, &Background::changed, this, &CompareState::searchingChanged);
}

void CompareState::setActive(bool active) {
  active_ = active;
  if (active) reload();
}

const ClipPlan& CompareState::plan() const { return session_.plans()[static_cast<size_t>(clip_)]; }

void CompareState::goTo(int64_t frame) {
  if (!hasClip()) return;
  frame = std::clamp<int64_t>(frame, 0, std::max<int64_t>(0, plan().info.frames - 1));
  if (frame == std::exchange(frame_, frame)) return;
  Q_EMIT frameChanged();
}

std::shared_ptr<const MotionAnswer> CompareState::motion() const {
  return hasClip() && plan().questions.motion ? session_.motion().find(plan().motion) : nullptr;
}

void CompareState::setTrouble(const QString& text) {
  message_ = text;
  Q_EMIT changed();
}

QString CompareState::figures() const {
  return hasClip() ? clipFigures(plan(), session_.profiles(), motion().get()) : QString();
}

void CompareState::leave(const QString& why) {
  clip_ = -1;
  path_.clear();
  correction_ = {};
  message_ = why;
  Q_EMIT clipChanged();
  Q_EMIT changed();
}

void CompareState::reload() {
  if (!active_) return;
  const auto& plans = session_.plans();
  const int clip = session_.currentClip();
  if (clip < 0 || clip >= static_cast<int>(plans.size())) return leave(tr("Choose a clip in Shoot."));
  const ClipPlan& now = plans[static_cast<size_t>(clip)];
  if (now.info.width == 0 || !now.info.readable(now.job.damage))
    return leave(now.info.problems.empty() ? QString()
                                           : QString::fromStdString(now.info.problems.back().text));
  message_.clear();
  if (now.match.kind == MatchKind::None || now.match.kind == MatchKind::Borrowed)
    message_ = QString::fromStdString(now.match.reason);
  else if (now.questions.iso)
    message_ =
        tr("Nothing says this clip's ISO, so its noise is not removed here yet. The run tells it by itself; "
           "“Tell the ISO by noise” in its menu in Shoot does it now.");
  const bool other = now.info.path != path_;
  clip_ = clip;
  path_ = now.info.path;
  // A file that was copied anew may be shorter.
  frame_ =
      other ? now.info.frames / 2 : std::clamp<int64_t>(frame_, 0, std::max<int64_t>(0, now.info.frames - 1));
  Correction correction = now.job.correction;
  takeMotion(now, correction);
  flicker_text_.clear();
  if (now.questions.flicker) correction.flicker = flickerOf(now);
  const ReadOptions reading = now.job.reading();
  const bool same = !other && correction == correction_ && reading.fields == reading_.fields &&
                    reading.damage == reading_.damage;
  correction_ = std::move(correction);
  reading_ = reading;
  if (!same) loop_ = loopAround(frame_, now.info.frames);
  if (other) Q_EMIT clipChanged();
  if (!same) Q_EMIT correctionChanged();
  Q_EMIT changed();
}

// Until the motion is known the clip is shown without it, and that is said.
void CompareState::takeMotion(const ClipPlan& plan, Correction& correction) {
  if (!plan.questions.motion) return;
  if (const auto answer = session_.motion().find(plan.motion)) {
    correction.motion = answer->motion;
    return;
  }
  session_.motion().want(plan.motion);
  // A path under other settings is nearer to the truth than none.
  if (const auto last = session_.motion().newest(plan.info.path)) correction.motion = last->motion;
  const QString& trouble = session_.motion().trouble();
  message_ =
      trouble.isEmpty() ? tr("The camera's motion is being analysed; shown without it so far.") : trouble;
}

// Measured once in this sitting, in the background; empty until then.
std::optional<FlickerPath> CompareState::flickerOf(const ClipPlan& plan) {
  const auto known = flicker_.find(plan.info.path);
  if (known != flicker_.end()) {
    const std::string found = known->second.describe();
    flicker_text_ = found.empty() ? tr("No flicker to speak of.")
                                  : tr("Flicker of %1.").arg(QString::fromStdString(found));
    return known->second;
  }
  flicker_text_ = tr("Flicker is being measured…");
  if (!flicker_search_.busy())
    flicker_search_.run(
        [this, plan, store = session_.store()](const Progress& progress) -> Background::Finish {
          return [this, path = plan.info.path, found = glenhaze::flickerOf(plan, *store, progress)] {
            flicker_[path] = found;
            reload();
          };
        });
  return std::nullopt;
}

void CompareState::edit(const QString& what, const ClipEdit& change) {
  if (!hasClip()) return;
  session_.edit(what, [&](Shoot& s) { change(s.clips[static_cast<size_t>(clip_)]); });
}

void CompareState::setIn() {
  if (!hasClip()) return;
  edit(tr("Set the in point"), [frames = plan().info.frames, at = frame_](ShootClip& c) {
    c.range = FrameRange{at, c.range && c.range->last > at ? c.range->last : frames};
  });
}

void CompareState::setOut() {
  edit(tr("Set the out point"), [at = frame_](ShootClip& c) {
    c.range = FrameRange{c.range && c.range->first <= at ? c.range->first : 0, at + 1};
  });
}

void CompareState::clearRange() {
  edit(tr("Render the whole clip"), [](ShootClip& c) {
    c.range.reset();
    c.stretches.clear();
  });
}

void CompareState::keepStretch() {
  if (!hasClip()) return;
  if (!plan().clip.range)
    return setTrouble(tr("Set the in and the out point first: what lies between them is kept."));
  edit(tr("Keep this stretch"), [](ShootClip& c) {
    glenhaze::keepStretch(c, {*c.range, {}});
    c.range.reset();
  });
}

void CompareState::forgetStretch() {
  if (!hasClip()) return;
  const auto holds = [at = frame_](const Stretch& s) { return s.frames.first <= at && at < s.frames.last; };
  if (std::ranges::none_of(plan().clip.stretches, holds))
    return setTrouble(tr("No kept stretch is here. Go to a frame of the one that is to go."));
  edit(tr("Forget this stretch"), [holds](ShootClip& c) { std::erase_if(c.stretches, holds); });
}

void CompareState::setDenoise(const DenoiseSettings& settings) {
  edit(tr("Change noise removal"), [settings](ShootClip& c) { c.denoise = settings; });
}

void CompareState::followCamera() {
  edit(tr("Follow the camera's noise settings"), [](ShootClip& c) { c.denoise.reset(); });
}

void CompareState::keepForCamera() {
  if (!hasClip() || !plan().clip.denoise || plan().match.profile < 0) return;
  Profile profile = session_.profiles()[static_cast<size_t>(plan().match.profile)];
  if (!profile.noise) return;
  profile.noise->denoise = *plan().clip.denoise;
  try {
    session_.putProfile(tr("Keep noise settings for the camera"), profile);
    followCamera();
  } catch (const Error& error) {
    setTrouble(QString::fromUtf8(error.what()));
  }
}

void CompareState::findStrength() {
  if (!hasClip() || !correction_.noise) return;
  search_.run([this, clip = plan().info, fields = reading_.fields, curve = *correction_.noise,
               settings = correction_.denoise, path = path_,
               at = frame_](const Progress& progress) -> Background::Finish {
    DenoiseSettings found = settings;
    found.luma = strengthThatKeepsStructure(clip, fields, at, curve, settings, progress);
    return [this, path, found] {
      if (path == path_) setDenoise(found);
    };
  });
}

}  // namespace glenhaze::desktop
