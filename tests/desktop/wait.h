#pragma once
// Waiting for what happens in the background.

#include <QTest>

namespace glenhaze::desktop {

constexpr int kPatience_ms = 60000;

template <typename Condition>
bool eventually(Condition condition) {
  return QTest::qWaitFor(condition, kPatience_ms);
}

}  // namespace glenhaze::desktop
