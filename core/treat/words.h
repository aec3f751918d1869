#pragma once
// What a decision means, in words and figures: coverage cells, what was done, what it costs. Nothing is
// decided here.

#include <span>
#include <string>
#include <vector>

#include "core/treat/decide.h"

namespace glenhaze {

/// How a part of the correction stands for one clip.
enum class Coverage { Measured, ByHand, Borrowed, Estimated, Missing, Off, Doubtful };

struct CoverageCell {
  Coverage kind = Coverage::Missing;
  std::string figure;  ///< "0.31 px"; "" when there is none
  std::string reason;  ///< a sentence
};

struct Coverages {
  CoverageCell lens, shutter, noise, stabilization, finish;
};
/// `doubts`: checkProfile of the profile that the clip matches; looking a lens over takes too long for each
/// clip.
Coverages coveragesOf(const Shoot& shoot, const ShootClip& clip, const ClipFacts& facts,
                      const Decision& decision, std::span<const Profile> profiles,
                      std::span<const std::string> doubts);

/// What a treatment does to the picture of a clip, part by part: "lens", "noise (ISO 400)", …; empty when
/// nothing. Sizes are said as the clip is shown.
std::vector<std::string> partsDone(const Treatment& treatment, const ClipInfo& clip);
/// The same as a sentence.
std::string doneText(const Treatment& treatment, const ClipInfo& clip);

/// What differs between two partDigests: "noise", "lens and size", …; "" where nothing does or it cannot be
/// told.
std::string whatChanged(const std::string& digests_before, const std::string& digests_now);

/// Figures of what a treatment does to a clip's picture.
struct CorrectionFigures {
  double corner_enlargement = 1;
  double centre_enlargement = 1;
  double lost_share = 0;
  double blank_share = 0;
};
CorrectionFigures figuresOf(const Treatment& treatment);

}  // namespace glenhaze
