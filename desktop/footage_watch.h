#pragma once
// Tells when a footage file vanishes, comes back, or is still being written while the shoot is open.

#include <QFileSystemWatcher>
#include <QObject>
#include <QSet>
#include <QThreadPool>
#include <QTimer>
#include <filesystem>
#include <map>
#include <vector>

namespace glenhaze::desktop {

/// Folders are watched, not files: a card holds thousands of these, and a file that is gone cannot be.
class FootageWatch : public QObject {
  Q_OBJECT
 public:
  explicit FootageWatch(QObject* parent = nullptr);

  /// What belongs to the shoot now; replaces what did before.
  void setFiles(const std::vector<std::filesystem::path>& files);
  /// Looks at all files again, as when the window is come back to: some disks do not tell.
  void lookAgain();

 Q_SIGNALS:
  /// Its size or time is another than before, and it has come to rest; or it is gone.
  void changed(const QString& file);

 private:
  struct Stamp {
    int64_t size = -1, time_ns = 0;  // −1: not there
    bool operator==(const Stamp&) const = default;
  };
  struct Watched {
    Stamp told;     // what changed() was last emitted for
    Stamp seen;     // at the last look
    bool restless;  // differed between the last two looks
  };
  using Stamps = std::map<std::filesystem::path, Stamp>;
  static Stamp stampOf(const std::filesystem::path& file);
  void look(std::vector<std::filesystem::path> files);
  void take(const Stamps& stamps, int generation);

  QFileSystemWatcher watcher_;
  QTimer soon_, restless_timer_;
  QSet<QString> folders_;  // that something happened in
  std::map<std::filesystem::path, Watched> files_;
  int generation_ = 0;
  QThreadPool pool_;  // a look at a disk that sleeps takes seconds
};

}  // namespace glenhaze::desktop
