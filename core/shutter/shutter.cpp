#include "core/shutter/shutter.h"

#include <algorithm>
#include <array>

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

RowTimes::RowTimes(const Shutter& shutter, int width, int height) {
  const double across = shutter.readout_s / std::max(1, width - 1),
               down = shutter.readout_s / std::max(1, height - 1);
  switch (shutter.direction) {
    case ScanDirection::Down:
      per_y_ = down;
      offset_ = -shutter.readout_s / 2;
      break;
    case ScanDirection::Up:
      per_y_ = -down;
      offset_ = shutter.readout_s / 2;
      break;
    case ScanDirection::Right:
      per_x_ = across;
      offset_ = -shutter.readout_s / 2;
      break;
    case ScanDirection::Left:
      per_x_ = -across;
      offset_ = shutter.readout_s / 2;
      break;
    case ScanDirection::Unknown:
      break;
  }
}

}  // namespace glenhaze
