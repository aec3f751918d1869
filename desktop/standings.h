#pragma once
// How each clip of the shoot stands against what is in the output folder: by whomever it was rendered.

#include <QObject>
#include <QTimer>
#include <memory>
#include <vector>

#include "core/run/next_step.h"
#include "desktop/background.h"

namespace glenhaze::desktop {

class Standings : public QObject {
  Q_OBJECT
 public:
  explicit Standings(QObject* parent = nullptr);

  /// Of these clips, found out in the background; what was known of others is forgotten.
  void follow(std::shared_ptr<const PlanList> plans, std::shared_ptr<FactStore> store);
  /// Again, of the same clips.
  void lookAgain() { soon_.start(); }

  /// In the order of the plans; empty until it is known.
  const std::vector<ClipStatus>& all() const { return known_; }
  /// Null until it is known.
  const ClipStatus* of(int clip) const;
  bool busy() const { return soon_.isActive() || looking_.busy(); }

 Q_SIGNALS:
  void changed();

 private:
  void look();
  QTimer soon_;
  Background looking_;
  std::shared_ptr<const PlanList> plans_;
  std::shared_ptr<FactStore> store_;
  std::vector<ClipStatus> known_;
};

}  // namespace glenhaze::desktop
