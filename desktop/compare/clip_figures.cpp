#include "desktop/compare/clip_figures.h"

#include <QObject>

#include "desktop/widgets/look.h"

namespace glenhaze::desktop {

namespace {

QString shareText(double share) { return withUnit(share * 100, share < 0.1 ? 1 : 0, QStringLiteral("%")); }

QString row(const QString& name, const QString& value) {
  return QStringLiteral("<tr><td style='color:#B4B5B3;padding:2px 14px 2px 0'>%1</td><td>%2</td></tr>")
      .arg(name, value);
}

}  // namespace

QString clipFigures(const ClipPlan& plan, const std::vector<Profile>& profiles, const MotionAnswer* motion) {
  QString text = QStringLiteral("<table cellspacing='0'>");
  if (!plan.stretches.empty()) {
    double seconds = 0;
    for (const StretchPlace& s : plan.stretches)
      seconds += plan.info.frameTime(s.stretch.frames.last) - plan.info.frameTime(s.stretch.frames.first);
    const auto count = static_cast<int>(std::ssize(plan.stretches));
    text += row(
        QObject::tr("rendered"),
        (count == 1 ? QObject::tr("1 stretch, %1")
                    : QObject::tr("%2 stretches, %1").replace(QStringLiteral("%2"), QString::number(count)))
            .arg(withUnit(seconds, 1, QObject::tr("s"))));
  } else if (plan.job.range)
    text += row(QObject::tr("rendered"),
                QObject::tr("frames %1 to %2").arg(plan.job.range->first + 1).arg(plan.job.range->last));
  text += row(QObject::tr("profile"),
              plan.match.profile >= 0
                  ? QString::fromStdString(profiles[static_cast<size_t>(plan.match.profile)].camera.name)
                  : QObject::tr("none"));
  // What the figure in the profile is depends on how it was measured.
  const Profile* profile =
      plan.match.profile >= 0 ? &profiles[static_cast<size_t>(plan.match.profile)] : nullptr;
  const bool chart = profile != nullptr && profile->lens && profile->lens->method == "chart";
  text += row(chart ? QObject::tr("chart residual") : QObject::tr("straightness left"),
              plan.lens.figure.empty() ? QStringLiteral("—")
                                       : QString::fromStdString(plan.lens.figure) + QLatin1Char(' ') +
                                             coverageName(plan.lens.kind));
  text += row(QObject::tr("noise"), plan.noise.figure.empty()
                                        ? QStringLiteral("—")
                                        : QString::fromStdString(plan.noise.figure) + QLatin1Char(' ') +
                                              coverageName(plan.noise.kind));
  if (plan.shutter.kind != Coverage::Missing)
    text += row(QObject::tr("readout"), QString::fromStdString(plan.shutter.figure) + QLatin1Char(' ') +
                                            coverageName(plan.shutter.kind));
  if (motion != nullptr && plan.motion.settings.steadying != Steadying::Off) {
    const StabilizedClip& s = motion->stabilized;
    text += row(QObject::tr("shake"), QObject::tr("%1 to %2")
                                          .arg(withUnit(s.shake_before_deg, 2, {}),
                                               withUnit(s.shake_after_deg, 3, QStringLiteral("°"))));
    text += row(QObject::tr("crop"), shareText(s.crop));
    if (!s.advice.empty()) text += row(QObject::tr("advice"), QString::fromStdString(s.advice));
  }
  if (plan.job.correction.lens) {
    const CorrectionFigures f = figuresOf(plan.decision.treatment);
    text += row(QObject::tr("enlarged"), QObject::tr("centre %1, corners %2")
                                             .arg(withUnit(f.centre_enlargement, 2, QStringLiteral("×")),
                                                  withUnit(f.corner_enlargement, 2, QStringLiteral("×"))));
    text += row(QObject::tr("lost of the source"), shareText(f.lost_share));
    if (f.blank_share > 0) text += row(QObject::tr("blank"), shareText(f.blank_share));
  }
  return text + QStringLiteral("</table>");
}

}  // namespace glenhaze::desktop
