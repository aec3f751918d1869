#include "core/media/detail/ffmpeg.h"

#include <array>
#include <utility>

#include "core/base/parallel.h"
#include "core/frame/av_format.h"
#include "core/media/sequence.h"

namespace glenhaze::detail {
namespace fs = std::filesystem;

PacketPtr makePacket() {
  PacketPtr packet(av_packet_alloc());
  if (!packet) throw std::bad_alloc();
  return packet;
}

FramePtr makeAvFrame() {
  FramePtr frame(av_frame_alloc());
  if (!frame) throw std::bad_alloc();
  return frame;
}

int codecThreads() {
  const int allowed = workerThreads();
  return allowed < av_cpu_count() ? allowed : 0;
}

std::string avText(int code) {
  std::array<char, AV_ERROR_MAX_STRING_SIZE> buffer{};
  av_strerror(code, buffer.data(), buffer.size());
  return buffer.data();
}

namespace {

void requireReadable(const fs::path& path) {
  std::error_code code;
  if (!fs::exists(path, code))
    throw Error(ErrorKind::Unreadable, "Cannot open the clip", path.string(), "there is no such file",
                "Check the name, or find the file again");
  if (fs::is_directory(path, code))
    throw Error(ErrorKind::Unreadable, "Cannot open the clip", path.string(), "it is a folder", "");
  // A pipe or a device would be waited for, or read, for ever.
  if (!fs::is_regular_file(path, code))
    throw Error(ErrorKind::Unreadable, "Cannot open the clip", path.string(), "it is no ordinary file", "");
  if (fs::file_size(path, code) == 0 && !code)
    throw Error(ErrorKind::Unreadable, "Cannot open the clip", path.string(), "the file is empty",
                "Copy it again from the card");
}

std::string openFailure(int code) {
  if (code == AVERROR_INVALIDDATA)
    return "it holds no readable footage: damaged, cut off, or not a video file";
  return avText(code);
}

}  // namespace

InputPtr openInput(const fs::path& path) {
  const std::optional<SequencePattern> sequence = sequenceFromPattern(path);
  const bool still = !sequence && isStillName(path);
  if (!sequence) requireReadable(path);
  AVDictionary* options = nullptr;
  const AVInputFormat* format = nullptr;
  if (sequence || still) {
    format = av_find_input_format("image2");
    av_dict_set(&options, "pattern_type", sequence ? "sequence" : "none", 0);
    if (sequence) av_dict_set(&options, "start_number", std::to_string(sequence->first).c_str(), 0);
  }
  AVFormatContext* raw = nullptr;
  // "file:" keeps names with a colon from being taken for a protocol.
  const std::string url = (sequence || still ? "" : "file:") + path.string();
  const int opened = avformat_open_input(&raw, url.c_str(), format, &options);
  av_dict_free(&options);
  if (opened < 0)
    throw Error(ErrorKind::Unreadable, "Cannot open the clip", path.string(), openFailure(opened),
                "Copy it again from the card, or leave it out");
  InputPtr input(raw);
  const int found = avformat_find_stream_info(raw, nullptr);
  if (found < 0)
    throw Error(ErrorKind::Unreadable, "Cannot read the clip", path.string(), openFailure(found),
                "Copy it again from the card, or leave it out");
  return input;
}

int findVideo(const AVFormatContext& input) {
  for (unsigned i = 0; i < input.nb_streams; ++i) {
    const AVStream* stream = input.streams[i];
    if (stream->codecpar->codec_type != AVMEDIA_TYPE_VIDEO) continue;
    if ((stream->disposition & AV_DISPOSITION_ATTACHED_PIC) != 0) continue;
    return static_cast<int>(i);
  }
  return -1;
}

std::string tag(const AVDictionary* dictionary, const char* key) {
  const AVDictionaryEntry* entry = av_dict_get(dictionary, key, nullptr, 0);
  return entry != nullptr ? entry->value : "";
}

namespace {

void releaseFrame(void* opaque, uint8_t*) { delete static_cast<Frame*>(opaque); }

AVChromaLocation avSiting(ChromaSiting siting) {
  switch (siting) {
    case ChromaSiting::Center:
      return AVCHROMA_LOC_CENTER;
    case ChromaSiting::TopLeft:
      return AVCHROMA_LOC_TOPLEFT;
    default:
      return AVCHROMA_LOC_LEFT;
  }
}

}  // namespace

FramePtr wrapForEncoder(const Frame& frame) {
  FramePtr out = makeAvFrame();
  out->width = frame.width;
  out->height = frame.height;
  out->format = avPixelFormat(frame.format, frame.colour);
  out->pts = frame.pts;
  out->color_primaries = static_cast<AVColorPrimaries>(frame.colour.primaries);
  out->color_trc = static_cast<AVColorTransferCharacteristic>(frame.colour.transfer);
  out->colorspace = static_cast<AVColorSpace>(frame.colour.matrix);
  out->color_range = frame.colour.full_range ? AVCOL_RANGE_JPEG : AVCOL_RANGE_MPEG;
  out->chroma_location = avSiting(frame.colour.siting);
  out->sample_aspect_ratio = {static_cast<int>(frame.sample_aspect.num),
                              static_cast<int>(frame.sample_aspect.den)};
  auto* keep = new Frame(frame);
  const auto planes = static_cast<size_t>(frame.format.numPlanes());
  for (size_t p = 0; p < planes; ++p) {
    out->data[p] = keep->planes[p].row<uint8_t>(0);
    out->linesize[p] = static_cast<int>(keep->planes[p].stride);
  }
  const auto& first = keep->planes[0];
  const auto size = static_cast<size_t>(first.stride) * static_cast<size_t>(first.height);
  out->buf[0] = av_buffer_create(first.owner ? keep->planes[0].row<uint8_t>(0) : nullptr, size, releaseFrame,
                                 keep, AV_BUFFER_FLAG_READONLY);
  if (out->buf[0] == nullptr) {
    delete keep;
    throw std::bad_alloc();
  }
  return out;
}

namespace {

HdrTags hdrTags(const AVFrame& frame) {
  HdrTags tags;
  if (const AVFrameSideData* data =
          av_frame_get_side_data(&frame, AV_FRAME_DATA_MASTERING_DISPLAY_METADATA)) {
    const auto& m = *reinterpret_cast<const AVMasteringDisplayMetadata*>(data->data);
    if (m.has_primaries != 0 && m.has_luminance != 0) {
      auto& d = tags.display.emplace();
      for (size_t i = 0; i < 3; ++i) {
        d[2 * i] = av_q2d(m.display_primaries[i][0]);
        d[2 * i + 1] = av_q2d(m.display_primaries[i][1]);
      }
      d[6] = av_q2d(m.white_point[0]);
      d[7] = av_q2d(m.white_point[1]);
      d[8] = av_q2d(m.min_luminance);
      d[9] = av_q2d(m.max_luminance);
    }
  }
  if (const AVFrameSideData* data = av_frame_get_side_data(&frame, AV_FRAME_DATA_CONTENT_LIGHT_LEVEL)) {
    const auto& l = *reinterpret_cast<const AVContentLightMetadata*>(data->data);
    tags.light = {static_cast<int>(l.MaxCLL), static_cast<int>(l.MaxFALL)};
  }
  return tags;
}

}  // namespace

Frame wrapDecoded(FramePtr source, const PixelFormat& format, const ColourTags& colour) {
  Frame frame;
  frame.width = source->width;
  frame.height = source->height;
  frame.format = format;
  frame.colour = colour;
  frame.hdr = hdrTags(*source);
  frame.interlaced = source->interlaced_frame != 0;
  frame.top_field_first = source->top_field_first != 0;
  frame.key_frame = source->key_frame != 0;
  frame.pts = source->best_effort_timestamp != AV_NOPTS_VALUE ? source->best_effort_timestamp : source->pts;
  frame.duration = source->pkt_duration;
  if (source->sample_aspect_ratio.num > 0 && source->sample_aspect_ratio.den > 0)
    frame.sample_aspect = {source->sample_aspect_ratio.num, source->sample_aspect_ratio.den};
  std::shared_ptr<AVFrame> owner(std::move(source));
  for (size_t p = 0; p < static_cast<size_t>(format.numPlanes()); ++p) {
    Plane& plane = frame.planes[p];
    plane.owner = owner;
    plane.data = reinterpret_cast<std::byte*>(owner->data[p]);
    plane.stride = owner->linesize[p];
    const bool sub = p > 0;
    plane.width = sub ? (frame.width + (1 << format.shiftX()) - 1) >> format.shiftX() : frame.width;
    plane.height = sub ? (frame.height + (1 << format.shiftY()) - 1) >> format.shiftY() : frame.height;
  }
  return frame;
}

ColourTags colourTags(int primaries, int transfer, int matrix, int range, int siting, bool rgb) {
  // Damaged files hold numbers that stand for nothing; 2 is "unspecified" (ITU-T H.273).
  const auto known = [](int value, int end) { return value >= 0 && value < end ? value : 2; };
  ColourTags tags;
  tags.primaries = known(primaries, AVCOL_PRI_NB);
  tags.transfer = known(transfer, AVCOL_TRC_NB);
  matrix = known(matrix, AVCOL_SPC_NB);
  tags.matrix = rgb ? 0 : (matrix == 0 ? 2 : matrix);
  tags.full_range = range == AVCOL_RANGE_JPEG || rgb;
  tags.siting = siting == AVCHROMA_LOC_CENTER    ? ChromaSiting::Center
                : siting == AVCHROMA_LOC_TOPLEFT ? ChromaSiting::TopLeft
                                                 : ChromaSiting::Left;
  return tags;
}

}  // namespace glenhaze::detail
