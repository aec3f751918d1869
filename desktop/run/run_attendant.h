#pragma once
// While a run works the computer stays awake, and when it ends somebody who looked away is told; by the
// interfaces that desktops share (freedesktop.org: org.freedesktop.ScreenSaver,
// org.freedesktop.Notifications).

#include <QObject>
#include <QPointer>
#include <QString>
#include <functional>
#include <memory>

#include "desktop/session.h"

namespace glenhaze::desktop {

/// What a desktop is asked for. Where there is none that listens, nothing happens.
class DesktopBus {
 public:
  virtual ~DesktopBus() = default;
  virtual void notify(const QString& title, const QString& text) = 0;
  /// Until release() the computer does not go to sleep.
  virtual void hold(const QString& why) = 0;
  virtual void release() = 0;
};

/// The session's own bus.
std::unique_ptr<DesktopBus> sessionBus();

class RunAttendant : public QObject {
  Q_OBJECT
 public:
  /// `looked_at`: whether somebody sees the window now.
  RunAttendant(Session& session, std::unique_ptr<DesktopBus> bus, std::function<bool()> looked_at,
               QObject* parent = nullptr);
  ~RunAttendant() override;

 private:
  void follow();
  Session& session_;
  std::unique_ptr<DesktopBus> bus_;
  std::function<bool()> looked_at_;
  bool running_ = false;
};

}  // namespace glenhaze::desktop
