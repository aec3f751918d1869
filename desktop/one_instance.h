#pragma once
// One window for a user: what a second start is given opens in the first.

#include <QLocalServer>
#include <QObject>
#include <QStringList>

namespace glenhaze::desktop {

class OneInstance : public QObject {
  Q_OBJECT
 public:
  /// `name`: of the place where they meet; by default one for each user.
  explicit OneInstance(const QString& name = {}, QObject* parent = nullptr);

  /// Hands paths to the instance that runs already; false where there is none. Relative ones are taken from
  /// the current folder.
  bool handOver(const QStringList& paths);
  /// From now on this is the one.
  void listen();

 Q_SIGNALS:
  /// A second start was given these; none where it was started without any.
  void asked(const QStringList& paths);

 private:
  QString name_;
  QLocalServer server_;
};

}  // namespace glenhaze::desktop
