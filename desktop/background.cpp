#include "desktop/background.h"

#include <QPointer>

#include "desktop/elsewhere.h"
#include "desktop/trouble.h"

namespace glenhaze::desktop {

Background::~Background() { stop_.request_stop(); }

void Background::stop() {
  stop_.request_stop();
  ++request_;
  busy_ = false;
}

void Background::run(Work work) {
  stop();
  stop_ = std::stop_source();
  busy_ = true;
  share_ = 0;
  trouble_.clear();
  const int request = request_;
  const QPointer<Background> self(this);
  Progress progress;
  progress.stop = stop_.get_token();
  progress.report = [self, request](double share) {
    if (!self) return;
    QMetaObject::invokeMethod(
        self.data(),
        [self, request, share] {
          if (!self || self->request_ != request) return;
          self->share_ = share;
          Q_EMIT self->progressed(share);
        },
        Qt::QueuedConnection);
  };
  struct Outcome {
    Finish finish;
    QString trouble;
  };
  const auto attempt = [work = std::move(work), progress]() -> Outcome {
    try {
      return {work(progress), {}};
    } catch (const std::exception& error) {
      return {{}, troubleOf(error)};
    }
  };
  runElsewhere(pool_, this, attempt, [this, request](const Outcome& outcome) {
    if (request != request_) return;
    busy_ = false;
    trouble_ = outcome.trouble;
    if (outcome.finish) outcome.finish();
    Q_EMIT changed();
  });
  Q_EMIT changed();
}

}  // namespace glenhaze::desktop
