#include "desktop/noise_speeds.h"

#include <QObject>
#include <QSettings>

#include "desktop/widgets/look.h"

namespace glenhaze::desktop {

namespace {

// Numbered anew when noise removal costs otherwise than it did: what was tried before says nothing then.
QString keyOf(int frames_ahead) { return QStringLiteral("noise-speed-2/%1").arg(frames_ahead); }

}  // namespace

std::array<double, 5> noiseSpeeds() {
  std::array<double, 5> speeds{};
  const QSettings settings;
  for (size_t i = 0; i < speeds.size(); ++i)
    speeds[i] = settings.value(keyOf(static_cast<int>(i))).toDouble();
  return speeds;
}

void keepNoiseSpeeds(const NoiseSpeed& speed) {
  QSettings settings;
  for (const NoiseSpeed::Row& row : speed.rows)
    settings.setValue(keyOf(row.quality.frames_each_side), row.fps);
}

QString speedText(const std::array<double, 5>& speeds) {
  QStringList parts;
  for (const NoiseQuality& q : kNoiseQualities)
    if (const double fps = speeds[static_cast<size_t>(q.frames_each_side)]; fps > 0)
      parts.append(QString::fromUtf8(q.name) + QLatin1Char(' ') + withUnit(fps, 1, QObject::tr("frames/s")));
  return parts.isEmpty() ? QObject::tr("not tried yet") : parts.join(QStringLiteral(" · "));
}

}  // namespace glenhaze::desktop
