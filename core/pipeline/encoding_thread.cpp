#include "core/pipeline/encoding_thread.h"

namespace glenhaze {

EncodingThread::EncodingThread(std::function<std::unique_ptr<ClipWriter>(const Frame&)> open,
                               RenderWatch* watch, size_t in_flight)
    : frames_(in_flight), thread_([this, watch, open = std::move(open)] {
        try {
          for (auto frame = frames_.pop(); frame; frame = frames_.pop()) {
            if (!writer_) writer_ = open(*frame);
            watched(watch, RenderWatch::Encode, [&] { writer_->write(*frame); });
          }
        } catch (...) {
          failure_ = std::current_exception();
        }
        // Nobody waits for room when encoding has failed.
        frames_.close();
      }) {}

EncodingThread::~EncodingThread() { join(); }

void EncodingThread::join() {
  frames_.close();
  if (thread_.joinable()) thread_.join();
}

WriteResult EncodingThread::finish() {
  abandon();
  return writer_ ? writer_->finish() : WriteResult{};
}

void EncodingThread::abandon() {
  join();
  if (failure_) std::rethrow_exception(failure_);
}

}  // namespace glenhaze
