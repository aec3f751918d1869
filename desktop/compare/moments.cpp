#include "desktop/compare/moments.h"

#include "core/run/picking.h"
#include "desktop/widgets/look.h"

namespace glenhaze::desktop {

Moments::Moments(Session& session, QObject* parent) : QObject(parent), session_(session) {
  connect(&work_, &Background::changed, this, &Moments::changed);
  connect(&work_, &Background::progressed, this, &Moments::changed);
}

void Moments::setWanted(bool wanted) {
  wanted_ = wanted;
  if (wanted)
    look();
  else
    work_.stop();
  Q_EMIT changed();
}

void Moments::setClip(int clip) {
  const auto path =
      clip < 0 ? std::filesystem::path() : session_.plans()[static_cast<size_t>(clip)].info.path;
  if (path == path_) return;
  path_ = path;
  timeline_.reset();
  work_.stop();
  if (wanted_) look();
  Q_EMIT changed();
}

void Moments::look() {
  if (path_.empty() || timeline_ || work_.busy()) return;
  for (const ClipPlan& plan : session_.plans()) {
    if (plan.info.path != path_) continue;
    if (plan.info.kind != ClipKind::Film) return;
    work_.run([this, plan, store = session_.store()](const Progress& progress) -> Background::Finish {
      return [this, path = plan.info.path, found = timelineOf(plan, *store, progress)] {
        if (path == path_) timeline_ = found;
      };
    });
    return;
  }
}

QString Moments::message() const {
  if (work_.busy()) return tr("looking, %1").arg(withUnit(100 * work_.share(), 0, QStringLiteral("%")));
  return timeline_ ? QString() : work_.trouble();
}

}  // namespace glenhaze::desktop
