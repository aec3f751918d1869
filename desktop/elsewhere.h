#pragma once
// Work in a pool, its answer on the thread of whoever wants it.

#include <QMetaObject>
#include <QObject>
#include <QThreadPool>
#include <type_traits>
#include <utility>

namespace glenhaze::desktop {

/// Runs `work` in `pool`, then `then` with its result on `owner`'s thread. The answer always comes by the
/// event loop and never before this returns; a QFuture's continuation comes at once where the work ended
/// before it was attached. `work` must not throw. `pool` is a member of `owner`, one of its own: Qt paints
/// large pictures on its global pool and waits for it, so long work there would stall the window. The pool is
/// waited for as it goes, while `owner` still is a QObject; answers that are on their way then are dropped.
template <typename Work, typename Then>
void runElsewhere(QThreadPool& pool, QObject* owner, Work work, Then then) {
  static_assert(!std::is_void_v<std::invoke_result_t<Work&>>, "what comes of it is handed on");
  pool.start([owner, work = std::move(work), then = std::move(then)]() mutable {
    QMetaObject::invokeMethod(
        owner, [then = std::move(then), result = work()]() mutable { then(std::move(result)); },
        Qt::QueuedConnection);
  });
}

}  // namespace glenhaze::desktop
