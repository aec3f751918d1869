#include "core/media/detail/codecs.h"

#include <gtest/gtest.h>

#include "core/frame/av_format.h"

namespace glenhaze {
namespace {

constexpr std::array kAll = {Codec::H264, Codec::H265, Codec::ProRes422HQ, Codec::Ffv1,
                             Codec::Png,  Codec::Tiff, Codec::Jpeg};

ClipInfo film(std::vector<std::string> sound) {
  ClipInfo info;
  info.path = "a.mp4";
  for (const std::string& codec : sound) info.sound.push_back({codec, 2, 48000});
  return info;
}

TEST(Codecs, NamesGoThereAndBack) {
  for (const Codec codec : kAll) EXPECT_EQ(codecFromName(codecName(codec)), codec);
  for (const char* none : {"", "H264", "vp9", "prores "}) EXPECT_FALSE(codecFromName(none)) << none;
}

TEST(Codecs, EachHasAnEncoderHereThatTakesWhatItIsGiven) {
  for (const Codec codec : kAll) {
    const AVCodec* encoder = detail::findEncoder(codec);
    ASSERT_NE(encoder, nullptr) << codecName(codec);
    for (const PixelFormat source : {PixelFormat{Chroma::C420, 8}, PixelFormat{Chroma::C422, 10},
                                     PixelFormat{Chroma::C444, 12}, PixelFormat{Chroma::Mono, 8}}) {
      const PixelFormat format = outputFormat(codec, source);
      const auto ours =
          static_cast<AVPixelFormat>(avPixelFormat(format, {1, 1, 1, false, ChromaSiting::Left}));
      EXPECT_NE(detail::encoderFormat(*encoder, ours), AV_PIX_FMT_NONE) << codecName(codec);
      // Never fewer bits than there are, but where the format holds no more.
      const int most = codec == Codec::Jpeg ? 8 : codec == Codec::Ffv1 || isStillCodec(codec) ? 16 : 10;
      EXPECT_GE(format.bit_depth, std::min(source.bit_depth, most)) << codecName(codec);
    }
  }
}

// ISO/IEC 14496-14 and the QuickTime file format, from memory: which sound goes into which container.
TEST(Codecs, TheContainerFollowsTheSound) {
  const auto ending = [](Codec codec, std::vector<std::string> sound, Sound keep = Sound::Keep) {
    EncodeSettings settings;
    settings.codec = codec;
    settings.sound = keep;
    return outputEnding(film(std::move(sound)), settings);
  };
  EXPECT_EQ(ending(Codec::H264, {}), ".mp4");
  EXPECT_EQ(ending(Codec::H264, {"aac"}), ".mp4");
  EXPECT_EQ(ending(Codec::H265, {"aac", "opus"}), ".mp4");
  EXPECT_EQ(ending(Codec::H264, {"pcm_s16le"}), ".mov");
  EXPECT_EQ(ending(Codec::H264, {"vorbis"}), ".mkv");
  EXPECT_EQ(ending(Codec::H264, {"aac", "vorbis"}), ".mkv");
  EXPECT_EQ(ending(Codec::H264, {"vorbis"}, Sound::None), ".mp4");
  EXPECT_EQ(ending(Codec::H264, {"vorbis"}, Sound::Pcm), ".mov");
  EXPECT_EQ(ending(Codec::H264, {}, Sound::Pcm), ".mp4");
  EXPECT_EQ(ending(Codec::ProRes422HQ, {"aac"}), ".mov");
  EXPECT_EQ(ending(Codec::Ffv1, {"aac"}), ".mkv");
  // Stills of a film come into a folder, a still stays one file.
  EXPECT_EQ(ending(Codec::Png, {}), "");
  ClipInfo still = film({});
  still.kind = ClipKind::Still;
  EncodeSettings png;
  png.codec = Codec::Png;
  EXPECT_EQ(outputEnding(still, png), ".png");
}

TEST(Codecs, BetterQualityMeansFewerLosses) {
  const auto crfOf = [](Codec codec, Quality quality) {
    EncodeSettings settings;
    settings.codec = codec;
    settings.quality = quality;
    const AVCodec* encoder = detail::findEncoder(codec);
    detail::CodecPtr context(avcodec_alloc_context3(encoder));
    detail::applySettings(*context, settings);
    double value = -1;
    av_opt_get_double(context->priv_data, "crf", 0, &value);
    return value;
  };
  for (const Codec codec : {Codec::H264, Codec::H265}) {
    EXPECT_GT(crfOf(codec, Quality::Small), crfOf(codec, Quality::Standard));
    EXPECT_GT(crfOf(codec, Quality::Standard), crfOf(codec, Quality::High));
  }
}

TEST(Codecs, ABitRateTakesTheQualitysPlace) {
  EncodeSettings settings;
  settings.codec = Codec::H264;
  settings.bit_rate = 12'000'000;
  detail::CodecPtr context(avcodec_alloc_context3(detail::findEncoder(settings.codec)));
  detail::applySettings(*context, settings);
  EXPECT_EQ(context->bit_rate, 12'000'000);
  double crf = 0;
  av_opt_get_double(context->priv_data, "crf", 0, &crf);
  EXPECT_LT(crf, 0) << "not set";
}

}  // namespace
}  // namespace glenhaze
