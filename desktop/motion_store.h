#pragma once
// The motion of the clips that are looked at: worked out in the background, kept while the shoot is open.
// Tracks are slow and stay; path and steadied path follow settings at once.

#include <QObject>
#include <QString>
#include <filesystem>
#include <list>
#include <map>
#include <memory>
#include <optional>

#include "core/pipeline/clip_motion.h"
#include "desktop/background.h"

namespace glenhaze::desktop {

class MotionStore : public QObject {
  Q_OBJECT
 public:
  explicit MotionStore(QObject* parent = nullptr);

  /// The motion of a clip under exactly these settings; null while it is not known.
  std::shared_ptr<const MotionAnswer> find(const MotionRequest& request) const;
  /// The newest answer for the clip, whatever its settings; null before the first.
  std::shared_ptr<const MotionAnswer> newest(const std::filesystem::path& clip) const;
  /// Null also where many other clips were looked at since: each holds a file open.
  std::shared_ptr<const TrackRecord> tracks(const std::filesystem::path& clip) const;
  static constexpr size_t kOpenTracks = 64;

  /// Works it out if it is not known; the clip asked for last comes first. changed() when it is there.
  void want(const MotionRequest& request);
  void stop();

  bool busy() const { return job_.busy(); }
  double share() const { return job_.share(); }
  /// The clip in work; empty when none.
  std::filesystem::path inWork() const { return busy() ? wanted_.clip.path : std::filesystem::path(); }
  const QString& trouble() const { return job_.trouble(); }

 Q_SIGNALS:
  void changed();
  void progressed(double share);

 private:
  struct Known {
    std::string tracks_key, path_key, key;
    std::shared_ptr<const TrackRecord> tracks;
    std::shared_ptr<const MotionAnswer> answer;
  };
  void take(const std::filesystem::path& path, const Known& found);

  std::map<std::filesystem::path, Known> known_;
  std::list<std::filesystem::path> with_tracks_;  // known with their tracks, the newest last
  MotionRequest wanted_;
  std::string wanted_key_, failed_key_;
  Background job_;
};

}  // namespace glenhaze::desktop
