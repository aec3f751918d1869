#pragma once
// One piece of work at a time, off the interface thread.

#include <QObject>
#include <QString>
#include <QThreadPool>
#include <functional>

#include "core/base/progress.h"

namespace glenhaze::desktop {

class Background : public QObject {
  Q_OBJECT
 public:
  /// What is to be done with the result, back on the interface thread.
  using Finish = std::function<void()>;
  using Work = std::function<Finish(const Progress&)>;

  explicit Background(QObject* parent = nullptr) : QObject(parent) {}
  ~Background() override;

  /// Runs `work` elsewhere, then its Finish here. Stops what was going on; an answer that nobody waits for
  /// any more is dropped. An Error thrown by `work` becomes the trouble.
  void run(Work work);
  void stop();
  bool busy() const { return busy_; }
  double share() const { return share_; }
  /// What went wrong last, "" when nothing did.
  const QString& trouble() const { return trouble_; }
  void setTrouble(const QString& text) { trouble_ = text; }

 Q_SIGNALS:
  void changed();  ///< begun or ended; after Finish
  void progressed(double share);

 private:
  bool busy_ = false;
  double share_ = 0;
  QString trouble_;
  int request_ = 0;
  std::stop_source stop_;
  QThreadPool pool_;  // see runElsewhere()
};

}  // namespace glenhaze::desktop
