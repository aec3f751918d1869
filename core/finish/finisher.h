#pragma once
// The last stage of the chain: edges, then colour, on the picture as it will be delivered.

#include <memory>
#include <mutex>
#include <optional>

#include "core/finish/colour.h"
#include "core/finish/crispness.h"
#include "core/finish/settings.h"
#include "core/frame/frame.h"

namespace glenhaze {

/// Of one clip. Immutable; safe from several threads. The same bits whatever the number of threads.
class Finisher {
 public:
  /// Nothing is done where there is neither edges nor colour to be finished. Throws Error(Unreadable) for the
  /// look's file, Error(BadRequest) for a log curve that is not known.
  Finisher(const Crispness& edges, const FinishSettings& colour);

  bool changes(const Frame& frame) const;
  /// The format that frames should come in, for one that goes out in `format`: ten bits or more inside.
  static PixelFormat formatBefore(PixelFormat format);
  /// Dithered where it goes out in fewer bits than it was worked in. Tags and times are kept. Pictures that
  /// are stored as red, green and blue come out as they are.
  Frame finish(const Frame& frame, PixelFormat format) const;

 private:
  Crispness edges_;
  FinishSettings colour_;
  std::shared_ptr<const Grade> gradeOf(const Frame& frame) const;
  std::shared_ptr<const LookTable> look_, log_;
  // The tables of a grade take longer than a row: they are kept while frames stay alike.
  struct KeptGrade {
    std::mutex mutex;
    ColourTags tags;
    int height = 0;
    std::shared_ptr<const Grade> grade;
  };
  std::shared_ptr<KeptGrade> kept_ = std::make_shared<KeptGrade>();
};

}  // namespace glenhaze
