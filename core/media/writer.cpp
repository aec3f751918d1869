#include "core/media/writer.h"

#include <fcntl.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cmath>
#include <cstring>
#include <map>
#include <utility>
#include <vector>

#include "core/base/files.h"
#include "core/frame/av_format.h"
#include "core/frame/turn.h"
#include "core/media/detail/codecs.h"
#include "core/media/detail/companion.h"
#include "core/media/detail/ffmpeg.h"
#include "core/media/detail/graphics_encoding.h"
#include "core/media/detail/made_sound.h"
#include "core/media/reader.h"
#include "core/media/sequence.h"
#include "core/media/still_metadata.h"

namespace glenhaze {
namespace fs = std::filesystem;

namespace {

[[noreturn]] void throwWriting(const fs::path& path, int av_code) {
  const char* remedy = "Check the output folder";
  if (av_code == AVERROR(ENOSPC))
    remedy = "The disk is full: free some space or choose another folder, then render again";
  // Not the folder's fault: the encoder or the container refused what it was given.
  if (av_code == AVERROR(EINVAL) || av_code == AVERROR_INVALIDDATA) remedy = "Choose another format";
  throw Error(ErrorKind::Unwritable, "Cannot write the clip", path.string(), detail::avText(av_code), remedy);
}

void requireFree(const OutputPlace& place, const SourceGuard& own) {
  const fs::path& path = place.path;
  std::error_code code;
  requireNoSource(own, path);
  if (place.guard) requireNoSource(*place.guard, path);
  const auto there = fs::symlink_status(path, code);
  const bool allowed = place.existing == Existing::ReplaceAny ||
                       (place.existing == Existing::ReplaceFile && !fs::is_directory(there));
  if (fs::exists(there) && !allowed)
    throw Error(ErrorKind::Unwritable, "The output exists already", path.string(),
                fs::is_directory(there) ? "there is a folder of that name" : "",
                place.existing == Existing::Refuse ? "Choose another folder or name, or allow replacing"
                                                   : "Move the folder away, or choose another output folder");
}

void requireWritable(const fs::path& path) {
  constexpr size_t kLongestName = 255;  // bytes, on every usual file system
  if (path.filename().native().size() > kLongestName)
    throw Error(ErrorKind::Unwritable, "The output's name is too long", path.string(),
                std::to_string(path.filename().native().size()) + " bytes; file systems hold 255",
                "Rename the clip to something shorter");
  std::error_code code;
  fs::create_directories(path.parent_path(), code);
  if (code || ::access(path.parent_path().c_str(), W_OK) != 0)
    throw Error(ErrorKind::Unwritable, "Cannot write to the output folder", path.parent_path().string(),
                code ? code.message() : std::strerror(errno),
                "Choose another folder or mend its permissions");
}

[[noreturn]] void throwNaming(const fs::path& to, int code) {
  throw Error(ErrorKind::Unwritable, "Cannot give the finished clip its name", to.string(),
              std::strerror(code),
              code == EEXIST ? "Something else took the name meanwhile; choose another" : "");
}

// Renames without ever replacing something that appeared meanwhile.
void publishNew(const fs::path& from, const fs::path& to) {
  if (::renameat2(AT_FDCWD, from.c_str(), AT_FDCWD, to.c_str(), RENAME_NOREPLACE) == 0) return;
  int code = errno;
  if (code == EINVAL && !fs::exists(fs::symlink_status(to))) {
    // File systems without RENAME_NOREPLACE.
    if (::rename(from.c_str(), to.c_str()) == 0) return;
    code = errno;
  }
  throwNaming(to, code);
}

// In place of a folder: both change names at once, so that there is always one.
void publishFolder(const fs::path& from, const OutputPlace& place) {
  const fs::path& to = place.path;
  if (::renameat2(AT_FDCWD, from.c_str(), AT_FDCWD, to.c_str(), RENAME_EXCHANGE) != 0) {
    const fs::path aside = unfinishedName(to.parent_path(), "");
    if (::rename(to.c_str(), aside.c_str()) != 0) throwNaming(to, errno);
    if (::rename(from.c_str(), to.c_str()) != 0) {
      const int code = errno;
      ::rename(aside.c_str(), to.c_str());
      throwNaming(to, code);
    }
    ::rename(aside.c_str(), from.c_str());
  }
  try {
    if (place.replaced) place.replaced(from);
  } catch (const Error&) {
    return;  // it holds what is somebody else's and could not be named otherwise: it stays as it is
  }
  std::error_code ignored;
  fs::remove_all(from, ignored);
}

void publish(const fs::path& from, const OutputPlace& place) {
  std::error_code code;
  const auto there = fs::symlink_status(place.path, code);
  if (!fs::exists(there) || place.existing == Existing::Refuse) return publishNew(from, place.path);
  if (fs::is_directory(there)) return publishFolder(from, place);
  if (::rename(from.c_str(), place.path.c_str()) != 0) throwNaming(place.path, errno);
}

void publishWhole(const OutputPlace& place, const SourceGuard& own, const fs::path& temporary) {
  requireFree(place, own);
  if (place.complete) place.complete(temporary);
  publish(temporary, place);
}

}  // namespace

void publishOutput(const OutputPlace& place, const fs::path& clip) {
  publishWhole(place, SourceGuard(std::span(&clip, 1)), place.temporary);
}

struct ClipWriter::State {
  OutputPlace place;
  fs::path final_path, temporary;
  SourceGuard own;
  ClipInfo source;
  FrameRange range;
  EncodeSettings settings;
  AVFormatContext* output = nullptr;
  AVStream* stream = nullptr;
  detail::CodecPtr codec;
  std::optional<GraphicsEncoder> graphics;  ///< what encodes, if not the processor
  AVPixelFormat handed = AV_PIX_FMT_NONE;   ///< the format that frames go to the encoder in
  detail::PacketPtr packet = detail::makePacket();
  detail::ScalerPtr scaler;
  std::unique_ptr<detail::Companion> companion;
  std::optional<MadeSound> made;  ///< until the stream is there
  std::unique_ptr<detail::MadeSoundTrack> made_track;
  double length_s = 1e18;                ///< of the range
  std::map<int64_t, int64_t> durations;  ///< of frames inside the encoder, by time stamp
  int64_t offset_pts = 0;
  int64_t frames = 0;
  int64_t first_pts = INT64_MAX;
  int64_t last_end = 0;
  std::string note;
  bool opened = false;
  bool published = false;

  ~State() {
    if (output != nullptr) {
      if (output->pb != nullptr && (output->oformat->flags & AVFMT_NOFILE) == 0) avio_closep(&output->pb);
      avformat_free_context(output);
    }
    std::error_code code;
    if (!published && !temporary.empty()) fs::remove_all(temporary, code);
  }

  void openOutput(const Frame& first);
  void openEncoder(const Frame& first);
  void addStreams();
  detail::FramePtr toEncoder(const Frame& frame);
  void encode(const AVFrame* frame);
  [[noreturn]] void failGraphics(int av_code) const;
  std::string verify() const;
  std::string verifySequence() const;
  void carryMetadata();
  // Where there is no tag of ours that turns a picture, its pixels are turned upright instead.
  bool uprights() const { return isStillCodec(settings.codec) || settings.codec == Codec::Ffv1; }
  Frame upright(const Frame& frame) const {
    return uprights() ? turnedFrame(frame, source.rotation, source.mirrored) : frame;
  }
  void say(const std::string& text) { note += (note.empty() ? "" : "; ") + text; }
  bool folderOutput() const { return isStillCodec(settings.codec) && source.kind != ClipKind::Still; }
};

void ClipWriter::State::openOutput(const Frame& first) {
  temporary = !place.temporary.empty()
                  ? place.temporary
                  : unfinishedName(final_path.parent_path(), final_path.extension().string());
  std::string url = "file:" + temporary.string();
  const char* muxer = nullptr;
  if (isStillCodec(settings.codec)) {
    muxer = "image2";
    url = temporary.string();
    if (folderOutput()) {
      fs::create_directory(temporary);
      url = (temporary / (final_path.filename().string() + "_%05d." +
                          (settings.codec == Codec::Tiff   ? "tif"
                           : settings.codec == Codec::Jpeg ? "jpg"
                                                           : "png")))
                .string();
    }
  }
  const int allocated = avformat_alloc_output_context2(&output, nullptr, muxer, url.c_str());
  if (allocated < 0) throwWriting(final_path, allocated);
  // No random numbers and no program versions in the file: the same settings give the same bytes.
  output->flags |= AVFMT_FLAG_BITEXACT;
  stream = avformat_new_stream(output, nullptr);
  if (stream == nullptr) throw std::bad_alloc();
  openEncoder(first);
  addStreams();
  AVDictionary* options = nullptr;
  if (settings.codec == Codec::H264 || settings.codec == Codec::H265 || settings.codec == Codec::ProRes422HQ)
    av_dict_set(&options, "movflags", "use_metadata_tags", 0);
  if (isStillCodec(settings.codec) && !folderOutput()) av_dict_set(&options, "update", "1", 0);
  int code = 0;
  if ((output->oformat->flags & AVFMT_NOFILE) == 0)
    code = avio_open(&output->pb, url.c_str(), AVIO_FLAG_WRITE);
  if (code >= 0) code = avformat_write_header(output, &options);
  av_dict_free(&options);
  if (code < 0) throwWriting(final_path, code);
  opened = true;
}

void ClipWriter::State::openEncoder(const Frame& first) {
  const bool rated = settings.codec == Codec::H264 || settings.codec == Codec::H265;
  if (settings.graphics && rated) {
    // How bright an HDR picture was meant is said by the processor's encoders alone.
    if (first.hdr.empty()) graphics = graphicsEncoder(settings.codec, first.format);
    if (!graphics) say("no graphics card here encodes this, so the processor did");
  }
  const AVCodec* encoder =
      graphics ? avcodec_find_encoder_by_name(graphics->name.c_str()) : detail::findEncoder(settings.codec);
  codec.reset(avcodec_alloc_context3(encoder));
  if (!codec) throw std::bad_alloc();
  const auto ours = static_cast<AVPixelFormat>(avPixelFormat(first.format, first.colour));
  codec->width = first.width;
  codec->height = first.height;
  codec->time_base = {static_cast<int>(source.time_base.num), static_cast<int>(source.time_base.den)};
  codec->framerate = {static_cast<int>(source.fps.num), static_cast<int>(source.fps.den)};
  codec->sample_aspect_ratio = {static_cast<int>(first.sample_aspect.num),
                                static_cast<int>(first.sample_aspect.den)};
  const auto tags = detail::wrapForEncoder(first);
  codec->color_primaries = tags->color_primaries;
  codec->color_trc = tags->color_trc;
  codec->colorspace = tags->colorspace;
  // JPEG is full range by definition; the conversion on the way to the encoder expands to it.
  codec->color_range = settings.codec == Codec::Jpeg ? AVCOL_RANGE_JPEG : tags->color_range;
  codec->chroma_sample_location = tags->chroma_location;
  codec->thread_count = detail::codecThreads();
  if ((output->oformat->flags & AVFMT_GLOBALHEADER) != 0) codec->flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
  if (graphics) {
    handed = detail::prepareGraphics(*codec, *encoder, settings, ours);
  } else {
    handed = codec->pix_fmt = detail::encoderFormat(*encoder, ours);
    detail::applySettings(*codec, settings);
    detail::applyHdr(*codec, settings, first.hdr);
  }
  if (settings.codec == Codec::Tiff && source.kind != ClipKind::Film) {
    const auto sequence = sequenceFromPattern(source.path);
    const int dpi = resolutionOf(sequence ? sequenceFile(source.path, sequence->first) : source.path);
    if (dpi > 0) av_opt_set_int(codec->priv_data, "dpi", dpi, 0);
  }
  const int code = avcodec_open2(codec.get(), encoder, nullptr);
  if (code < 0 && graphics) failGraphics(code);
  if (code < 0)
    throw Error(
        ErrorKind::Unwritable, "The encoder refuses this picture", final_path.string(),
        detail::avText(code) + " for " + std::to_string(first.width) + " × " + std::to_string(first.height),
        first.width % 2 != 0 || first.height % 2 != 0 ? "H.264 and H.265 need even sizes; choose FFV1, or "
                                                        "an even output size"
                                                      : "Choose another format");
  avcodec_parameters_from_context(stream->codecpar, codec.get());
  stream->time_base = codec->time_base;
  stream->avg_frame_rate = codec->framerate;
  stream->sample_aspect_ratio = codec->sample_aspect_ratio;
  detail::addHdr(*stream, first.hdr);
}

void ClipWriter::State::addStreams() {
  // FFmpeg 5.1 writes tags that turn a picture into MP4 and MOV only.
  if ((source.rotation != 0 || source.mirrored) && settings.codec == Codec::Ffv1)
    say("the picture was turned upright, because this container has no tag that does it");
  if (source.transparent) say("transparency is left out");
  if (const int bits = outputFormat(settings.codec, source.format).bit_depth; bits < source.format.bit_depth)
    say(std::to_string(source.format.bit_depth) + " bits became " + std::to_string(bits) +
        ", which is what this format holds");
  if (isStillCodec(settings.codec)) return;
  if (settings.sound == Sound::Silent && !made) made.emplace();
  if (made) {
    length_s = source.frameTime(range.last) - source.frameTime(range.first);
    made_track =
        std::make_unique<detail::MadeSoundTrack>(*output, std::move(*made), settings.sound == Sound::Pcm);
  }
  if (source.kind != ClipKind::Film) return;
  const double tick = source.time_base.value();
  const double start = static_cast<double>(offset_pts) * tick;
  const bool whole = range.last >= source.frames;
  const double length = whole ? 1e18 : source.frameTime(range.last) - source.frameTime(range.first);
  companion = std::make_unique<detail::Companion>(source, range, settings, *output, *stream, start,
                                                  start + length, note);
}

detail::FramePtr ClipWriter::State::toEncoder(const Frame& frame) {
  detail::FramePtr wrapped = detail::wrapForEncoder(frame);
  if (wrapped->format == handed) return wrapped;
  if (settings.codec == Codec::Jpeg && frame.colour.full_range &&
      chooseFormat(codec->pix_fmt).format == frame.format) {
    wrapped->format = codec->pix_fmt;
    return wrapped;
  }
  scaler.reset(sws_getCachedContext(scaler.release(), frame.width, frame.height,
                                    static_cast<AVPixelFormat>(wrapped->format), frame.width, frame.height,
                                    handed, SWS_BICUBIC | SWS_ACCURATE_RND, nullptr, nullptr, nullptr));
  if (!scaler) throwWriting(final_path, AVERROR(EINVAL));
  detail::FramePtr out = detail::makeAvFrame();
  av_frame_copy_props(out.get(), wrapped.get());
  out->format = handed;
  out->width = frame.width;
  out->height = frame.height;
  const int code = av_frame_get_buffer(out.get(), 0);
  if (code < 0) throwWriting(final_path, code);
  sws_scale(scaler.get(), wrapped->data, wrapped->linesize, 0, frame.height, out->data, out->linesize);
  return out;
}

void ClipWriter::State::failGraphics(int av_code) const {
  throw GraphicsFailure(ErrorKind::Unwritable, "The graphics card does not encode", final_path.string(),
                        detail::avText(av_code) + " after " + std::to_string(frames) + " frames", "");
}

void ClipWriter::State::encode(const AVFrame* frame) {
  if (graphics && graphics->fails_after >= 0 && frames >= graphics->fails_after)
    failGraphics(AVERROR_EXTERNAL);
  int code = avcodec_send_frame(codec.get(), frame);
  if (code < 0 && code != AVERROR_EOF && graphics) failGraphics(code);
  if (code < 0 && code != AVERROR_EOF) throwWriting(final_path, code);
  while ((code = avcodec_receive_packet(codec.get(), packet.get())) >= 0) {
    const auto known = durations.find(packet->pts);
    if (known != durations.end()) {
      packet->duration = known->second;
      durations.erase(known);
    }
    packet->stream_index = stream->index;
    const double at_s = static_cast<double>(packet->dts) * av_q2d(codec->time_base);
    if (companion) companion->writeUntil(*output, at_s + 0.5);
    if (made_track) made_track->writeUntil(*output, std::min(at_s + 0.5, length_s));
    av_packet_rescale_ts(packet.get(), codec->time_base, stream->time_base);
    int written = av_interleaved_write_frame(output, packet.get());
    // Buffered output reports a full disk late; ask for it after every packet.
    if (written >= 0 && output->pb != nullptr) written = output->pb->error;
    if (written < 0) throwWriting(final_path, written);
  }
  if (code == AVERROR(EAGAIN) || code == AVERROR_EOF) return;
  if (graphics) failGraphics(code);
  throwWriting(final_path, code);
}

// Of each still, from the one that it was made of. What cannot be carried over is said, and the picture
// stays.
void ClipWriter::State::carryMetadata() {
  if (!isStillCodec(settings.codec) || source.kind == ClipKind::Film) return;
  const PictureSize size{codec->width, codec->height};
  const auto sequence = sequenceFromPattern(source.path);
  try {
    if (!folderOutput()) {
      carryStillMetadata(source.path, temporary, size);
      return;
    }
    std::vector<fs::path> stills;
    for (const auto& entry : fs::directory_iterator(temporary)) stills.push_back(entry.path());
    std::sort(stills.begin(), stills.end());
    for (size_t i = 0; sequence && i < stills.size(); ++i)
      carryStillMetadata(
          sequenceFile(source.path, sequence->first + static_cast<int>(range.first) + static_cast<int>(i)),
          stills[i], size);
  } catch (const Error& error) {
    say("date, camera and place could not be carried over (" + error.why() + ")");
  }
}

std::string ClipWriter::State::verifySequence() const {
  int64_t files = 0;
  for (const auto& entry : fs::directory_iterator(temporary)) files += entry.file_size() > 0 ? 1 : 0;
  if (files != frames)
    throw Error(ErrorKind::Unwritable, "The rendered stills are not complete", final_path.string(),
                std::to_string(files) + " of " + std::to_string(frames) + " are on the disk", "Render again");
  return "all stills are there";
}

namespace {

// All of a small clip, else its end, which is what a full disk or a broken encoder spoils: as much of it as
// costs a hundredth of the time it took to make, or so, up to a second.
std::string decodeAgain(const ClipInfo& written, const fs::path& name) {
  constexpr double kCheap_px = 1e7;
  constexpr int64_t kShare = 20, kLeast_frames = 2;
  const double pixels =
      static_cast<double>(written.width) * written.height * static_cast<double>(written.frames);
  const int64_t second = std::max<int64_t>(kLeast_frames, std::llround(written.fps.value()));
  const int64_t last = std::clamp<int64_t>(written.frames / kShare, kLeast_frames, second);
  const int64_t first = pixels <= kCheap_px ? 0 : std::max<int64_t>(0, written.frames - last);
  ClipReader reader(written);
  if (first > 0) reader.seek(first);
  int64_t next = first;
  for (auto frame = reader.next(); frame && frame->index == next; frame = reader.next()) ++next;
  if (next != written.frames || reader.damaged() > 0)
    throw Error(ErrorKind::Unwritable, "The rendered clip cannot be decoded", name.string(),
                "frame " + std::to_string(next) + " of " + std::to_string(written.frames),
                "Check the disk and render again");
  return first == 0
             ? "all frames decoded"
             : "its index read, its last " + std::to_string(written.frames - first) + " frames decoded";
}

}  // namespace

// What was looked at, in words.
std::string ClipWriter::State::verify() const {
  if (folderOutput()) return verifySequence();
  const ClipInfo written = probe(temporary);
  if (!written.readable())
    throw Error(ErrorKind::Unwritable, "The rendered clip cannot be read back", final_path.string(),
                written.problems.front().text, "Check the disk and render again");
  if (written.frames != frames)
    throw Error(ErrorKind::Unwritable, "The rendered clip is not complete", final_path.string(),
                std::to_string(written.frames) + " of " + std::to_string(frames) + " frames are on the disk",
                "Render again");
  const double expected = static_cast<double>(last_end - first_pts) * source.time_base.value();
  const double frame_s = 1.0 / source.fps.value();
  if (source.kind == ClipKind::Film && expected > 0 &&
      std::abs(written.duration_s - expected) > 2 * frame_s + 0.01)
    throw Error(ErrorKind::Unwritable, "The rendered clip has the wrong length", final_path.string(),
                std::to_string(written.duration_s) + " s instead of " + std::to_string(expected) + " s",
                "Render again");
  return decodeAgain(written, final_path);
}

ClipWriter::ClipWriter(const OutputPlace& place, const ClipInfo& source, const FrameRange& range,
                       const EncodeSettings& settings, const Frame& first, std::optional<MadeSound> sound)
    : state_(std::make_unique<State>()) {
  State& s = *state_;
  s.place = place;
  s.final_path = place.path;
  s.source = source;
  s.own = SourceGuard(std::span(&source.path, 1));
  s.range = range;
  s.settings = settings;
  s.made = std::move(sound);
  s.offset_pts =
      range.first > 0 ? first.pts : std::llround(source.container_start_s / source.time_base.value());
  requireFree(place, s.own);
  requireWritable(place.path);
  s.openOutput(s.upright(first));
}

ClipWriter::~ClipWriter() = default;

void ClipWriter::write(const Frame& frame) {
  State& s = *state_;
  const Frame upright = s.upright(frame);
  detail::FramePtr av = s.toEncoder(upright);
  av->pts = frame.pts - s.offset_pts;
  av->pict_type = AV_PICTURE_TYPE_NONE;
  if (s.settings.codec == Codec::Jpeg) av->quality = s.codec->global_quality;
  const double usual = 1.0 / s.source.fps.value() / s.source.time_base.value();
  const int64_t duration = frame.duration > 0 ? frame.duration : std::llround(usual);
  s.durations[av->pts] = duration;
  s.first_pts = std::min(s.first_pts, av->pts);
  s.last_end = std::max(s.last_end, av->pts + duration);
  if (s.graphics) av = detail::handedOver(*s.codec, std::move(av));
  s.encode(av.get());
  ++s.frames;
}

WriteResult ClipWriter::finish() {
  State& s = *state_;
  s.encode(nullptr);
  if (s.companion) {
    // Pictures may have ended before the range did; the sound then ends with them.
    if (s.frames < s.range.count())
      s.companion->endAt(static_cast<double>(s.offset_pts + s.last_end) * s.source.time_base.value());
    s.companion->finish(*s.output);
  }
  if (s.made_track) {
    const double pictures_s =
        static_cast<double>(s.last_end - std::min(s.first_pts, s.last_end)) * s.source.time_base.value();
    s.made_track->finish(*s.output, pictures_s);
  }
  int code = av_write_trailer(s.output);
  if (code >= 0 && s.output->pb != nullptr) code = s.output->pb->error;
  if ((s.output->oformat->flags & AVFMT_NOFILE) == 0) {
    const int closed = avio_closep(&s.output->pb);
    if (code >= 0) code = closed;
  }
  if (code < 0) throwWriting(s.final_path, code);
  s.carryMetadata();
  const std::string checked = s.verify();
  // Asked again: hours may have passed.
  publishWhole(s.place, s.own, s.temporary);
  s.published = true;
  WriteResult result{s.final_path, s.frames, 0, s.note, checked};
  std::error_code ignored;
  if (!s.folderOutput()) result.bytes = fs::file_size(s.final_path, ignored);
  return result;
}

}  // namespace glenhaze
