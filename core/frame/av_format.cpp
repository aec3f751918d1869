#include "core/frame/av_format.h"

extern "C" {
#include <libavutil/pixdesc.h>
#include <libavutil/pixfmt.h>
}

#include <algorithm>
#include <array>
#include <string>

namespace glenhaze {

namespace {

std::string depthSuffix(int depth) { return depth == 8 ? "" : std::to_string(depth) + "le"; }

int byName(const std::string& name) { return av_get_pix_fmt(name.c_str()); }

}  // namespace

int avPixelFormat(const PixelFormat& format, const ColourTags& colour) {
  const std::string depth = depthSuffix(format.bit_depth);
  if (format.chroma == Chroma::Mono) return byName("gray" + depth);
  if (colour.matrix == 0 && format.chroma == Chroma::C444) return byName("gbrp" + depth);
  switch (format.chroma) {
    case Chroma::C420:
      return byName("yuv420p" + depth);
    case Chroma::C422:
      return byName("yuv422p" + depth);
    case Chroma::C440:
      return byName("yuv440p" + depth);
    default:
      return byName("yuv444p" + depth);
  }
}

FormatChoice chooseFormat(int av_pixel_format) {
  const auto pixel_format = static_cast<AVPixelFormat>(av_pixel_format);
  const AVPixFmtDescriptor* d = av_pix_fmt_desc_get(pixel_format);
  FormatChoice choice;
  if (d == nullptr) {
    choice.exact = false;
    return choice;
  }
  const int depth = d->comp[0].depth;
  // Depths that FFmpeg has planar layouts for; anything between goes to the next one up.
  static constexpr std::array<int, 6> kDepths = {8, 9, 10, 12, 14, 16};
  const auto* up = std::find_if(kDepths.begin(), kDepths.end(), [&](int k) { return k >= depth; });
  choice.format.bit_depth = up != kDepths.end() ? *up : 16;
  choice.rgb = (d->flags & AV_PIX_FMT_FLAG_RGB) != 0 || (d->flags & AV_PIX_FMT_FLAG_PAL) != 0;
  if (choice.rgb) {
    choice.format.chroma = Chroma::C444;
  } else if (d->nb_components < 3) {
    choice.format.chroma = Chroma::Mono;
  } else if (d->log2_chroma_w >= 1) {
    choice.format.chroma = d->log2_chroma_h >= 1 ? Chroma::C420 : Chroma::C422;
  } else {
    choice.format.chroma = d->log2_chroma_h >= 1 ? Chroma::C440 : Chroma::C444;
  }
  choice.full_range_by_name = std::string(d->name).rfind("yuvj", 0) == 0;
  ColourTags tags;
  tags.matrix = choice.rgb ? 0 : 2;
  const std::string name = d->name;
  const bool same_layout = av_pixel_format == avPixelFormat(choice.format, tags);
  choice.exact =
      same_layout || name == "yuvj420p" || name == "yuvj422p" || name == "yuvj444p" || name == "yuvj440p";
  return choice;
}

}  // namespace glenhaze
