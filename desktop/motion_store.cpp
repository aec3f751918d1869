#include "desktop/motion_store.h"

#include "core/base/numbers.h"

namespace glenhaze::desktop {

namespace {

std::string numbers(std::initializer_list<double> values) {
  std::string text;
  for (const double v : values) text += exactText(v) + " ";
  return text;
}

// What a path depends on besides the tracks.
std::string pathKey(const MotionRequest& r) {
  std::string key = lensModelName(r.lens.model) + numbers({r.lens.fx, r.lens.fy, r.lens.cx, r.lens.cy});
  for (const double k : r.lens.k) key += numbers({k});
  key += r.log.string() + handKeysToText(r.hand);
  return key + numbers({static_cast<double>(r.settings.part), r.own_shutter ? 1.0 : 0.0, r.shutter.readout_s,
                        static_cast<double>(r.shutter.direction)});
}

// Asked for with every row that is painted: nothing here may touch the disk.
std::string settingsKey(const MotionRequest& r) {
  const FrameRange range = r.range.value_or(FrameRange{-1, -1});
  return pathKey(r) + motionFingerprint(r) +
         numbers({static_cast<double>(r.window.width), static_cast<double>(r.window.height), r.window.amount,
                  r.window.fill, static_cast<double>(range.first), static_cast<double>(range.last)});
}

}  // namespace

MotionStore::MotionStore(QObject* parent) : QObject(parent) {
  connect(&job_, &Background::changed, this, [this] {
    if (!job_.busy() && !job_.trouble().isEmpty()) failed_key_ = wanted_key_;
    Q_EMIT changed();
  });
  connect(&job_, &Background::progressed, this, &MotionStore::progressed);
}

std::shared_ptr<const MotionAnswer> MotionStore::find(const MotionRequest& request) const {
  const auto known = known_.find(request.clip.path);
  return known != known_.end() && known->second.key == settingsKey(request) ? known->second.answer : nullptr;
}

std::shared_ptr<const MotionAnswer> MotionStore::newest(const std::filesystem::path& clip) const {
  const auto known = known_.find(clip);
  return known != known_.end() ? known->second.answer : nullptr;
}

std::shared_ptr<const TrackRecord> MotionStore::tracks(const std::filesystem::path& clip) const {
  const auto known = known_.find(clip);
  return known != known_.end() ? known->second.tracks : nullptr;
}

void MotionStore::want(const MotionRequest& request) {
  const std::string key = settingsKey(request), tracks_key = tracksKey(request);
  const auto at = known_.find(request.clip.path);
  if (at != known_.end() && at->second.key == key && at->second.tracks_key == tracks_key && at->second.tracks)
    return;
  const std::string wanted = tracks_key + key;
  if (wanted == failed_key_ || (job_.busy() && wanted == wanted_key_)) return;
  wanted_ = request;
  wanted_key_ = wanted;
  const std::string path_key = pathKey(request);
  std::shared_ptr<const TrackRecord> tracks;
  std::shared_ptr<const MotionAnswer> before;
  if (at != known_.end() && at->second.tracks_key == tracks_key) {
    tracks = at->second.tracks;
    if (at->second.path_key == path_key) before = at->second.answer;
  }
  job_.run([=, this](const Progress& progress) -> Background::Finish {
    Known found{tracks_key, path_key, key, tracks, nullptr};
    if (!found.tracks) found.tracks = std::make_shared<TrackRecord>(tracksFor(request, progress));
    auto answer = std::make_shared<MotionAnswer>(before ? *before : MotionAnswer{});
    if (before)
      steadyAgain(*answer, request);
    else
      *answer = answerMotion(request, *found.tracks, Progress{{}, progress.stop});
    found.answer = std::move(answer);
    return [this, path = request.clip.path, found] { take(path, found); };
  });
}

void MotionStore::take(const std::filesystem::path& path, const Known& found) {
  known_[path] = found;
  with_tracks_.remove(path);
  with_tracks_.push_back(path);
  if (with_tracks_.size() <= kOpenTracks) return;
  known_[with_tracks_.front()].tracks = nullptr;
  with_tracks_.pop_front();
}

void MotionStore::stop() {
  job_.stop();
  Q_EMIT changed();
}

}  // namespace glenhaze::desktop
