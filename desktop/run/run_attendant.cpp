#include "desktop/run/run_attendant.h"

#include <QDBusConnection>
#include <QDBusMessage>
#include <QDBusPendingCallWatcher>
#include <QDBusPendingReply>
#include <QFileInfo>

namespace glenhaze::desktop {

namespace {

class SessionBus : public DesktopBus, public QObject {
 public:
  ~SessionBus() override { release(); }

  void notify(const QString& title, const QString& text) override {
    QDBusMessage call = QDBusMessage::createMethodCall(
        QStringLiteral("org.freedesktop.Notifications"), QStringLiteral("/org/freedesktop/Notifications"),
        QStringLiteral("org.freedesktop.Notifications"), QStringLiteral("Notify"));
    constexpr int kAsUsual_ms = -1;
    call << QStringLiteral("Glenhaze") << 0U << QStringLiteral("org.glenhaze.Glenhaze") << title << text
         << QStringList() << QVariantMap() << kAsUsual_ms;
    send(call);
  }

  void hold(const QString& why) override {
    QDBusMessage call = screenSaver(QStringLiteral("Inhibit"));
    call << QStringLiteral("Glenhaze") << why;
    if (!isThere()) return;
    auto* watcher = new QDBusPendingCallWatcher(QDBusConnection::sessionBus().asyncCall(call), this);
    held_ = true;
    connect(watcher, &QDBusPendingCallWatcher::finished, this, [this](QDBusPendingCallWatcher* done) {
      const QDBusPendingReply<uint> reply = *done;
      done->deleteLater();
      if (reply.isError()) return;
      cookie_ = reply.value();
      if (!held_) release();  // it was over before the answer came
    });
  }

  void release() override {
    held_ = false;
    if (cookie_ == 0) return;
    QDBusMessage call = screenSaver(QStringLiteral("UnInhibit"));
    call << cookie_;
    cookie_ = 0;
    send(call);
  }

 private:
  // Asked first: the library would start a bus of its own where there is none.
  static bool isThere() {
    const QString bus = qEnvironmentVariable("XDG_RUNTIME_DIR") + QStringLiteral("/bus");
    return (qEnvironmentVariableIsSet("DBUS_SESSION_BUS_ADDRESS") || QFileInfo::exists(bus)) &&
           QDBusConnection::sessionBus().isConnected();
  }
  static QDBusMessage screenSaver(const QString& method) {
    return QDBusMessage::createMethodCall(QStringLiteral("org.freedesktop.ScreenSaver"),
                                          QStringLiteral("/org/freedesktop/ScreenSaver"),
                                          QStringLiteral("org.freedesktop.ScreenSaver"), method);
  }
  // Nobody waits: a desktop that does not answer must not stop the window.
  static void send(const QDBusMessage& call) {
    if (isThere()) QDBusConnection::sessionBus().asyncCall(call);
  }
  uint cookie_ = 0;
  bool held_ = false;
};

}  // namespace

std::unique_ptr<DesktopBus> sessionBus() { return std::make_unique<SessionBus>(); }

RunAttendant::RunAttendant(Session& session, std::unique_ptr<DesktopBus> bus, std::function<bool()> looked_at,
                           QObject* parent)
    : QObject(parent), session_(session), bus_(std::move(bus)), looked_at_(std::move(looked_at)) {
  connect(&session_, &Session::runChanged, this, &RunAttendant::follow);
}

RunAttendant::~RunAttendant() {
  if (running_) bus_->release();
}

void RunAttendant::follow() {
  const bool now = session_.running();
  if (now == running_) return;
  running_ = now;
  if (now) return bus_->hold(tr("Clips are being rendered"));
  bus_->release();
  if (!session_.batch() || looked_at_()) return;
  const RunSummary s = session_.batch()->summary();
  QStringList parts{tr("%1 done").arg(s.done)};
  if (s.failed > 0) parts << tr("%1 failed").arg(s.failed);
  if (s.skipped > 0) parts << tr("%1 left out").arg(s.skipped);
  if (s.cancelled + s.waiting > 0) parts << tr("%1 not rendered").arg(s.cancelled + s.waiting);
  bus_->notify(s.failed > 0 ? tr("The run has ended, with failures") : tr("The run has ended"),
               parts.join(QStringLiteral(", ")));
}

}  // namespace glenhaze::desktop
