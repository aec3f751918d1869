#pragma once
// Encodes in a thread of its own, a few frames behind whoever makes them.

#include <exception>
#include <functional>
#include <memory>
#include <thread>

#include "core/base/queue.h"
#include "core/media/writer.h"
#include "core/pipeline/watch.h"

namespace glenhaze {

/// How many frames of this size may wait between two threads: enough to smooth out key frames, fewer of large
/// ones.
inline size_t framesInFlight(int width, int height) { return width * height > kLargePicture_px ? 1 : 4; }

/// push() every frame, then finish(), or abandon() where making them has failed; nothing is left of the
/// output then.
class EncodingThread {
 public:
  /// `open`: the writer for the first frame. `watch`: told what encoding takes; outlives this.
  /// `in_flight`: frames that wait for it at most (see framesInFlight).
  explicit EncodingThread(std::function<std::unique_ptr<ClipWriter>(const Frame&)> open,
                          RenderWatch* watch = nullptr, size_t in_flight = 4);
  ~EncodingThread();
  EncodingThread(const EncodingThread&) = delete;
  EncodingThread& operator=(const EncodingThread&) = delete;

  /// False when encoding has failed and no frame is wanted any more.
  bool push(Frame frame) { return frames_.push(std::move(frame)); }
  /// Throws what encoding threw, Error(Unwritable). Without a frame nothing is written.
  WriteResult finish();
  /// Throws what encoding threw, if it did: that goes before what it made others do.
  void abandon();

 private:
  void join();
  BoundedQueue<Frame> frames_;
  std::exception_ptr failure_;
  std::unique_ptr<ClipWriter> writer_;
  std::thread thread_;
};

}  // namespace glenhaze
