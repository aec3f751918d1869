#include "core/media/telemetry.h"

#include <algorithm>
#include <charconv>

#include "core/media/detail/ffmpeg.h"

namespace glenhaze {
namespace fs = std::filesystem;

namespace {

constexpr uintmax_t kLargestSubtitles = 16U << 20;  // an entry a frame for hours; more is something else
constexpr size_t kFirstWords = 4096;                // enough for what does not change

char lowered(char c) { return c >= 'A' && c <= 'Z' ? static_cast<char>(c + 32) : c; }
bool isWordCharacter(char c) {
  return (c >= '0' && c <= '9') || (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || c == '_';
}
bool isBlank(char c) { return c == ' ' || c == '\t' || c == '\n' || c == '\r'; }

// What stands behind `key` as a word of its own and one of `marks`; empty when there is no such place from
// `from` on. `from` is moved behind it.
std::optional<std::string_view> behind(std::string_view text, std::string_view key, std::string_view marks,
                                       size_t& from) {
  const auto same = [](char a, char b) { return lowered(a) == b; };
  while (from < text.size()) {
    const auto at =
        std::search(text.begin() + static_cast<ptrdiff_t>(from), text.end(), key.begin(), key.end(), same);
    if (at == text.end()) break;
    const auto start = static_cast<size_t>(at - text.begin());
    size_t i = start + key.size();
    from = i;
    if (start > 0 && isWordCharacter(text[start - 1])) continue;
    if (i < text.size() && isWordCharacter(text[i])) continue;
    const size_t after_key = i;
    while (i < text.size() && isBlank(text[i])) ++i;
    bool marked = i > after_key && marks.find(' ') != marks.npos;
    if (i < text.size() && text[i] != ' ' && marks.find(text[i]) != marks.npos) {
      marked = true;
      for (++i; i < text.size() && isBlank(text[i]);) ++i;
    }
    if (marked) return text.substr(i);
  }
  from = text.size();
  return std::nullopt;
}

}  // namespace

TelemetryNote parseTelemetry(std::string_view text) {
  TelemetryNote note;
  constexpr size_t kDigits = 7;  // the most that an ISO has
  size_t from = 0;
  while (!note.iso) {
    const auto value = behind(text, "iso", ":= ", from);
    if (!value) break;
    const size_t digits = std::min(value->find_first_not_of("0123456789"), value->size());
    int iso = 0;
    if (digits > 0 && digits <= kDigits) std::from_chars(value->data(), value->data() + digits, iso);
    if (iso > 0) note.iso = iso;
  }
  from = 0;
  if (const auto value = behind(text, "camera", ":=", from)) {
    note.camera = value->substr(0, value->find_first_of(";,\n\r"));
    while (!note.camera.empty() && note.camera.back() == ' ') note.camera.pop_back();
  }
  return note;
}

TimedNotes readTimedNotes(const fs::path& path) {
  TimedNotes notes;
  std::error_code code;
  const auto size = fs::is_regular_file(path, code) ? fs::file_size(path, code) : 0;
  if (code || size == 0 || size > kLargestSubtitles) return notes;
  try {
    const auto input = detail::openInput(path);
    const auto packet = detail::makePacket();
    std::string words;
    while (av_read_frame(input.get(), packet.get()) >= 0) {
      const AVStream* stream = input->streams[packet->stream_index];
      const std::string_view text(reinterpret_cast<const char*>(packet->data),
                                  static_cast<size_t>(std::max(packet->size, 0)));
      if (stream->codecpar->codec_type == AVMEDIA_TYPE_SUBTITLE && packet->pts != AV_NOPTS_VALUE) {
        if (words.size() < kFirstWords) words += std::string(text.substr(0, kFirstWords)) + "\n";
        if (const auto iso = parseTelemetry(text).iso)
          notes.isos.emplace_back(static_cast<double>(packet->pts) * av_q2d(stream->time_base), *iso);
      }
      av_packet_unref(packet.get());
    }
    notes.first = parseTelemetry(words);
  } catch (const Error&) {
    // Words beside a clip are a gift; a file that is none of them is no fault of the clip.
  }
  return notes;
}

fs::path subtitlesBeside(const fs::path& clip) {
  for (const char* ending : {".srt", ".SRT", ".vtt", ".VTT"}) {
    fs::path path = clip;
    path.replace_extension(ending);
    std::error_code code;
    if (fs::is_regular_file(path, code)) return path;
  }
  return {};
}

}  // namespace glenhaze
