#include "desktop/compare/variant_board.h"

#include <QLabel>
#include <QPushButton>
#include <cmath>

#include "desktop/compare/preview.h"
#include "desktop/widgets/look.h"
#include "desktop/widgets/panels.h"
#include "desktop/widgets/picture_view.h"

namespace glenhaze::desktop {

namespace {

// Where one begins: less of everything, more of it, and more frames. All can be replaced.
std::vector<DenoiseSettings> around(const DenoiseSettings& set) {
  DenoiseSettings less = set, more = set, longer = set;
  less.luma = std::max(0.0, set.luma * 0.6);
  less.smoothing = std::max(0.0, set.smoothing * 0.6);
  more.luma = std::min(4.0, set.luma * 1.4);
  more.smoothing = std::min(3.0, set.smoothing * 1.4);
  longer.frames_each_side = set.frames_each_side >= 2 ? 4 : 2;
  return {set, less, more, longer};
}

}  // namespace

QString differenceText(const DenoiseSettings& s, const DenoiseSettings& from) {
  QStringList parts;
  const auto times = [&](const QString& name, double value, double other) {
    if (std::abs(value - other) > 1e-9)
      parts.append(name + QLatin1Char(' ') + withUnit(value, 2, QStringLiteral("×")));
  };
  times(QObject::tr("luma"), s.luma, from.luma);
  times(QObject::tr("colour"), s.chroma, from.chroma);
  times(QObject::tr("texture"), s.smoothing, from.smoothing);
  times(QObject::tr("motion"), s.tolerance, from.tolerance);
  if (s.frames_each_side != from.frames_each_side)
    parts.append(s.frames_each_side == 1 ? QObject::tr("1 frame ahead")
                                         : QObject::tr("%1 frames ahead").arg(s.frames_each_side));
  if (s.reach != from.reach) parts.append(QObject::tr("octaves %1").arg(s.reach));
  const auto share = [&](const QString& name, double value, double other) {
    if (std::abs(value - other) > 1e-9)
      parts.append(name + QLatin1Char(' ') + withUnit(value * 100, 0, QStringLiteral("%")));
  };
  share(QObject::tr("source"), s.mix, from.mix);
  share(QObject::tr("blocks"), s.blocks, from.blocks);
  share(QObject::tr("shadows"), s.shadow_colour, from.shadow_colour);
  share(QObject::tr("flicker"), s.flicker, from.flicker);
  if (s.specks != from.specks) parts.append(s.specks != 0 ? QObject::tr("specks") : QObject::tr("no specks"));
  return parts.isEmpty() ? QObject::tr("as set") : parts.join(QStringLiteral(" · "));
}

VariantBoard::VariantBoard(QWidget* parent) : TileBoard(parent) {
  for (size_t i = 1; i < kMost; ++i) {
    connect(addButton(i, tr("Use"), tr("Treat the clip like this")), &QPushButton::clicked, this, [this, i] {
      if (i < variants_.size()) Q_EMIT chosen(variants_[i]);
    });
    connect(addButton(i, tr("Hold here"),
                      tr("Keep what is set now in this place, to compare later settings with it")),
            &QPushButton::clicked, this, [this, i] {
              if (i >= variants_.size()) return;
              variants_[i] = variants_.front();
              refresh();
            });
  }
  connect(&work_, &Background::changed, this, [this] {
    if (!work_.trouble().isEmpty()) tile(0).figures->setText(work_.trouble());
  });
}

void VariantBoard::setFrame(const ClipInfo& clip, Fields fields, int64_t frame,
                            const Correction& correction) {
  const bool same =
      clip.path == clip_.path && frame == frame_ && fields == fields_ && correction == correction_;
  if (same && (settled_ || work_.busy())) return;
  if (clip.path != clip_.path || variants_.empty()) variants_ = around(correction.denoise);
  variants_.front() = correction.denoise;
  clip_ = clip;
  fields_ = fields;
  frame_ = frame;
  correction_ = correction;
  refresh();
}

void VariantBoard::refresh() {
  settled_ = false;
  for (size_t i = 0; i < kMost; ++i) {
    tile(i).name->setText(i == 0 ? tr("as set") : differenceText(variants_[i], variants_.front()));
    tile(i).figures->setText(correction_.noise ? tr("working…") : tr("no noise curve"));
  }
  if (!correction_.noise) return;
  work_.run([this, clip = clip_, fields = fields_, frame = frame_, correction = correction_,
             variants = variants_](const Progress& progress) -> Background::Finish {
    auto results = tryVariants(clip, fields, frame, correction, variants, progress);
    return [this, results = std::move(results)] { show(results); };
  });
}

void VariantBoard::show(const std::vector<VariantFrame>& results) {
  for (size_t i = 0; i < std::min(kMost, results.size()); ++i) {
    const VariantFrame& r = results[i];
    pictures_[i] = {imageOf(r.corrected), QSize(r.corrected.width, r.corrected.height)};
    QString text =
        r.removal.noise_left
            ? tr("noise left %1").arg(withUnit(*r.removal.noise_left * 100, 0, QStringLiteral("%")))
            : tr("noise left: no flat place");
    if (r.removal.takes_structure)
      text += tr(" · ▲ structure %1").arg(withUnit(r.removal.structure_taken * 100, 0, QStringLiteral("%")));
    tile(i).figures->setText(text);
    tile(i).figures->setToolTip(tr("This frame took %1").arg(withUnit(r.seconds, 2, QStringLiteral("s"))));
  }
  settled_ = true;
  present();
}

void VariantBoard::present() {
  for (size_t i = 0; i < kMost; ++i)
    tile(i).view->setPicture(liftedImage(pictures_[i].first, lift_), pictures_[i].second);
}

void VariantBoard::setLift(int stops) {
  lift_ = stops;
  present();
}

}  // namespace glenhaze::desktop
