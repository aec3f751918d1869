#pragma once
// Frames of one clip before and after, made on a thread of their own and kept.

#include <QImage>
#include <QObject>
#include <atomic>
#include <chrono>
#include <condition_variable>
#include <mutex>
#include <optional>
#include <thread>

#include "core/media/clip_info.h"
#include "core/media/reader.h"
#include "core/noise/judge.h"
#include "core/pipeline/correction.h"
#include "desktop/picture_cache.h"

namespace glenhaze::desktop {

struct PreviewFrame {
  int64_t index = -1;
  int64_t wanted = -1;  ///< the frame that was asked for
  QImage source, corrected;
  bool draft = false;  ///< at half size, and perhaps a frame before the one asked for; that one follows
  QSize size;          ///< of the corrected picture at full size
  Frame shown_source;  ///< what `source` is drawn from: the source, or placed as the corrected picture is
  Frame corrected_frame, source_frame;    ///< for measuring; empty in cached frames
  Frame clean_frame;                      ///< the source without its noise, where that is removed
  std::optional<RemovalVerdict> removal;  ///< how that went
  std::shared_ptr<const OwnMotion> own;   ///< what moves on its own, where it is wanted
  double own_seconds = 0;                 ///< what measuring that took
};

/// Requests are answered newest first; older ones that nobody waits for any more are dropped. When
/// idle, the frames of the loop are made ahead.
class Preview : public QObject {
  Q_OBJECT
 public:
  explicit Preview(std::shared_ptr<PictureCache> pictures, QObject* parent = nullptr);
  ~Preview() override;

  /// Another clip or other settings; frames made before are forgotten, and none of them arrives any more.
  void setClip(const ClipInfo& clip, const Correction& correction, const ReadOptions& reading);
  void clear();

  /// Asks for a frame; arrives through ready(). Cached frames arrive at once.
  void request(int64_t index);
  /// Frames [first, last) are made ahead in idle time; with drafts, what groups of pictures around the frame
  /// asked for begin with is, too: some of them first, then the loop, then more.
  void setLoop(int64_t first, int64_t last);
  /// Nobody looks: nothing is made in idle time, which would keep other work waiting.
  void setWatched(bool on);
  /// A frame if it is in the cache; drawn anew each time, which takes some ms, unless it is large.
  std::optional<PreviewFrame> cached(int64_t index) const;
  bool isCached(int64_t index) const;
  /// Answers with drafts first: what the way to the frame begins with, then, where finishing it takes a
  /// while, the frame itself, as soon as it is decoded.
  void setDrafts(bool on) { drafts_ = on; }
  /// Whether what moves on its own is measured although it is not taken back.
  void setOwnMotionWanted(bool on);
  /// Whether the source is shown through the same lens, shutter and window as the corrected picture, so that
  /// only noise removal and finish differ.
  void setAligned(bool on);
  /// How many frames of the loop are there.
  int64_t loopFilled() const;
  /// Of how many groups of pictures a draft is there.
  int64_t glimpsed() const;

 Q_SIGNALS:
  void ready(const glenhaze::desktop::PreviewFrame& frame);
  void failed(const QString& why);
  void loopProgress();

 private:
  struct Job {
    ClipInfo clip;
    Correction correction;
    ReadOptions reading;
    bool own_motion = false;
    int generation = 0;
  };
  enum class For { Asked, Loop, Glimpse };
  struct Task {  // one frame to be made, or what its group begins with
    Job job;
    int64_t index = 0;
    For what = For::Asked;
    bool aligned = false;
    std::stop_token stop;
  };
  class Maker;
  /// Waits for one; nothing when the wait was cut off.
  std::optional<Task> nextTask(const std::stop_token& stop);
  void answer(Maker& maker, const Task& task);
  void handKeyDraft(Maker& maker, const Task& task);
  void handDraft(PreviewFrame draft, const Task& task);
  bool isDrafted(int64_t index) const;
  void finish(PreviewFrame result, const Task& task);
  void giveUp(const QString& why, int generation);
  void forget();
  bool isCurrent(int generation) const;
  void hand(const PreviewFrame& frame, int generation);
  void work(const std::stop_token& stop);
  bool superseded(int64_t index);
  std::optional<int64_t> nextAhead() const;
  void lookAround(int64_t index);
  std::optional<std::pair<int64_t, For>> nextIdle() const;
  void makeGlimpse(Maker& maker, const Task& task);
  void keepDraft(int64_t group, const PreviewFrame& draft, int generation);
  void keep(int owner, int64_t number, PreviewFrame frame);
  static constexpr std::chrono::milliseconds kIdle{350};

  mutable std::mutex mutex_;
  std::condition_variable_any wake_;
  std::optional<Job> job_;
  std::optional<int64_t> wanted_;
  bool aligned_ = false, watched_ = true;
  int64_t last_asked_ = 0;
  std::chrono::steady_clock::time_point asked_at_;
  int64_t loop_first_ = 0, loop_last_ = 0;
  std::vector<int64_t> around_;  // places whose groups are to be glimpsed at, the nearest last
  size_t later_ = 0;             // so many of them after the loop
  const std::shared_ptr<PictureCache> pictures_;
  const int owner_, draft_owner_;  // frames by their index, drafts by the group of pictures
  int generation_ = 0;
  std::stop_source making_;  // stops the frame in work when another one is wanted
  int64_t in_work_ = -1;
  std::optional<PreviewFrame> draft_;  // of the frame in work
  std::atomic<bool> drafts_ = false;
  std::jthread thread_;
};

/// A screen image from a frame.
QImage imageOf(const Frame& frame);
/// Draws a frame's images from its samples.
void drawImages(PreviewFrame& frame);

/// With its exposure lifted for viewing, stops.
QImage liftedImage(const QImage& image, int stops);

}  // namespace glenhaze::desktop
