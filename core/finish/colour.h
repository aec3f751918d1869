#pragma once
// Simple colour: exposure, warmth and tint in linear light, contrast about middle grey, black and white,
// colour against grey, and a table. Works on R′G′B′ of any matrix and range.

#include <array>
#include <memory>
#include <string>
#include <vector>

#include "core/finish/detail/grade_kernel.h"
#include "core/finish/settings.h"
#include "core/frame/frame.h"
#include "core/frame/primaries.h"

namespace glenhaze {

/// Log curves with their primaries that can be taken out, by the names that OpenColorIO has built in.
const std::vector<std::string>& logCurves();
/// Throws Error(BadRequest), naming what is known, for a name that is neither empty nor one of these.
void requireLogCurve(const std::string& name);

/// A table from R′G′B′ to R′G′B′ (OpenColorIO). Safe from several threads.
class LookTable {
 public:
  /// A look from a .cube file, one- or three-dimensional, the latter by tetrahedra. Throws Error(Unreadable)
  /// naming the file.
  explicit LookTable(const std::filesystem::path& file);
  /// From a camera's log picture to one for a screen of ITU-R BT.709: to the light of the scene as
  /// ACES2065-1 (SMPTE ST 2065-1), and from there by the ACES output transform for video, which lets bright
  /// lights roll off. Throws Error(BadRequest) for a name that is not known.
  static LookTable ofLogCurve(const std::string& name);
  ~LookTable();
  LookTable(LookTable&&) noexcept;
  LookTable& operator=(LookTable&&) noexcept;
  /// Rows of R′, G′ and B′ in place; 0..1 is v·gain + offset.
  void apply(float* r, float* g, float* b, int count, float gain = 1, float offset = 0) const;

 private:
  LookTable();
  struct State;
  std::unique_ptr<State> state_;
};

/// One clip's colour. Immutable; safe from several threads.
class Grade {
 public:
  /// `look`: of the settings' file, `log`: of its log curve; null for none.
  Grade(const FinishSettings& settings, const ColourTags& tags, int height,
        std::shared_ptr<const LookTable> look = {}, std::shared_ptr<const LookTable> log = {});

  /// The tags of a picture after it: without its log curve it is one of BT.709.
  static ColourTags tagsAfter(const FinishSettings& settings, ColourTags tags);

  /// Rows of Y′, Cb, Cr in 8-bit codes, in place.
  void apply(float* y, float* cb, float* cr, int count) const;

 private:
  static constexpr int kSteps = 4096;
  static constexpr float kLow = -0.125F, kHigh = 1.25F;  // of the tables; beyond them as at their ends
  using Table = std::array<float, kSteps + 1>;
  detail::GradeWeights weights_;
  detail::CodeRange range_;
  detail::PrimaryMix mix_;
  detail::ColourStrength strength_;
  std::array<Table, 3> tables_;
  detail::GradeRows rows_;
  std::shared_ptr<const LookTable> look_, log_;
};

}  // namespace glenhaze
