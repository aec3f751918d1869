#include "desktop/compare/transport.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <algorithm>

#include "desktop/widgets/panels.h"

namespace glenhaze::desktop {

Transport::Transport(QWidget* parent) : QWidget(parent) {
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(0, 0, 0, 0);
  const auto button = [&](const QString& text, const QString& tip, const auto& action) {
    auto* b = new QPushButton(text);
    b->setToolTip(tip);
    connect(b, &QPushButton::clicked, this, action);
    row->addWidget(b);
    return b;
  };
  button(tr("−1 frame"), tr("One frame back (,)"), [this] { Q_EMIT stepped(-1); });
  play_ =
      button(tr("Play loop"), tr("Play a few seconds over and over (P)"), [this] { Q_EMIT playPressed(); });
  sound_ = button(tr("Sound"), {}, [this] { Q_EMIT soundToggled(sound_->isChecked()); });
  sound_->setCheckable(true);
  setSound(false, {});
  button(tr("+1 frame"), tr("One frame on (.)"), [this] { Q_EMIT stepped(1); });
  button(tr("Set in"), tr("Render the clip from this frame on (I)"), [this] { Q_EMIT inPressed(); });
  button(tr("Set out"), tr("Render the clip up to this frame (O)"), [this] { Q_EMIT outPressed(); });
  button(tr("Whole clip"), tr("Render all of it again (W)"), [this] { Q_EMIT wholePressed(); });
  button(tr("Keep"),
         tr("Keep what lies between in and out as a stretch of its own (K); Shift+K: not any more"),
         [this] { Q_EMIT keepPressed(); });
  aligned_ =
      button(tr("Aligned"),
             tr("The source through the same lens, shutter and window (A), so that only noise and finish "
                "differ"),
             [this] { Q_EMIT alignedToggled(aligned_->isChecked()); });
  aligned_->setCheckable(true);
  over_time_ = button(tr("Over time"), tr("How the clip shakes, looks and sounds from moment to moment (T)"),
                      [this] { Q_EMIT overTimeToggled(over_time_->isChecked()); });
  over_time_->setCheckable(true);
  slider_ = new PositionSlider;
  slider_->setAccessibleName(tr("Position"));
  connect(slider_, &QSlider::valueChanged, this, &Transport::moved);
  row->addWidget(slider_, 1);
  position_ = new QLabel;
  position_->setMinimumWidth(120);
  position_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
  row->addWidget(position_);
}

void Transport::setFrames(int64_t frames) {
  slider_->setRange(0, static_cast<int>(std::max<int64_t>(0, frames - 1)));
}
void Transport::setFrame(int64_t frame) { slider_->setValue(static_cast<int>(frame)); }
void Transport::setRendered(std::optional<FrameRange> range) { slider_->setRendered(range); }
void Transport::setPlaying(bool playing) { play_->setText(playing ? tr("Stop") : tr("Play loop")); }
void Transport::setText(const QString& text) { position_->setText(text); }
void Transport::setSound(bool on, const QString& why_not) {
  sound_->setEnabled(why_not.isEmpty());
  sound_->setChecked(on && why_not.isEmpty());
  sound_->setToolTip(why_not.isEmpty()
                         ? tr("Hear the clip while it plays, once all frames of the loop are there (U)")
                         : why_not + QLatin1Char('.'));
}
void Transport::setOverTime(bool on) { over_time_->setChecked(on); }
void Transport::toggleAligned() { aligned_->click(); }
void Transport::toggleOverTime() { over_time_->click(); }
void Transport::setReady(int64_t frames) {
  position_->setToolTip(tr("%1 frames are ready to play").arg(frames));
}

}  // namespace glenhaze::desktop
