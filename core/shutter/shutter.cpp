#include "core/shutter/shutter.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/error.h"

namespace glenhaze {

namespace {

constexpr std::array<const char*, 5> kNames = {"down", "up", "left", "right", "unknown"};

}  // namespace

std::string scanDirectionName(ScanDirection direction) { return kNames[static_cast<size_t>(direction)]; }

std::optional<ScanDirection> scanDirectionFromName(const std::string& name) {
  const auto* const at = std::find(kNames.begin(), kNames.end(), name);
  if (at == kNames.end()) return std::nullopt;
  return static_cast<ScanDirection>(at - kNames.begin());
}

void Shutter::validate() const {
  // Nothing reads longer than it takes to film ten frames a second; a larger value is a slip of units.
  if (!(readout_s >= 0 && readout_s <= 0.1))
    throw Error(ErrorKind::BadRequest, "The readout is not usable", "",
                std::to_string(readout_s * 1000) + " ms", "Give it in milliseconds, from 0 to 100");
}

ScanDirection turnedClockwise(ScanDirection direction, int degrees) {
  // Clockwise, in quarters.
  constexpr std::array<ScanDirection, 4> kRound = {ScanDirection::Up, ScanDirection::Right,
                                                   ScanDirection::Down, ScanDirection::Left};
  const auto* const at = std::find(kRound.begin(), kRound.end(), direction);
  if (at == kRound.end()) return direction;
  const int quarters = ((degrees / 90) % 4 + 4) % 4;
  return kRound[static_cast<size_t>((at - kRound.begin() + quarters) % 4)];
}

Point signedReadout(const Shutter& shutter) {
  switch (shutter.direction) {
    case ScanDirection::Down:
      return {0, shutter.readout_s};
    case ScanDirection::Up:
      return {0, -shutter.readout_s};
    case ScanDirection::Right:
      return {shutter.readout_s, 0};
    case ScanDirection::Left:
      return {-shutter.readout_s, 0};
    default:
      return {};
  }
}

RowTimes::RowTimes(Point readout_s, int width, int height)
    : offset_(-(readout_s.x + readout_s.y) / 2),
      per_x_(readout_s.x / std::max(1, width - 1)),
      per_y_(readout_s.y / std::max(1, height - 1)),
      reach_((std::abs(readout_s.x) + std::abs(readout_s.y)) / 2) {}

RowTimes::RowTimes(const Shutter& shutter, int width, int height)
    : RowTimes(signedReadout(shutter), width, height) {}

}  // namespace glenhaze
