#include "desktop/one_instance.h"

#include <QDataStream>
#include <QFileInfo>
#include <QLocalSocket>
#include <memory>

#include <unistd.h>

namespace glenhaze::desktop {

namespace {

constexpr int kPatience_ms = 1000;
constexpr auto kStream = QDataStream::Qt_6_4;

}  // namespace

OneInstance::OneInstance(const QString& name, QObject* parent)
    : QObject(parent), name_(name.isEmpty() ? QStringLiteral("glenhaze-%1").arg(::getuid()) : name) {
  server_.setSocketOptions(QLocalServer::UserAccessOption);
  connect(&server_, &QLocalServer::newConnection, this, [this] {
    while (QLocalSocket* socket = server_.nextPendingConnection()) {
      connect(socket, &QLocalSocket::disconnected, socket, &QObject::deleteLater);
      const auto read = [this, socket] {
        QDataStream in(socket);
        in.setVersion(kStream);
        in.startTransaction();
        QStringList paths;
        in >> paths;
        if (!in.commitTransaction()) return;
        socket->write("y");
        socket->flush();
        Q_EMIT asked(paths);
      };
      connect(socket, &QLocalSocket::readyRead, this, read);
      read();
    }
  });
}

bool OneInstance::handOver(const QStringList& paths) {
  QLocalSocket socket;
  socket.connectToServer(name_);
  if (!socket.waitForConnected(kPatience_ms)) return false;
  QStringList absolute;
  for (const QString& path : paths) absolute << QFileInfo(path).absoluteFilePath();
  QByteArray bytes;
  QDataStream out(&bytes, QIODevice::WriteOnly);
  out.setVersion(kStream);
  out << absolute;
  socket.write(bytes);
  // One that does not answer hangs or is about to end: then this one opens.
  return socket.waitForBytesWritten(kPatience_ms) && socket.waitForReadyRead(kPatience_ms);
}

void OneInstance::listen() {
  if (server_.listen(name_)) return;
  // Left by one that was killed: nobody answers there.
  QLocalServer::removeServer(name_);
  server_.listen(name_);
}

}  // namespace glenhaze::desktop
