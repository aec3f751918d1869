#pragma once
// The sound of the few seconds that are played over and over.

#include <QObject>
#include <atomic>
#include <functional>
#include <memory>
#include <span>
#include <vector>

#include "core/media/clip_info.h"
#include "core/media/writer.h"
#include "desktop/background.h"

namespace glenhaze::desktop {

/// Where sound goes: the computer's device, or a stand-in for it.
class SoundOutput {
 public:
  static constexpr int kRate = 48000, kChannels = 2;
  virtual ~SoundOutput() = default;
  virtual bool available() const = 0;
  /// Asks for samples, channels side by side, until it is stopped; from any thread.
  virtual void start(std::function<void(std::span<float>)> fill) = 0;
  virtual void stop() = 0;
  /// Seconds that were heard since the start.
  virtual double heard_s() const = 0;
};
/// The computer's usual device; not available where there is none.
std::unique_ptr<SoundOutput> deviceOutput();

class LoopSound : public QObject {
  Q_OBJECT
 public:
  explicit LoopSound(std::unique_ptr<SoundOutput> output, QObject* parent = nullptr);
  ~LoopSound() override;

  /// Reads it in the background; what plays stops.
  void setLoop(const ClipInfo& clip, const FrameRange& frames);
  bool available() const { return output_->available(); }
  /// Why nothing is to be heard; "" where something is, or will be soon.
  QString whyNot() const;
  bool ready() const { return samples_ != nullptr; }

  /// From a frame of the loop on, over and over.
  void play(int64_t from);
  void stop();
  bool playing() const { return playing_; }
  /// The frame that belongs to what is heard now; only while it plays.
  int64_t frame() const;

 Q_SIGNALS:
  void changed();

 private:
  std::unique_ptr<SoundOutput> output_;
  Background reading_;
  ClipInfo clip_;
  FrameRange frames_{0, 0};
  std::shared_ptr<const std::vector<float>> samples_;
  size_t start_ = 0;  // sample frames into the loop where it was begun
  bool playing_ = false;
};

}  // namespace glenhaze::desktop
