// A still that is rendered says of itself what its source said, but for what has changed.
#include "core/media/still_metadata.h"

#include <gtest/gtest.h>

#include <exiv2/exiv2.hpp>

#include "core/base/error.h"
#include "core/media/sequence.h"
#include "core/pipeline/render.h"
#include "core/treat/shoot.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {

namespace fs = std::filesystem;

std::vector<Exiv2::byte> madeUpProfile() {
  std::vector<Exiv2::byte> bytes(256, 7);
  // A profile begins with its own length (ICC.1, 7.2.2).
  bytes[0] = bytes[1] = 0;
  bytes[2] = 1;
  bytes[3] = 0;
  return bytes;
}

// What a camera would write, the picture lying on its side.
void describe(const fs::path& file, bool on_its_side) {
  const auto image = Exiv2::ImageFactory::open(file.string());
  image->readMetadata();
  Exiv2::ExifData& exif = image->exifData();
  exif["Exif.Image.Make"] = "Limpet";
  exif["Exif.Image.Model"] = "A1";
  if (on_its_side) exif["Exif.Image.Orientation"] = uint16_t{6};
  exif["Exif.Image.XResolution"] = Exiv2::Rational(300, 1);
  exif["Exif.Photo.ISOSpeedRatings"] = uint16_t{1600};
  exif["Exif.Photo.DateTimeOriginal"] = "2031:04:05 06:07:08";
  exif["Exif.Photo.FNumber"] = Exiv2::Rational(28, 10);
  exif["Exif.Photo.PixelXDimension"] = uint32_t{320};
  exif["Exif.GPSInfo.GPSLatitudeRef"] = "N";
  exif["Exif.Thumbnail.Compression"] = uint16_t{6};
  image->xmpData()["Xmp.dc.subject"] = "mill";
  if (file.extension() != ".tif") {
    const auto bytes = madeUpProfile();
    Exiv2::DataBuf profile(bytes.data(), static_cast<long>(bytes.size()));
    image->setIccProfile(profile);
  }
  image->writeMetadata();
}

std::string said(const Exiv2::ExifData& exif, const char* key) {
  const auto at = exif.findKey(Exiv2::ExifKey(key));
  return at == exif.end() ? "" : at->toString();
}

RenderJob jobFor(const ClipInfo& clip, const fs::path& to) {
  RenderJob job;
  job.clip = clip;
  job.encode = encodingOf(OutputSettings{}, clip);
  job.correction.output = {160, 90};
  job.place.path = to.string() + outputEnding(clip, job.encode);
  return job;
}

class StillMetadata : public ::testing::TestWithParam<const char*> {};

TEST_P(StillMetadata, IsCarriedOver) {
  const std::string ending = GetParam();
  const testing::ScratchFolder folder;
  const fs::path source = testing::makeWithFfmpeg(folder / ("in" + ending),
                                                  std::string("-f lavfi -i testsrc2=s=320x180 -frames:v 1 ") +
                                                      (ending == ".jpg"   ? "-pix_fmt yuvj422p"
                                                       : ending == ".tif" ? "-pix_fmt rgb48le -dpi 300"
                                                                          : "-pix_fmt rgb24"));
  // Exiv2 adds none to a TIFF, but reads it.
  if (ending == ".tif") addTiffProfile(source, madeUpProfile());
  describe(source, false);
  const ClipInfo clip = probe(source);
  ASSERT_EQ(clip.kind, ClipKind::Still);
  const RenderJob job = jobFor(clip, folder / "out");
  EXPECT_EQ(job.place.path.extension(), ending) << "a still stays what it is";
  renderClip(job);
  const auto made = Exiv2::ImageFactory::open(job.place.path.string());
  made->readMetadata();
  const Exiv2::ExifData& exif = made->exifData();
  EXPECT_EQ(said(exif, "Exif.Image.Make"), "Limpet");
  EXPECT_EQ(said(exif, "Exif.Image.Model"), "A1");
  EXPECT_EQ(said(exif, "Exif.Image.XResolution"), "300/1");
  EXPECT_EQ(said(exif, "Exif.Photo.ISOSpeedRatings"), "1600");
  EXPECT_EQ(said(exif, "Exif.Photo.DateTimeOriginal"), "2031:04:05 06:07:08");
  EXPECT_EQ(said(exif, "Exif.Photo.FNumber"), "28/10");
  EXPECT_EQ(said(exif, "Exif.GPSInfo.GPSLatitudeRef"), "N");
  EXPECT_EQ(said(exif, "Exif.Photo.PixelXDimension"), "160");
  EXPECT_EQ(said(exif, "Exif.Photo.PixelYDimension"), "90");
  EXPECT_EQ(said(exif, "Exif.Image.Orientation"), "1");
  EXPECT_EQ(said(exif, "Exif.Thumbnail.Compression"), "") << "it would show the source";
  EXPECT_FALSE(made->xmpData().findKey(Exiv2::XmpKey("Xmp.dc.subject")) == made->xmpData().end());
  const auto profile = madeUpProfile();
  if (ending == ".tif") {
    const auto tag = exif.findKey(Exiv2::ExifKey("Exif.Image.InterColorProfile"));
    ASSERT_FALSE(tag == exif.end());
    EXPECT_EQ(static_cast<size_t>(tag->size()), profile.size());
  } else {
    ASSERT_TRUE(made->iccProfileDefined());
    EXPECT_TRUE(std::equal(profile.begin(), profile.end(), made->iccProfile()->pData_));
  }
  // The picture itself is whole, and as deep as it was.
  const ClipInfo written = probe(job.place.path);
  EXPECT_EQ(written.width, 160);
  EXPECT_EQ(written.height, 90);
  EXPECT_EQ(written.format, clip.format);
}

INSTANTIATE_TEST_SUITE_P(Kinds, StillMetadata, ::testing::Values(".jpg", ".tif", ".png"),
                         [](const auto& info) { return std::string(info.param).substr(1); });

// Cameras put a small picture into each JPEG; that of the source would show what was filmed.
TEST(StillMetadata, AThumbnailIsMadeAnew) {
  const testing::ScratchFolder folder;
  const auto bytesOf = [](const fs::path& file) {
    const std::string text = readFile(file);
    return std::vector<Exiv2::byte>(text.begin(), text.end());
  };
  const fs::path source = testing::makeWithFfmpeg(
      folder / "in.jpg", "-f lavfi -i color=c=0x208040:s=640x360 -frames:v 1 -pix_fmt yuvj422p");
  const fs::path other = testing::makeWithFfmpeg(
      folder / "small.jpg", "-f lavfi -i color=c=red:s=160x90 -frames:v 1 -pix_fmt yuvj422p");
  {
    const auto image = Exiv2::ImageFactory::open(source.string());
    image->readMetadata();
    image->exifData()["Exif.Image.Make"] = "Limpet";
    const auto bytes = bytesOf(other);
    Exiv2::ExifThumb(image->exifData()).setJpegThumbnail(bytes.data(), static_cast<long>(bytes.size()));
    image->writeMetadata();
  }
  RenderJob job = jobFor(probe(source), folder / "out");
  job.correction.output = {480, 270};
  renderClip(job);
  const auto made = Exiv2::ImageFactory::open(job.place.path.string());
  made->readMetadata();
  const Exiv2::DataBuf thumbnail = Exiv2::ExifThumbC(made->exifData()).copy();
  ASSERT_GT(thumbnail.size_, 0);
  const fs::path shown = folder / "thumbnail.jpg";
  writeFileAtomically(shown, std::string(thumbnail.pData_, thumbnail.pData_ + thumbnail.size_));
  const ClipInfo info = probe(shown);
  EXPECT_EQ(info.width, 160);
  EXPECT_EQ(info.height, 90);
  // Its colour is that of the picture, and not the red of before.
  ClipReader small(info), large(probe(job.place.path));
  const auto a = small.next(), b = large.next();
  ASSERT_TRUE(a && b);
  for (size_t p = 0; p < 3; ++p)
    EXPECT_NEAR(a->planes[p].at(a->planes[p].width / 2, 5, 1), b->planes[p].at(b->planes[p].width / 2, 5, 1),
                3)
        << p;
}

TEST(StillMetadata, OneThatLiesOnItsSideIsUprightAndSaysSo) {
  const testing::ScratchFolder folder;
  const fs::path source =
      testing::makeWithFfmpeg(folder / "in.jpg", "-f lavfi -i testsrc2=s=320x180 -frames:v 1");
  describe(source, true);
  const ClipInfo clip = probe(source);
  EXPECT_EQ(clip.rotation, 90);
  RenderJob job = jobFor(clip, folder / "out");
  job.correction.output = {};
  renderClip(job);
  const auto made = Exiv2::ImageFactory::open(job.place.path.string());
  made->readMetadata();
  EXPECT_EQ(said(made->exifData(), "Exif.Image.Orientation"), "1");
  EXPECT_EQ(said(made->exifData(), "Exif.Photo.PixelXDimension"), "180");
  EXPECT_EQ(probe(job.place.path).width, 180);
  EXPECT_EQ(probe(job.place.path).rotation, 0);
}

TEST(StillMetadata, EachOfASequenceKeepsItsOwn) {
  const testing::ScratchFolder folder;
  testing::makeWithFfmpeg(folder / "lapse_%02d.jpg", "-f lavfi -i testsrc2=s=320x180 -frames:v 4");
  for (int i = 1; i <= 4; ++i) {
    const auto image =
        Exiv2::ImageFactory::open((folder / ("lapse_0" + std::to_string(i) + ".jpg")).string());
    image->readMetadata();
    image->exifData()["Exif.Photo.ISOSpeedRatings"] = static_cast<uint16_t>(100 * i);
    image->writeMetadata();
  }
  RenderJob job = jobFor(probe(folder / "lapse_%02d.jpg"), folder / "out");
  job.range = FrameRange{1, 3};
  renderClip(job);
  ASSERT_TRUE(fs::is_directory(job.place.path)) << "a sequence stays one";
  std::vector<std::string> isos;
  for (int i = 1; i <= 2; ++i) {
    const auto made =
        Exiv2::ImageFactory::open((job.place.path / ("out_0000" + std::to_string(i) + ".jpg")).string());
    made->readMetadata();
    isos.push_back(said(made->exifData(), "Exif.Photo.ISOSpeedRatings"));
  }
  EXPECT_EQ(isos, (std::vector<std::string>{"200", "300"}));
}

TEST(StillMetadata, FilmsAreMadeOfStillsWhereThatIsAskedFor) {
  OutputSettings output;
  ClipInfo lapse;
  lapse.kind = ClipKind::Sequence;
  lapse.codec = "mjpeg";
  EXPECT_EQ(encodingOf(output, lapse).codec, Codec::Jpeg);
  EXPECT_EQ(encodingOf(output, lapse).quality, Quality::High);
  output.stills_stay = false;
  EXPECT_EQ(encodingOf(output, lapse).codec, Codec::H264);
  output.stills_stay = true;
  output.encode.codec = Codec::Tiff;
  EXPECT_EQ(encodingOf(output, lapse).codec, Codec::Tiff);
  EXPECT_EQ(encodingOf(OutputSettings{}, ClipInfo{}).codec, Codec::H264);
}

}  // namespace
}  // namespace glenhaze
