#include "desktop/compare/loop_sound.h"

#include <QAudioDevice>
#include <QAudioSink>
#include <QIODevice>
#include <QMediaDevices>
#include <algorithm>
#include <cmath>

#include "core/media/sound.h"

namespace glenhaze::desktop {

namespace {

constexpr auto kChannels = static_cast<size_t>(SoundOutput::kChannels);

// What the device draws from: never at its end.
class Source : public QIODevice {
 public:
  explicit Source(std::function<void(std::span<float>)> fill) : fill_(std::move(fill)) {
    open(QIODevice::ReadOnly);
  }
  qint64 bytesAvailable() const override { return qint64{1} << 20; }
  bool isSequential() const override { return true; }

 protected:
  qint64 readData(char* data, qint64 most) override {
    constexpr auto kFrame = static_cast<qint64>(sizeof(float) * kChannels);
    const qint64 frames = most / kFrame;
    buffer_.resize(static_cast<size_t>(frames) * kChannels);
    fill_(buffer_);
    std::memcpy(data, buffer_.data(), static_cast<size_t>(frames * kFrame));
    return frames * kFrame;
  }
  qint64 writeData(const char*, qint64) override { return -1; }

 private:
  std::function<void(std::span<float>)> fill_;
  std::vector<float> buffer_;
};

class Device : public SoundOutput {
 public:
  bool available() const override { return !QMediaDevices::defaultAudioOutput().isNull(); }
  void start(std::function<void(std::span<float>)> fill) override {
    stop();
    QAudioFormat format;
    format.setSampleRate(kRate);
    format.setChannelCount(kChannels);
    format.setSampleFormat(QAudioFormat::Float);
    source_ = std::make_unique<Source>(std::move(fill));
    sink_ = std::make_unique<QAudioSink>(QMediaDevices::defaultAudioOutput(), format);
    sink_->start(source_.get());
  }
  void stop() override {
    if (sink_) sink_->stop();
    sink_.reset();
    source_.reset();
  }
  double heard_s() const override { return sink_ ? 1e-6 * static_cast<double>(sink_->processedUSecs()) : 0; }

 private:
  std::unique_ptr<Source> source_;
  std::unique_ptr<QAudioSink> sink_;
};

// Both ends let go and taken up within so many samples: a loop that jumps would click.
constexpr size_t kEase = 240;  // 5 ms

void easeEnds(std::vector<float>& samples) {
  const size_t frames = samples.size() / kChannels, ease = std::min(kEase, frames / 2);
  for (size_t i = 0; i < ease; ++i) {
    const float share = static_cast<float>(i) / static_cast<float>(ease);
    for (size_t c = 0; c < kChannels; ++c) {
      samples[i * kChannels + c] *= share;
      samples[(frames - 1 - i) * kChannels + c] *= share;
    }
  }
}

size_t sampleAt(const ClipInfo& clip, const FrameRange& frames, int64_t frame) {
  const double from = clip.frameTime(frames.first);
  return static_cast<size_t>(std::llround(std::max(0.0, clip.frameTime(frame) - from) * SoundOutput::kRate));
}

}  // namespace

std::unique_ptr<SoundOutput> deviceOutput() { return std::make_unique<Device>(); }

LoopSound::LoopSound(std::unique_ptr<SoundOutput> output, QObject* parent)
    : QObject(parent), output_(std::move(output)) {
  connect(&reading_, &Background::changed, this, &LoopSound::changed);
}

LoopSound::~LoopSound() { output_->stop(); }

void LoopSound::setLoop(const ClipInfo& clip, const FrameRange& frames) {
  if (clip.path == clip_.path && frames == frames_) return;
  stop();
  reading_.stop();
  reading_.setTrouble({});
  samples_.reset();
  clip_ = clip;
  frames_ = frames;
  if (!available() || clip.sound.empty() || frames.count() <= 0) return Q_EMIT changed();
  reading_.run([this, clip, frames](const Progress& progress) -> Background::Finish {
    SoundReader reader(clip, SoundOutput::kRate, SoundOutput::kChannels);
    reader.seek(std::llround((clip.frameTime(frames.first) - clip.frameTime(0)) * SoundOutput::kRate));
    auto samples = std::make_shared<std::vector<float>>(
        std::max<size_t>(1, sampleAt(clip, frames, frames.last)) * kChannels);
    progress.check();
    reader.read(*samples);
    easeEnds(*samples);
    return [this, samples] { samples_ = samples; };
  });
}

QString LoopSound::whyNot() const {
  if (!available()) return tr("There is no sound device here");
  if (clip_.sound.empty()) return tr("The clip has no sound");
  return reading_.trouble();
}

void LoopSound::play(int64_t from) {
  stop();
  if (!samples_) return;
  const size_t frames = samples_->size() / kChannels;
  start_ = sampleAt(clip_, frames_, std::clamp(from, frames_.first, frames_.last - 1)) % frames;
  playing_ = true;
  // What is drawn from outlives whoever draws.
  output_->start([samples = samples_, at = start_, frames](std::span<float> to) mutable {
    for (size_t i = 0; i + kChannels <= to.size(); i += kChannels) {
      for (size_t c = 0; c < kChannels; ++c) to[i + c] = (*samples)[at * kChannels + c];
      at = (at + 1) % frames;
    }
  });
}

void LoopSound::stop() {
  if (playing_) output_->stop();
  playing_ = false;
}

int64_t LoopSound::frame() const {
  if (!samples_) return frames_.first;
  const size_t all = samples_->size() / kChannels;
  const auto heard = static_cast<size_t>(std::max(0.0, output_->heard_s()) * SoundOutput::kRate);
  const size_t at = (start_ + heard) % all;
  // Frames are shown from their own time on.
  int64_t frame = frames_.first + static_cast<int64_t>(static_cast<double>(at) / static_cast<double>(all) *
                                                       static_cast<double>(frames_.count()));
  while (frame > frames_.first && sampleAt(clip_, frames_, frame) > at) --frame;
  while (frame + 1 < frames_.last && sampleAt(clip_, frames_, frame + 1) <= at) ++frame;
  return frame;
}

}  // namespace glenhaze::desktop
