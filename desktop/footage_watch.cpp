#include "desktop/footage_watch.h"

#include <sys/stat.h>

#include "desktop/elsewhere.h"

namespace glenhaze::desktop {
namespace fs = std::filesystem;

namespace {
constexpr int kJoin_ms = 300;       // a copy makes many changes
constexpr int kRestless_ms = 1000;  // between looks at what is being written
constexpr int64_t kJustNow_ns = 10'000'000'000;
}  // namespace

FootageWatch::FootageWatch(QObject* parent) : QObject(parent) {
  pool_.setMaxThreadCount(1);
  soon_.setSingleShot(true);
  soon_.setInterval(kJoin_ms);
  restless_timer_.setSingleShot(true);
  restless_timer_.setInterval(kRestless_ms);
  connect(&watcher_, &QFileSystemWatcher::directoryChanged, this, [this](const QString& folder) {
    folders_.insert(folder);
    soon_.start();
  });
  connect(&soon_, &QTimer::timeout, this, [this] {
    std::vector<fs::path> files;
    for (const auto& [file, watched] : files_)
      if (folders_.contains(QString::fromStdString(file.parent_path().string()))) files.push_back(file);
    folders_.clear();
    look(std::move(files));
  });
  connect(&restless_timer_, &QTimer::timeout, this, [this] {
    std::vector<fs::path> files;
    for (const auto& [file, watched] : files_)
      if (watched.restless) files.push_back(file);
    look(std::move(files));
  });
}

FootageWatch::Stamp FootageWatch::stampOf(const fs::path& file) {
  struct stat found {};
  // Of a numbered sequence the folder tells.
  const fs::path known = file.filename().native().find('%') == std::string::npos ? file : file.parent_path();
  if (::stat(known.c_str(), &found) != 0) return {};
  return {found.st_size, found.st_mtim.tv_sec * 1'000'000'000LL + found.st_mtim.tv_nsec};
}

void FootageWatch::setFiles(const std::vector<fs::path>& files) {
  std::map<fs::path, Watched> now;
  std::vector<fs::path> fresh;
  QSet<QString> folders;
  for (const fs::path& file : files) {
    folders.insert(QString::fromStdString(file.parent_path().string()));
    if (const auto known = files_.find(file); known != files_.end())
      now.insert(*known);
    else
      fresh.push_back(file);
  }
  const bool same = fresh.empty() && now.size() == files_.size();
  if (same) return;
  ++generation_;
  files_ = std::move(now);
  const QStringList watched = watcher_.directories();
  for (const QString& folder : watched)
    if (!folders.contains(folder)) watcher_.removePath(folder);
  for (const QString& folder : folders)
    if (!watched.contains(folder)) watcher_.addPath(folder);
  // At once, so that nothing that happens from here on is missed.
  const auto now_ns = std::chrono::duration_cast<std::chrono::nanoseconds>(
                          std::chrono::system_clock::now().time_since_epoch())
                          .count();
  for (const fs::path& file : fresh) {
    const Stamp stamp = stampOf(file);
    // What was written a moment ago may be in the middle of it.
    const bool restless = stamp.size >= 0 && now_ns - stamp.time_ns < kJustNow_ns;
    files_[file] = {stamp, stamp, restless};
    if (restless) restless_timer_.start();
  }
}

void FootageWatch::lookAgain() {
  std::vector<fs::path> files;
  for (const auto& [file, watched] : files_) files.push_back(file);
  look(std::move(files));
}

void FootageWatch::look(std::vector<fs::path> files) {
  if (files.empty()) return;
  const auto stampsOf = [files = std::move(files)] {
    Stamps stamps;
    for (const fs::path& file : files) stamps[file] = stampOf(file);
    return stamps;
  };
  runElsewhere(pool_, this, stampsOf,
               [this, generation = generation_](const Stamps& stamps) { take(stamps, generation); });
}

// A file is told of when it is as it was a look before; one that is gone, at once.
void FootageWatch::take(const Stamps& stamps, int generation) {
  if (generation != generation_) return;
  std::vector<fs::path> tell;
  bool again = false;
  for (const auto& [file, stamp] : stamps) {
    const auto at = files_.find(file);
    if (at == files_.end()) continue;
    Watched& w = at->second;
    w.restless = stamp.size >= 0 && !(stamp == w.seen);
    w.seen = stamp;
    again = again || w.restless;
    if (w.restless || stamp == w.told) continue;
    w.told = stamp;
    tell.push_back(file);
  }
  if (again) restless_timer_.start();
  for (const fs::path& file : tell) Q_EMIT changed(QString::fromStdString(file.string()));
}

}  // namespace glenhaze::desktop
