#include "core/media/rgba.h"

#include <ImfChannelList.h>
#include <ImfFrameBuffer.h>
#include <ImfHeader.h>
#include <ImfInputFile.h>
#include <ImfOutputFile.h>

#include <algorithm>
#include <cmath>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/media/detail/ffmpeg.h"
#include "core/media/sequence.h"

namespace glenhaze {

namespace fs = std::filesystem;
using namespace detail;

namespace {

// As many as an output may have (see isOutputSize), and room at its edges.
constexpr int kLargestSide = 65536;

std::string endingOf(const fs::path& file) {
  std::string ending = file.extension().string();
  std::transform(ending.begin(), ending.end(), ending.begin(),
                 [](unsigned char c) { return std::tolower(c); });
  return ending;
}
bool isExr(const fs::path& file) { return endingOf(file) == ".exr"; }

[[noreturn]] void failReading(const fs::path& file, const std::string& why) {
  throw Error(ErrorKind::Unreadable, "The picture cannot be read", file.string(), why,
              "Give a PNG, TIFF or OpenEXR file, a sequence of them (name_%04d.png), or a clip");
}
[[noreturn]] void failWriting(const fs::path& file, const std::string& why) {
  throw Error(ErrorKind::Unwritable, "The picture cannot be written", file.string(), why,
              "Check the folder, and that there is room");
}

void premultiply(RgbaPicture& picture) {
  for (size_t i = 0; i < picture.rgba.size(); i += 4)
    for (size_t c = 0; c < 3; ++c) picture.rgba[i + c] *= picture.rgba[i + 3];
}

// The file's canvas, grown alike on opposite sides until all that was drawn is on it.
RgbaPicture readExr(const fs::path& file) {
  try {
    Imf::InputFile in(file.c_str());
    const Imath::Box2i shown = in.header().displayWindow(), drawn = in.header().dataWindow();
    const int across = std::max({0, shown.min.x - drawn.min.x, drawn.max.x - shown.max.x}),
              down = std::max({0, shown.min.y - drawn.min.y, drawn.max.y - shown.max.y});
    const int64_t width = int64_t{shown.max.x} - shown.min.x + 1 + 2 * int64_t{across},
                  height = int64_t{shown.max.y} - shown.min.y + 1 + 2 * int64_t{down};
    if (width < 1 || height < 1 || width > kLargestSide || height > kLargestSide)
      failReading(file, std::to_string(width) + " × " + std::to_string(height) + " px");
    const bool grey = in.header().channels().findChannel("Y") != nullptr;
    RgbaPicture out(static_cast<int>(width), static_cast<int>(height));
    const int left = shown.min.x - across, top = shown.min.y - down;
    const int columns = drawn.max.x - drawn.min.x + 1, rows = drawn.max.y - drawn.min.y + 1;
    std::vector<float> data(4 * static_cast<size_t>(columns) * static_cast<size_t>(rows));
    Imf::FrameBuffer buffer;
    const auto add = [&](const char* name, size_t channel, double fill) {
      // The library reckons from the origin of the canvas.
      char* base = reinterpret_cast<char*>(data.data() + channel) -
                   static_cast<ptrdiff_t>(sizeof(float)) * 4 *
                       (ptrdiff_t{drawn.min.x} + ptrdiff_t{drawn.min.y} * columns);
      buffer.insert(name, Imf::Slice(Imf::FLOAT, base, 4 * sizeof(float),
                                     4 * sizeof(float) * static_cast<size_t>(columns), 1, 1, fill));
    };
    add(grey ? "Y" : "R", 0, 0);
    if (!grey) add("G", 1, 0);
    if (!grey) add("B", 2, 0);
    add("A", 3, 1);
    in.setFrameBuffer(buffer);
    in.readPixels(drawn.min.y, drawn.max.y);
    if (grey)
      for (size_t i = 0; i < data.size(); i += 4) data[i + 1] = data[i + 2] = data[i];
    for (int y = 0; y < rows; ++y)
      std::copy_n(data.data() + 4 * static_cast<size_t>(y) * static_cast<size_t>(columns),
                  4 * static_cast<size_t>(columns),
                  out.row(y + drawn.min.y - top) + 4 * static_cast<size_t>(drawn.min.x - left));
    return out;
  } catch (const Error&) {
    throw;
  } catch (const std::exception& error) {
    failReading(file, error.what());
  }
}

void writeExr(const RgbaPicture& picture, const fs::path& file, bool straight) {
  std::vector<half> pixels(picture.rgba.size());
  for (size_t i = 0; i < pixels.size(); i += 4) {
    const float alpha = picture.rgba[i + 3];
    const float by = straight && alpha > 0 ? 1 / alpha : 1;
    for (size_t c = 0; c < 4; ++c) pixels[i + c] = half(c < 3 ? picture.rgba[i + c] * by : alpha);
  }
  try {
    Imf::Header header(picture.width, picture.height);
    header.compression() = Imf::ZIP_COMPRESSION;
    Imf::FrameBuffer buffer;
    const std::array<const char*, 4> names = {"R", "G", "B", "A"};
    for (size_t c = 0; c < 4; ++c) {
      header.channels().insert(names[c], Imf::Channel(Imf::HALF));
      buffer.insert(names[c],
                    Imf::Slice(Imf::HALF, reinterpret_cast<char*>(pixels.data() + c), 4 * sizeof(half),
                               4 * sizeof(half) * static_cast<size_t>(picture.width)));
    }
    Imf::OutputFile out(file.c_str(), header);
    out.setFrameBuffer(buffer);
    out.writePixels(picture.height);
  } catch (const std::exception& error) {
    failWriting(file, error.what());
  }
}

// Packed sixteen-bit R, G, B, A, alpha as in the file.
FramePtr asRgba64(const RgbaPicture& picture, bool straight) {
  FramePtr frame = makeAvFrame();
  frame->format = AV_PIX_FMT_RGBA64LE;
  frame->width = picture.width;
  frame->height = picture.height;
  if (av_frame_get_buffer(frame.get(), 0) < 0) throw std::bad_alloc();
  for (int y = 0; y < picture.height; ++y) {
    const float* from = picture.row(y);
    auto* to = reinterpret_cast<uint16_t*>(frame->data[0] + ptrdiff_t{y} * frame->linesize[0]);
    for (int x = 0; x < picture.width; ++x, from += 4, to += 4) {
      const float alpha = std::clamp(from[3], 0.0F, 1.0F), by = straight && alpha > 0 ? 1 / alpha : 1;
      for (size_t c = 0; c < 3; ++c)
        to[c] = static_cast<uint16_t>(std::lround(65535 * std::clamp(from[c] * by, 0.0F, 1.0F)));
      to[3] = static_cast<uint16_t>(std::lround(65535 * alpha));
    }
  }
  return frame;
}

constexpr int kCareful = SWS_BICUBIC | SWS_ACCURATE_RND | SWS_FULL_CHR_H_INT | SWS_FULL_CHR_H_INP;

// As lumaWeights() has it for footage.
int matrixOf(const AVFrame& frame) {
  const int matrix = numberIn(frame.colorspace);
  if (matrix != AVCOL_SPC_UNSPECIFIED && matrix != AVCOL_SPC_RGB) return matrix;
  return frame.height >= 720 ? SWS_CS_ITU709 : SWS_CS_ITU601;
}

// The same picture in another format; R′G′B′ is full range, Y′CbCr by its own tags and this matrix.
FramePtr converted(const AVFrame& from, AVPixelFormat format, int matrix) {
  FramePtr to = makeAvFrame();
  to->format = format;
  to->width = from.width;
  to->height = from.height;
  if (av_frame_get_buffer(to.get(), 0) < 0) throw std::bad_alloc();
  const ScalerPtr scaler(sws_getContext(from.width, from.height, static_cast<AVPixelFormat>(from.format),
                                        to->width, to->height, format, kCareful, nullptr, nullptr, nullptr));
  if (!scaler) throw Error(ErrorKind::Unreadable, "The picture's format is not known", "", "", "");
  const int range = numberIn(from.color_range);
  const int* table = sws_getCoefficients(matrix);
  const auto* descriptor = av_pix_fmt_desc_get(static_cast<AVPixelFormat>(from.format));
  const bool rgb = (descriptor->flags & AV_PIX_FMT_FLAG_RGB) != 0;
  const auto* wanted = av_pix_fmt_desc_get(format);
  const bool to_rgb = (wanted->flags & AV_PIX_FMT_FLAG_RGB) != 0;
  sws_setColorspaceDetails(scaler.get(), table, rgb || range == AVCOL_RANGE_JPEG ? 1 : 0, table,
                           to_rgb ? 1 : 0, 0, 1 << 16, 1 << 16);
  if (sws_scale(scaler.get(), from.data, from.linesize, 0, from.height, to->data, to->linesize) < 0)
    throw Error(ErrorKind::Unreadable, "The picture's format cannot be converted", "", "", "");
  return to;
}

RgbaPicture pictureOf(const AVFrame& decoded) {
  const FramePtr packed = converted(decoded, AV_PIX_FMT_RGBA64LE, matrixOf(decoded));
  RgbaPicture out(packed->width, packed->height);
  for (int y = 0; y < out.height; ++y) {
    const auto* from =
        reinterpret_cast<const uint16_t*>(packed->data[0] + ptrdiff_t{y} * packed->linesize[0]);
    float* to = out.row(y);
    for (int i = 0; i < 4 * out.width; ++i) to[i] = static_cast<float>(from[i]) / 65535;
  }
  return out;
}

// Whatever libavformat opens, one picture after the other.
class Decoding {
 public:
  explicit Decoding(const fs::path& file) : file_(file), input_(openInput(file)) {
    stream_ = findVideo(*input_);
    if (stream_ < 0) failReading(file, "there is no picture in it");
    const AVCodecParameters* parameters = input_->streams[stream_]->codecpar;
    const AVCodec* codec = avcodec_find_decoder(parameters->codec_id);
    if (codec == nullptr) failReading(file, "there is no decoder for it");
    decoder_.reset(avcodec_alloc_context3(codec));
    if (!decoder_ || avcodec_parameters_to_context(decoder_.get(), parameters) < 0)
      failReading(file, "it cannot be decoded");
    decoder_->thread_count = codecThreads();
    if (const int opened = avcodec_open2(decoder_.get(), codec, nullptr); opened < 0)
      failReading(file, avText(opened));
  }

  std::optional<RgbaPicture> next() {
    for (;;) {
      const FramePtr frame = makeAvFrame();
      const int got = avcodec_receive_frame(decoder_.get(), frame.get());
      if (got == 0) return pictureOf(*frame);
      if (got == AVERROR_EOF) return std::nullopt;
      if (got != AVERROR(EAGAIN)) failReading(file_, avText(got));
      feed();
    }
  }

 private:
  void feed() {
    const PacketPtr packet = makePacket();
    for (;;) {
      const int read = av_read_frame(input_.get(), packet.get());
      if (read < 0) {
        avcodec_send_packet(decoder_.get(), nullptr);
        return;
      }
      const bool ours = packet->stream_index == stream_;
      const int sent = ours ? avcodec_send_packet(decoder_.get(), packet.get()) : 0;
      av_packet_unref(packet.get());
      if (sent < 0) failReading(file_, avText(sent));
      if (ours) return;
    }
  }

  fs::path file_;
  InputPtr input_;
  CodecPtr decoder_;
  int stream_ = -1;
};

// One encoder for one file after the other, or for all pictures of a film.
CodecPtr encoderFor(const char* name, const AVFrame& like, Rational fps, bool global_header) {
  const AVCodec* codec = avcodec_find_encoder_by_name(name);
  if (codec == nullptr)
    throw Error(ErrorKind::Unwritable, "This FFmpeg has no encoder for the format", name, "",
                "Choose another format");
  CodecPtr context(avcodec_alloc_context3(codec));
  context->width = like.width;
  context->height = like.height;
  context->pix_fmt = static_cast<AVPixelFormat>(like.format);
  context->time_base = {static_cast<int>(fps.den), static_cast<int>(fps.num)};
  context->framerate = {static_cast<int>(fps.num), static_cast<int>(fps.den)};
  context->thread_count = codecThreads();
  if (global_header) context->flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
  if (context->codec_id == AV_CODEC_ID_PRORES) {
    av_opt_set(context->priv_data, "profile", "4444", 0);
    context->color_primaries = AVCOL_PRI_BT709;
    context->color_trc = AVCOL_TRC_BT709;
    context->colorspace = AVCOL_SPC_BT709;
    context->color_range = AVCOL_RANGE_MPEG;
  }
  if (const int opened = avcodec_open2(context.get(), codec, nullptr); opened < 0)
    throw Error(ErrorKind::Unwritable, "The picture cannot be encoded", name, avText(opened), "");
  return context;
}

std::string encodedStill(const RgbaPicture& picture, bool straight, bool tiff) {
  FramePtr frame = asRgba64(picture, straight);
  if (!tiff) frame = converted(*frame, AV_PIX_FMT_RGBA64BE, SWS_CS_ITU709);
  const CodecPtr encoder = encoderFor(tiff ? "tiff" : "png", *frame, {25, 1}, false);
  const PacketPtr packet = makePacket();
  avcodec_send_frame(encoder.get(), frame.get());
  avcodec_send_frame(encoder.get(), nullptr);
  if (const int got = avcodec_receive_packet(encoder.get(), packet.get()); got < 0)
    throw Error(ErrorKind::Unwritable, "The picture cannot be encoded", "", avText(got), "");
  return {reinterpret_cast<const char*>(packet->data), static_cast<size_t>(packet->size)};
}

struct OutputDeleter {
  void operator()(AVFormatContext* p) const {
    if (p->pb != nullptr) avio_closep(&p->pb);
    avformat_free_context(p);
  }
};

// ProRes 4444 in QuickTime.
class Film {
 public:
  Film(fs::path file, Rational fps) : file_(std::move(file)), fps_(fps) {}

  void write(const RgbaPicture& picture, bool straight) {
    FramePtr frame = converted(*asRgba64(picture, straight), AV_PIX_FMT_YUVA444P10LE, SWS_CS_ITU709);
    // Said by each frame too: its own header is what decoders go by.
    frame->color_primaries = AVCOL_PRI_BT709;
    frame->color_trc = AVCOL_TRC_BT709;
    frame->colorspace = AVCOL_SPC_BT709;
    frame->color_range = AVCOL_RANGE_MPEG;
    if (!output_) open(*frame);
    frame->pts = count_++;
    check(avcodec_send_frame(encoder_.get(), frame.get()));
    drain();
  }
  void finish() {
    if (!output_) failWriting(file_, "there is no picture for it");
    check(avcodec_send_frame(encoder_.get(), nullptr));
    drain();
    check(av_write_trailer(output_.get()));
    check(avio_closep(&output_->pb));
  }

 private:
  void check(int code) const {
    if (code < 0) failWriting(file_, avText(code));
  }
  void open(const AVFrame& like) {
    AVFormatContext* raw = nullptr;
    check(avformat_alloc_output_context2(&raw, nullptr, "mov", nullptr));
    output_.reset(raw);
    encoder_ = encoderFor("prores_ks", like, fps_, true);
    AVStream* stream = avformat_new_stream(raw, nullptr);
    if (stream == nullptr) throw std::bad_alloc();
    stream->time_base = encoder_->time_base;
    stream->avg_frame_rate = encoder_->framerate;
    check(avcodec_parameters_from_context(stream->codecpar, encoder_.get()));
    check(avio_open(&raw->pb, ("file:" + file_.string()).c_str(), AVIO_FLAG_WRITE));
    check(avformat_write_header(raw, nullptr));
  }
  void drain() {
    const PacketPtr packet = makePacket();
    while (avcodec_receive_packet(encoder_.get(), packet.get()) == 0) {
      av_packet_rescale_ts(packet.get(), encoder_->time_base, output_->streams[0]->time_base);
      packet->duration = av_rescale_q(1, encoder_->time_base, output_->streams[0]->time_base);
      check(av_interleaved_write_frame(output_.get(), packet.get()));
    }
  }

  fs::path file_;
  Rational fps_;
  std::unique_ptr<AVFormatContext, OutputDeleter> output_;
  CodecPtr encoder_;
  int64_t count_ = 0;
};

}  // namespace

AlphaKind usualAlpha(const fs::path& file) {
  return isExr(file) ? AlphaKind::Premultiplied : AlphaKind::Straight;
}

struct RgbaReader::State {
  AlphaKind alpha;
  std::vector<fs::path> exrs;
  size_t next_exr = 0;
  std::optional<Decoding> decoding;
  bool still = false, began = false;
  fs::path file;
};

RgbaReader::RgbaReader(const fs::path& file, AlphaKind alpha) : state_(std::make_unique<State>()) {
  state_->alpha = alpha;
  state_->file = file;
  const auto sequence = sequenceFromPattern(file);
  if (isSequenceName(file) && !sequence && !fs::exists(file)) failReading(file, "no file has such a name");
  state_->still = !sequence && (isStillName(file) || isExr(file));
  if (!isExr(file)) {
    state_->decoding.emplace(file);
    return;
  }
  if (!sequence) state_->exrs = {file};
  for (int i = 0; sequence && i < sequence->count; ++i)
    state_->exrs.push_back(sequenceFile(sequence->pattern, sequence->first + i));
}

RgbaReader::~RgbaReader() = default;

bool RgbaReader::still() const { return state_->still; }

std::optional<RgbaPicture> RgbaReader::next() {
  std::optional<RgbaPicture> picture;
  if (state_->decoding)
    picture = state_->decoding->next();
  else if (state_->next_exr < state_->exrs.size())
    picture = readExr(state_->exrs[state_->next_exr++]);
  if (!picture && !state_->began) failReading(state_->file, "it holds no picture");
  state_->began = true;
  if (picture && state_->alpha == AlphaKind::Straight) premultiply(*picture);
  return picture;
}

struct RgbaWriter::State {
  fs::path file, growing;
  bool straight = true, overwrite = false, finished = false;
  int number = 0;
  std::optional<Film> film;
  SourceGuard guard;
  std::vector<fs::path> written;  // of a sequence; those that replaced nothing

  void requireFree(const fs::path& name) const {
    requireNoSource(guard, name);
    if (!overwrite && fs::exists(fs::symlink_status(name)))
      throw Error(ErrorKind::Unwritable, "The file exists already", name.string(), "",
                  "Choose another name, or allow it to be replaced");
  }
  void writeStill(const RgbaPicture& picture, const fs::path& name) {
    requireFree(name);
    const bool is_new = !fs::exists(name);
    if (isExr(name)) {
      const fs::path part = unfinishedName(name.parent_path(), ".exr");
      try {
        writeExr(picture, part, straight);
        fs::rename(part, name);
      } catch (...) {
        std::error_code code;
        fs::remove(part, code);
        throw;
      }
    } else {
      writeFileAtomically(name, encodedStill(picture, straight, endingOf(name) != ".png"));
    }
    if (is_new) written.push_back(name);
  }
};

bool RgbaWriter::takesOne(const fs::path& file) { return endingOf(file) != ".mov" && !isSequenceName(file); }

RgbaWriter::RgbaWriter(const fs::path& file, AlphaKind alpha, Rational fps, bool overwrite,
                       const SourceGuard& guard)
    : state_(std::make_unique<State>()) {
  state_->file = fs::absolute(file);
  state_->straight = alpha == AlphaKind::Straight;
  state_->overwrite = overwrite;
  state_->guard = guard;
  const std::string ending = endingOf(file);
  if (ending != ".png" && ending != ".tif" && ending != ".tiff" && ending != ".exr" && ending != ".mov")
    throw Error(ErrorKind::BadRequest, "There is no picture format of this ending", file.string(), "",
                "Give .png, .tif, .exr, a sequence of them (name_%04d.png), or .mov");
  if (ending == ".mov") {
    state_->requireFree(state_->file);
    state_->growing = unfinishedName(state_->file.parent_path(), ".mov");
    state_->film.emplace(state_->growing, fps.num > 0 && fps.den > 0 ? fps : Rational{25, 1});
  } else if (!isSequenceName(file)) {
    state_->requireFree(state_->file);
  }
}

RgbaWriter::~RgbaWriter() {
  if (state_->finished) return;
  std::error_code code;
  state_->film.reset();
  if (!state_->growing.empty()) fs::remove(state_->growing, code);
  for (const fs::path& name : state_->written) fs::remove(name, code);
}

void RgbaWriter::write(const RgbaPicture& picture) {
  if (state_->film)
    state_->film->write(picture, state_->straight);
  else
    state_->writeStill(picture,
                       takesOne(state_->file) ? state_->file : sequenceFile(state_->file, ++state_->number));
}

void RgbaWriter::finish() {
  if (state_->film) {
    state_->film->finish();
    state_->film.reset();
    std::error_code code;
    fs::rename(state_->growing, state_->file, code);
    if (code) failWriting(state_->file, code.message());
  }
  state_->finished = true;
}

}  // namespace glenhaze
