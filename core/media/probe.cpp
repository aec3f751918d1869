#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <fstream>
#include <map>
#include <span>

#include "core/base/numbers.h"
#include "core/base/utf8.h"
#include "core/frame/av_format.h"
#include "core/media/clip_info.h"
#include "core/media/detail/ffmpeg.h"
#include "core/media/detail/lean_input.h"
#include "core/media/detail/promised_size.h"
#include "core/media/sequence.h"
#include "core/media/telemetry.h"

namespace glenhaze {

namespace {

using detail::tag;

// Keys under which cameras write who made the file. The long ones are the namespaced forms that
// phones write into MP4 and QuickTime files (container format facts, from memory).
std::string firstTag(const AVFormatContext& input, int video, std::initializer_list<const char*> keys) {
  for (const char* key : keys) {
    const std::string in_file = tag(input.metadata, key);
    if (!in_file.empty()) return asUtf8(in_file);
    const std::string in_stream = tag(input.streams[video]->metadata, key);
    if (!in_stream.empty()) return asUtf8(in_stream);
  }
  return "";
}

std::optional<int> parseIso(const std::string& text) {
  // EXIF gives "400" or, where there are several, "400, 0, 0".
  const auto iso = parseNumber(std::string_view(text).substr(0, text.find(',')));
  return iso && *iso >= 1 && *iso < 1e7 ? std::optional<int>(static_cast<int>(*iso)) : std::nullopt;
}

// How the picture is to be turned for showing it.
struct Orientation {
  int rotation = 0;
  bool mirrored = false;
};

// The matrix takes a stored (x, y) to (a·x + c·y, b·x + d·y) on the screen, 16.16 fixed point in its places
// 0, 1, 3 and 4 (ISO/IEC 14496-12, "tkhd"; libavutil/display.h). Where its determinant is negative it also
// mirrors.
Orientation orientationOf(const AVStream& stream) {
  size_t size = 0;
  const uint8_t* data = av_stream_get_side_data(&stream, AV_PKT_DATA_DISPLAYMATRIX, &size);
  if (data == nullptr || size < 9 * sizeof(int32_t)) return {};
  std::array<int32_t, 9> m{};
  std::memcpy(m.data(), data, sizeof m);
  Orientation o;
  o.mirrored = static_cast<double>(m[0]) * m[4] - static_cast<double>(m[1]) * m[3] < 0;
  // Mirrored means: turned first, then left and right swapped; swapping them back leaves the turn alone.
  if (o.mirrored) av_display_matrix_flip(m.data(), 1, 0);
  // FFmpeg counts counter-clockwise.
  const double degrees = -av_display_rotation_get(m.data());
  const long quarter = std::isfinite(degrees) ? std::lround(degrees / 90.0) : 0;
  o.rotation = static_cast<int>(((quarter % 4) + 4) % 4) * 90;
  return o;
}

struct PacketScan {
  std::vector<std::pair<double, int>> isos;  ///< by telemetry, s
  std::vector<int64_t> stamps;               ///< of the frames, as they lie in the file
  int64_t first_pts = AV_NOPTS_VALUE;
  int64_t last_end = 0;
  int64_t missing = 0;    ///< frames whose data lies beyond the end of the file
  int64_t promised = 0;   ///< frames that the index speaks of
  int64_t cut_bytes = 0;  ///< of the file's end, where it says itself how long it is
  bool variable = false;
  bool whole = false;  ///< went on to the end of the file
  std::string telemetry;
  int64_t frames() const { return static_cast<int64_t>(stamps.size()); }
};

// True when the gaps between sorted time stamps differ by more than rounding to the time base.
bool gapsVary(std::vector<int64_t> stamps, const AVRational& time_base) {
  if (std::erase(stamps, AV_NOPTS_VALUE) > 0 || stamps.size() < 3) return false;
  std::sort(stamps.begin(), stamps.end());
  std::vector<int64_t> gaps;
  for (size_t i = 1; i < stamps.size(); ++i) gaps.push_back(stamps[i] - stamps[i - 1]);
  std::vector<int64_t> sorted = gaps;
  std::nth_element(sorted.begin(), sorted.begin() + static_cast<ptrdiff_t>(sorted.size() / 2), sorted.end());
  const int64_t typical = sorted[sorted.size() / 2];
  // Containers that keep milliseconds round by one tick either way; allow 2 ms or 5 %.
  const double tick_s = av_q2d(time_base);
  const double allowed = std::max(2.0, std::max(0.002 / tick_s, 0.05 * static_cast<double>(typical)));
  return std::any_of(gaps.begin(), gaps.end(),
                     [&](int64_t gap) { return std::abs(static_cast<double>(gap - typical)) > allowed; });
}

int firstSubtitles(const AVFormatContext& input) {
  for (unsigned i = 0; i < input.nb_streams; ++i)
    if (input.streams[i]->codecpar->codec_type == AVMEDIA_TYPE_SUBTITLE) return static_cast<int>(i);
  return -1;
}

// Goes through all packets for their time stamps. Nothing here may look into those of the picture.
PacketScan scanPackets(AVFormatContext& input, int video) {
  PacketScan scan;
  const int telemetry = firstSubtitles(input);
  for (unsigned i = 0; i < input.nb_streams; ++i)
    if (static_cast<int>(i) != video && static_cast<int>(i) != telemetry)
      input.streams[i]->discard = AVDISCARD_ALL;
  const int64_t file_size = avio_size(input.pb);
  auto packet = detail::makePacket();
  int last = 0;
  while ((last = av_read_frame(&input, packet.get())) >= 0) {
    if (packet->stream_index == telemetry && packet->size > 2) {
      // Timed text in MP4 has two bytes of length before the words.
      const int head = input.streams[telemetry]->codecpar->codec_id == AV_CODEC_ID_MOV_TEXT ? 2 : 0;
      const std::string text(reinterpret_cast<const char*>(packet->data) + head,
                             static_cast<size_t>(packet->size - head));
      if (scan.telemetry.empty()) scan.telemetry = text;
      const int64_t at = packet->pts != AV_NOPTS_VALUE ? packet->pts : packet->dts;
      if (const auto iso = parseTelemetry(text).iso; iso && at != AV_NOPTS_VALUE)
        scan.isos.emplace_back(static_cast<double>(at) * av_q2d(input.streams[telemetry]->time_base), *iso);
    } else if (packet->stream_index == video && (packet->flags & AV_PKT_FLAG_DISCARD) == 0) {
      const int64_t pts = packet->pts != AV_NOPTS_VALUE ? packet->pts : packet->dts;
      // Only what tells when a frame is shown; the order of decoding alone does not.
      scan.stamps.push_back(packet->pts);
      if (pts != AV_NOPTS_VALUE) {
        scan.first_pts = scan.first_pts == AV_NOPTS_VALUE ? pts : std::min(scan.first_pts, pts);
        scan.last_end = std::max(scan.last_end, pts + packet->duration);
      }
      if ((packet->flags & AV_PKT_FLAG_CORRUPT) != 0) ++scan.missing;
    }
    av_packet_unref(packet.get());
  }
  scan.whole = last == AVERROR_EOF;
  // Frames that an index promises but whose bytes are not in the file any more.
  const AVStream* stream = input.streams[video];
  const int entries = avformat_index_get_entries_count(stream);
  int64_t beyond = 0;
  for (int i = 0; i < entries && file_size > 0; ++i) {
    const AVIndexEntry* entry = avformat_index_get_entry(const_cast<AVStream*>(stream), i);
    if (entry != nullptr && entry->pos + entry->size > file_size) ++beyond;
  }
  if (stream->nb_frames > 0) scan.missing = std::max(beyond, scan.missing);
  scan.promised = std::max<int64_t>({scan.frames(), scan.missing, stream->nb_frames});
  scan.variable = gapsVary(scan.stamps, stream->time_base);
  return scan;
}

// The same without reading the pictures where the container allows it; else the whole file is read.
PacketScan scanOf(const std::filesystem::path& path, AVFormatContext& full, int video) {
  if (detail::LeanInput::serves(full, video)) {
    // Telemetry is read; a block's header, where a container has one before the picture, is shorter.
    constexpr int kBlockHeader_bytes = 64, kTelemetry_bytes = 4096;
    const int head = firstSubtitles(full) >= 0 ? kTelemetry_bytes : kBlockHeader_bytes;
    if (const auto lean = detail::LeanInput::open(path, full, head))
      if (PacketScan scan = scanPackets(lean->format(), video); scan.whole && scan.frames() > 0) return scan;
  }
  return scanPackets(full, video);
}

std::string bytesText(int64_t bytes) {
  constexpr double kMega = 1e6;
  const double mega = static_cast<double>(bytes) / kMega;
  return mega < 0.1 ? std::to_string(bytes) + " bytes" : fixedText(mega, 1) + " MB";
}

void addProblem(ClipInfo& info, ClipProblem::Kind kind, std::string text, bool fatal = false) {
  info.problems.push_back({kind, std::move(text), fatal});
}

std::string timeFaultText(const FrameTimes& times) {
  using enum FrameTimes::Fault;
  const std::string even = " Frames are taken in their order, evenly spaced.";
  switch (times.fault()) {
    case Missing:
      return "Frames have no time stamps." + even;
    case Backwards:
      return "Time stamps run backwards within the clip." + even;
    case Gap:
      return "Time stamps jump by over an hour." + even;
    default:
      return times.isEven()
                 ? "Many frames have the same time stamp." + even
                 : "Some frames have the same time stamp as the one before; they are spread over the "
                   "time up to the next.";
  }
}

void describeProblems(ClipInfo& info, const PacketScan& scan) {
  using Kind = ClipProblem::Kind;
  if (scan.frames() == 0)
    addProblem(info, Kind::Unreadable, "The file holds no frames. Copy it again from the card.", true);
  if (scan.missing > 0 || scan.cut_bytes > 0)
    addProblem(info, Kind::Truncated,
               "The file is cut off: " +
                   (scan.missing > 0 ? std::to_string(scan.missing) + " of " + std::to_string(scan.promised) +
                                           " frames are not in it"
                                     : "its end is not in it, " + bytesText(scan.cut_bytes)) +
                   ". Copy it again from the card, or render what is readable.",
               true);
  if (info.variable_rate && scan.missing == 0)
    addProblem(info, Kind::VariableRate, "The frame rate varies; every time stamp is kept as it is.");
  if (info.interlaced)
    addProblem(info, Kind::Interlaced,
               "The footage is interlaced. Lens correction needs whole frames: deinterlace it.");
  if (info.rotation != 0 || info.mirrored)
    addProblem(info, Kind::Rotated,
               std::string("Filmed ") +
                   (info.rotation != 0 ? "turned by " + std::to_string(info.rotation) + "°" : "") +
                   (info.rotation != 0 && info.mirrored ? " and " : "") + (info.mirrored ? "mirrored" : "") +
                   "; the tag that says so is kept.");
  if (info.times && info.times->fault() != FrameTimes::Fault::None && info.kind == ClipKind::Film)
    addProblem(info, Kind::TimeStamps, timeFaultText(*info.times));
  if (info.transparent)
    addProblem(info, Kind::Transparency, "The picture has transparency, which is not carried over.");
  if (info.kind == ClipKind::Film && info.sound.empty())
    addProblem(info, Kind::NoSound, "There is no sound in the file.");
  if (!(info.sample_aspect == Rational{1, 1}))
    addProblem(info, Kind::NonSquarePixels,
               "Pixels are not square (" + info.sample_aspect.text() + "); the tag is kept.");
}

void readStream(const AVFormatContext& input, int video, ClipInfo& info) {
  const AVStream* stream = input.streams[video];
  const AVCodecParameters* codec = stream->codecpar;
  info.width = codec->width;
  info.height = codec->height;
  info.time_base = {stream->time_base.num, stream->time_base.den};
  info.codec = avcodec_get_name(codec->codec_id);
  const char* format_name = av_get_pix_fmt_name(static_cast<AVPixelFormat>(codec->format));
  info.pixel_format = format_name != nullptr ? format_name : "unknown";
  const FormatChoice choice = chooseFormat(codec->format);
  info.format = choice.format;
  const AVPixFmtDescriptor* descriptor = av_pix_fmt_desc_get(static_cast<AVPixelFormat>(codec->format));
  if (descriptor != nullptr) info.format.bit_depth = descriptor->comp[0].depth;
  info.transparent = descriptor != nullptr && (descriptor->flags & AV_PIX_FMT_FLAG_ALPHA) != 0;
  info.colour =
      detail::colourTags(detail::numberIn(codec->color_primaries), detail::numberIn(codec->color_trc),
                         detail::numberIn(codec->color_space),
                         choice.full_range_by_name ? AVCOL_RANGE_JPEG : detail::numberIn(codec->color_range),
                         detail::numberIn(codec->chroma_location), choice.rgb);
  const AVRational aspect =
      stream->sample_aspect_ratio.num > 0 ? stream->sample_aspect_ratio : codec->sample_aspect_ratio;
  if (aspect.num > 0 && aspect.den > 0) info.sample_aspect = {aspect.num, aspect.den};
  const Orientation orientation = orientationOf(*stream);
  info.rotation = orientation.rotation;
  info.mirrored = orientation.mirrored;
  info.interlaced = codec->field_order > AV_FIELD_PROGRESSIVE;
  const AVRational rate = stream->avg_frame_rate.num > 0 ? stream->avg_frame_rate : stream->r_frame_rate;
  info.fps = rate.num > 0 && rate.den > 0 ? Rational{rate.num, rate.den} : Rational{25, 1};
  // Containers that keep milliseconds give averages like 19001/634; the nominal rate is meant.
  const AVRational nominal = stream->r_frame_rate;
  info.nominal_fps = nominal.num > 0 && nominal.den > 0 ? Rational{nominal.num, nominal.den} : info.fps;
  if (nominal.num > 0 && std::abs(av_q2d(nominal) / info.fps.value() - 1) < 0.002)
    info.fps = {nominal.num, nominal.den};
}

void readTags(const AVFormatContext& input, int video, ClipInfo& info) {
  info.make =
      firstTag(input, video, {"make", "Make", "com.apple.quicktime.make", "com.android.manufacturer"});
  info.model = firstTag(input, video, {"model", "Model", "com.apple.quicktime.model", "com.android.model"});
  info.iso = parseIso(firstTag(input, video, {"iso", "ISO", "ISOSpeedRatings", "PhotographicSensitivity"}));
  info.creation_time = firstTag(input, video, {"creation_time", "DateTimeOriginal", "DateTime"});
  for (unsigned i = 0; i < input.nb_streams; ++i) {
    if (info.timecode.empty()) info.timecode = tag(input.streams[i]->metadata, "timecode");
    const AVCodecParameters* codec = input.streams[i]->codecpar;
    if (codec->codec_type == AVMEDIA_TYPE_AUDIO)
      info.sound.push_back(
          {avcodec_get_name(codec->codec_id), codec->ch_layout.nb_channels, codec->sample_rate});
  }
  if (info.timecode.empty()) info.timecode = tag(input.metadata, "timecode");
}

// The rule for time stamps is FrameTimes'; here only what the rest of the probe needs of it.
void fillTimes(const PacketScan& scan, ClipInfo& info) {
  const double tick = info.time_base.value();
  const double usual = 1 / info.fps.value() / tick;
  const int64_t start = std::llround(info.container_start_s / tick);
  auto times = std::make_shared<FrameTimes>(FrameTimes::ofStamps(scan.stamps, usual, 1 / tick, start));
  info.frames = times->count();
  info.start_pts = times->stampAt(0);
  info.variable_rate = scan.variable && times->ordered();
  info.duration_s = times->ordered() && scan.last_end > info.start_pts
                        ? static_cast<double>(scan.last_end - info.start_pts) * tick
                        : static_cast<double>(times->ticksTo(info.frames)) * tick;
  if (info.variable_rate && info.duration_s > 0)
    info.fps = {std::llround(static_cast<double>(info.frames) / info.duration_s * 1000), 1000};
  else
    info.nominal_fps = info.fps;
  info.times = std::move(times);
}

void fillNotes(const PacketScan& scan, ClipInfo& info) {
  TelemetryNote note = parseTelemetry(scan.telemetry);
  TimedNotes beside;
  if (const auto file = subtitlesBeside(info.path); !file.empty()) beside = readTimedNotes(file);
  if (!note.iso) note.iso = beside.first.iso;
  if (note.camera.empty()) note.camera = beside.first.camera;
  if (!info.iso) info.iso = note.iso;
  info.camera_note = asUtf8(note.camera);
  for (const auto& [seconds, iso] : scan.isos.empty() ? beside.isos : scan.isos)
    if (info.iso_changes.empty() || info.iso_changes.back().second != iso)
      info.iso_changes.emplace_back(seconds, iso);
  if (info.iso_changes.size() < 2) info.iso_changes.clear();
}

// EXIF of a still is only known after decoding it; the decoder hands it out as frame metadata.
void readStillTags(AVFormatContext& input, int video, ClipInfo& info) {
  const AVCodecParameters* parameters = input.streams[video]->codecpar;
  const AVCodec* decoder = avcodec_find_decoder(parameters->codec_id);
  detail::CodecPtr codec(avcodec_alloc_context3(decoder));
  if (decoder == nullptr || !codec) return;
  avcodec_parameters_to_context(codec.get(), parameters);
  if (avcodec_open2(codec.get(), decoder, nullptr) < 0) return;
  auto packet = detail::makePacket();
  auto frame = detail::makeAvFrame();
  if (av_read_frame(&input, packet.get()) < 0) return;
  if (avcodec_send_packet(codec.get(), packet.get()) < 0) return;
  avcodec_send_packet(codec.get(), nullptr);
  if (avcodec_receive_frame(codec.get(), frame.get()) < 0) return;
  const auto value = [&](const char* key) { return tag(frame->metadata, key); };
  if (info.make.empty()) info.make = value("Make");
  if (info.model.empty()) info.model = value("Model");
  if (!info.iso) info.iso = parseIso(value("ISOSpeedRatings"));
  if (info.creation_time.empty()) info.creation_time = value("DateTimeOriginal");
  // EXIF orientation (CIPA DC-008, tag 0x0112, from memory): 3 upside down, 6 turn clockwise, 8 turn counter-
  // clockwise; 2, 4, 5 and 7 are the same with left and right swapped after the turn.
  static const std::map<std::string, Orientation> kTurn = {
      {"2", {0, true}},   {"3", {180, false}}, {"4", {180, true}}, {"5", {90, true}},
      {"6", {90, false}}, {"7", {270, true}},  {"8", {270, false}}};
  std::string orientation = value("Orientation");
  std::erase(orientation, ' ');
  if (const auto turn = kTurn.find(orientation); turn != kTurn.end()) {
    info.rotation = turn->second.rotation;
    info.mirrored = turn->second.mirrored;
  }
}

// What is missing of a file that says in its first bytes how long it is.
int64_t cutBytes(const std::filesystem::path& path, const AVFormatContext& input) {
  std::array<char, 256> head{};
  std::ifstream file(path, std::ios::binary);
  file.read(head.data(), head.size());
  const std::span<const unsigned char> bytes(reinterpret_cast<const unsigned char*>(head.data()),
                                             static_cast<size_t>(file.gcount()));
  const auto promised = detail::promisedSize(bytes, input.iformat->name);
  const int64_t size = avio_size(input.pb);
  return promised && size > 0 ? std::max<int64_t>(0, *promised - size) : 0;
}

void probeInto(ClipInfo& info) {
  const auto sequence = sequenceFromPattern(info.path);
  info.kind = sequence ? ClipKind::Sequence : isStillName(info.path) ? ClipKind::Still : ClipKind::Film;
  auto input = detail::openInput(info.path);
  const int video = detail::findVideo(*input);
  if (video < 0)
    throw Error(ErrorKind::Unreadable, "The file holds no picture", info.path.string(), "only sound or data",
                "");
  readStream(*input, video, info);
  if (input->start_time != AV_NOPTS_VALUE)
    info.container_start_s = static_cast<double>(input->start_time) / AV_TIME_BASE;
  readTags(*input, video, info);
  if (info.width <= 0 || info.height <= 0 || info.pixel_format == "unknown")
    throw Error(ErrorKind::Unreadable, "Cannot read the clip", info.path.string(),
                "its pictures cannot be decoded", "Copy it again from the card, or leave it out");
  PacketScan scan =
      info.kind == ClipKind::Film ? scanOf(info.path, *input, video) : scanPackets(*input, video);
  if (info.kind == ClipKind::Film) scan.cut_bytes = cutBytes(info.path, *input);
  fillTimes(scan, info);
  fillNotes(scan, info);
  if (info.kind != ClipKind::Film) {
    auto again = detail::openInput(info.path);
    readStillTags(*again, detail::findVideo(*again), info);
  }
  describeProblems(info, scan);
}

}  // namespace

bool ClipInfo::readable(Damage damage) const {
  return std::none_of(problems.begin(), problems.end(), [&](const ClipProblem& p) {
    const bool partly = damage == Damage::Hold && p.kind == ClipProblem::Kind::Truncated && frames > 0;
    return p.fatal && !partly;
  });
}

int64_t ClipInfo::stampAt(int64_t index) const {
  if (times) return times->stampAt(index);
  return start_pts + std::llround(static_cast<double>(index) / fps.value() / time_base.value());
}

int64_t ClipInfo::indexAt(int64_t stamp) const {
  if (times) return times->indexAt(stamp);
  return std::llround(static_cast<double>(stamp - start_pts) * time_base.value() * fps.value());
}

int64_t ClipInfo::indexAtSecond(double seconds) const {
  return indexAt(stampAt(0) + std::llround(seconds / time_base.value()));
}

double ClipInfo::frameTime(int64_t index) const {
  return static_cast<double>(stampAt(index) - stampAt(0)) * time_base.value();
}

ClipInfo probe(const std::filesystem::path& path) {
  ClipInfo info;
  info.path = path;
  try {
    probeInto(info);
  } catch (const Error& error) {
    addProblem(info, ClipProblem::Kind::Unreadable,
               error.whatHappened() + (error.why().empty() ? "" : ": " + error.why()) +
                   (error.remedy().empty() ? "." : ". " + error.remedy() + "."),
               true);
  }
  return info;
}

}  // namespace glenhaze
