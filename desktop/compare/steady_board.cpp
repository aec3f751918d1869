#include "desktop/compare/steady_board.h"

#include <QLabel>
#include <QPushButton>

#include "desktop/compare/preview.h"
#include "desktop/widgets/look.h"
#include "desktop/widgets/picture_view.h"

namespace glenhaze::desktop {

namespace {

constexpr int kWidth = 640;  // px: tiles are not larger, and 75 frames of four pictures stay in 300 MB

}  // namespace

QString strengthText(const StabilizationSettings& s) {
  switch (s.steadying) {
    case Steadying::Off:
      return QObject::tr("as filmed");
    case Steadying::HoldStill:
      return QObject::tr("held still");
    case Steadying::KeepMove:
      break;
  }
  return QObject::tr("smooth %1").arg(withUnit(s.smoothing_s, 2, QStringLiteral("s")));
}

SteadyBoard::SteadyBoard(std::shared_ptr<PictureCache> pictures, QWidget* parent)
    : TileBoard(parent), pictures_(std::move(pictures)), owner_(pictures_->newOwner()) {
  for (size_t i = 2; i < kMost; ++i)
    connect(addButton(i, tr("Use"), tr("Steady the clip like this")), &QPushButton::clicked, this, [this, i] {
      if (i - 1 < strengths_.size()) Q_EMIT chosen(strengths_[i - 1]);
    });
  connect(&work_, &Background::changed, this, [this] {
    if (!work_.trouble().isEmpty()) tile(0).figures->setText(work_.trouble());
  });
}

SteadyBoard::~SteadyBoard() { pictures_->forget(owner_); }

void SteadyBoard::setClip(const MotionRequest& request, const Correction& correction,
                          std::shared_ptr<const MotionAnswer> answer, FrameRange range, const QString& why) {
  const std::string key = request.clip.path.string() + motionFingerprint(request) +
                          std::to_string(range.first) + "-" + std::to_string(range.last) +
                          (answer ? "" : " unknown");
  if (key == key_ && correction == correction_) return;
  key_ = key;
  correction_ = correction;
  pictures_->forget(owner_);
  strengths_.clear();
  work_.stop();
  for (size_t i = 0; i < kMost; ++i) {
    tile(i).view->setPicture({}, {});
    tile(i).name->setText(i == 0 ? tr("source") : QString());
    tile(i).figures->setText(i == 0 ? why : QString());
  }
  if (answer) begin(request, correction, *answer, range);
}

void SteadyBoard::begin(const MotionRequest& request, const Correction& correction,
                        const MotionAnswer& answer, FrameRange range) {
  strengths_ = strengthsAround(request.settings, answer.stabilized.can_hold_still);
  range.last = std::min(range.last, range.first + kMostFrames);
  tile(0).figures->setText(tr("working…"));
  work_.run([this, request, correction, answer, range, strengths = strengths_,
             key = key_](const Progress& progress) -> Background::Finish {
    std::vector<std::shared_ptr<const ClipMotion>> motions;
    std::vector<StabilizedClip> clips;
    for (const StabilizationSettings& s : strengths) {
      const MotionAnswer other = steadiedBy(answer, request, s);
      motions.push_back(other.motion);
      clips.push_back(other.stabilized);
    }
    const auto onBoard = [this, key](auto action) {
      QMetaObject::invokeMethod(
          this,
          [this, key, action = std::move(action)] {
            if (key == key_) action();
          },
          Qt::QueuedConnection);
    };
    onBoard([this, clips] { nameTiles(clips); });
    playVariants(
        request.clip, request.fields, range, correction, motions, kWidth,
        [&](const SteadyFrames& f) {
          auto p = std::make_shared<Pictures>();
          p->images[0] = imageOf(f.source);
          for (size_t i = 0; i < f.corrected.size(); ++i) p->images[i + 1] = imageOf(f.corrected[i]);
          size_t bytes = 0;
          for (const QImage& image : p->images) bytes += static_cast<size_t>(image.sizeInBytes());
          onBoard([this, p, bytes, index = f.index] {
            pictures_->put(owner_, index, p, bytes);
            Q_EMIT filled(index);
          });
          return true;
        },
        progress);
    return [] {};
  });
}

void SteadyBoard::nameTiles(const std::vector<StabilizedClip>& clips) {
  if (clips.empty()) return;
  tile(0).figures->setText(tr("shake %1").arg(withUnit(clips[0].shake_before_deg, 2, QStringLiteral("°"))));
  for (size_t i = 0; i < clips.size(); ++i) {
    const StabilizedClip& c = clips[i];
    const QString what = strengthText(strengths_[i]);
    tile(i + 1).name->setText(i == 0 ? tr("as set: %1").arg(what) : what);
    tile(i + 1).figures->setText(tr("shake %1 · crop %2")
                                     .arg(withUnit(c.shake_after_deg, 3, QStringLiteral("°")),
                                          withUnit(c.crop * 100, 1, QStringLiteral("%"))));
    tile(i + 1).figures->setToolTip(QString::fromStdString(c.advice));
  }
}

void SteadyBoard::showFrame(int64_t index) {
  const auto known = std::static_pointer_cast<const Pictures>(pictures_->find(owner_, index));
  if (!known) return;
  for (size_t i = 0; i < kMost; ++i) {
    const QImage& image = known->images[i];
    tile(i).view->setPicture(image, image.size());
  }
}

int64_t SteadyBoard::after(int64_t index) const {
  if (const auto next = pictures_->next(owner_, index + 1)) return *next;
  return pictures_->next(owner_, INT64_MIN).value_or(-1);
}

}  // namespace glenhaze::desktop
