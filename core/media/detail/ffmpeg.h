#pragma once
// Owning handles for FFmpeg's objects and one way to turn its error codes into words.

extern "C" {
#include <libavcodec/avcodec.h>
#include <libavfilter/avfilter.h>
#include <libavformat/avformat.h>
#include <libavutil/cpu.h>
#include <libavutil/display.h>
#include <libavutil/mastering_display_metadata.h>
#include <libavutil/opt.h>
#include <libavutil/pixdesc.h>
#include <libavutil/timecode.h>
#include <libswresample/swresample.h>
#include <libswscale/swscale.h>
}

#include <cstring>
#include <filesystem>
#include <memory>
#include <string>

#include "core/base/error.h"
#include "core/frame/frame.h"

namespace glenhaze::detail {

struct InputDeleter {
  void operator()(AVFormatContext* p) const { avformat_close_input(&p); }
};
struct CodecDeleter {
  void operator()(AVCodecContext* p) const { avcodec_free_context(&p); }
};
struct PacketDeleter {
  void operator()(AVPacket* p) const { av_packet_free(&p); }
};
struct FrameDeleter {
  void operator()(AVFrame* p) const { av_frame_free(&p); }
};
struct ScalerDeleter {
  void operator()(SwsContext* p) const { sws_freeContext(p); }
};
struct ResamplerDeleter {
  void operator()(SwrContext* p) const { swr_free(&p); }
};
struct GraphDeleter {
  void operator()(AVFilterGraph* p) const { avfilter_graph_free(&p); }
};

using InputPtr = std::unique_ptr<AVFormatContext, InputDeleter>;
using CodecPtr = std::unique_ptr<AVCodecContext, CodecDeleter>;
using PacketPtr = std::unique_ptr<AVPacket, PacketDeleter>;
using FramePtr = std::unique_ptr<AVFrame, FrameDeleter>;
using ScalerPtr = std::unique_ptr<SwsContext, ScalerDeleter>;
using ResamplerPtr = std::unique_ptr<SwrContext, ResamplerDeleter>;
using GraphPtr = std::unique_ptr<AVFilterGraph, GraphDeleter>;

PacketPtr makePacket();
FramePtr makeAvFrame();

/// Threads for a decoder or encoder: as many as workers are allowed (see core/base/parallel.h); 0, FFmpeg's
/// own choice, where they are not limited.
int codecThreads();

/// FFmpeg's words for an error code.
std::string avText(int code);

/// Opens a clip, a still or a numbered sequence (a name with one %0Nd) and reads its headers.
/// Throws Error(Unreadable).
InputPtr openInput(const std::filesystem::path& path);

/// The first video stream that is no cover picture, −1 when there is none.
int findVideo(const AVFormatContext& input);

/// A dictionary value or "".
std::string tag(const AVDictionary* dictionary, const char* key);

/// A packet-sized view of our frame for an encoder; keeps the samples alive. The frame must not be
/// changed afterwards.
FramePtr wrapForEncoder(const Frame& frame);

/// Our frame around a decoder's; keeps it alive. The pixel format must be one of ours.
Frame wrapDecoded(FramePtr frame, const PixelFormat& format, const ColourTags& colour);

/// The number in a field that libav* declares as an enumeration and fills from files: it may be none of its
/// values, and reading it as one is undefined.
template <typename Enum>
int numberIn(const Enum& field) {
  static_assert(sizeof(Enum) == sizeof(int));
  int number = 0;
  std::memcpy(&number, &field, sizeof number);
  return number;
}

/// Tags of a decoded frame or stream in our form. `rgb`: planes are G, B, R.
ColourTags colourTags(int primaries, int transfer, int matrix, int range, int siting, bool rgb);

}  // namespace glenhaze::detail
