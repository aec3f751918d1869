#pragma once
// Simple colour: exposure, warmth and tint in linear light, contrast about middle grey, black and white,
// colour against grey, and a table. Works on R′G′B′ of any matrix and range.

#include <memory>

#include "core/finish/settings.h"
#include "core/frame/frame.h"
#include "core/frame/primaries.h"

namespace glenhaze {

/// A look from a .cube file, one- or three-dimensional, the latter by tetrahedra (OpenColorIO). Safe from
/// several threads.
class LookTable {
 public:
  /// Throws Error(Unreadable) naming the file.
  explicit LookTable(const std::filesystem::path& file);
  ~LookTable();
  LookTable(LookTable&&) noexcept;
  LookTable& operator=(LookTable&&) noexcept;
  /// Packed R′G′B′, 0..1, in place.
  void apply(float* rgb, int pixels) const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

/// One clip's colour. Immutable; safe from several threads.
class Grade {
 public:
  /// `look`: of the settings' file; null for none.
  Grade(const FinishSettings& settings, const ColourTags& tags, int height,
        std::shared_ptr<const LookTable> look = {});

  /// Rows of Y′, Cb, Cr in 8-bit codes, in place.
  void apply(float* y, float* cb, float* cr, int count) const;

 private:
  static constexpr int kSteps = 4096;
  static constexpr float kLow = -0.125F, kHigh = 1.25F;  // of the tables; beyond them as at their ends
  using Table = std::array<float, kSteps + 1>;
  static void look(const Table& table, float* v, int count);
  void applyLook(float* r, float* g, float* b, int count) const;

  LumaWeights weights_;
  PrimaryCodes codes_;
  float black_, range_, chroma_range_;
  float saturation_;
  std::array<Table, 3> tables_;
  std::shared_ptr<const LookTable> look_;
};

}  // namespace glenhaze
