#include "core/media/timecode.h"

#include <array>

#include "core/media/detail/ffmpeg.h"

namespace glenhaze {

std::string timecodeAfter(const std::string& timecode, const Rational& rate, int64_t frames) {
  const std::string from = timecode.empty() ? "00:00:00:00" : timecode;
  AVTimecode code{};
  const AVRational fps{static_cast<int>(rate.num), static_cast<int>(rate.den)};
  if (av_timecode_init_from_string(&code, fps, from.c_str(), nullptr) < 0) return timecode;
  std::array<char, AV_TIMECODE_STR_SIZE> text{};
  return av_timecode_make_string(&code, text.data(), static_cast<int>(frames));
}

}  // namespace glenhaze
