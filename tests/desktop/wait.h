#pragma once
// Waiting for what happens in the background.

#include <QTest>

namespace glenhaze::desktop {

#if defined(__SANITIZE_ADDRESS__) || defined(__SANITIZE_THREAD__)
constexpr int kPatience_ms = 900000;
#else
constexpr int kPatience_ms = 60000;
#endif

template <typename Condition>
bool eventually(Condition condition) {
  return QTest::qWaitFor(condition, kPatience_ms);
}

}  // namespace glenhaze::desktop
