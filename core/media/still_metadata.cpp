#include "core/media/still_metadata.h"

#include <exiv2/exiv2.hpp>

#include <algorithm>
#include <array>
#include <cmath>
#include <mutex>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/error.h"

namespace glenhaze {

namespace {

// How a TIFF lies in its file: true of the source alone.
constexpr std::array<std::string_view, 25> kLayout = {"ImageWidth",
                                                      "ImageLength",
                                                      "BitsPerSample",
                                                      "Compression",
                                                      "PhotometricInterpretation",
                                                      "StripOffsets",
                                                      "SamplesPerPixel",
                                                      "RowsPerStrip",
                                                      "StripByteCounts",
                                                      "PlanarConfiguration",
                                                      "TileWidth",
                                                      "TileLength",
                                                      "TileOffsets",
                                                      "TileByteCounts",
                                                      "SubIFDs",
                                                      "JPEGTables",
                                                      "Predictor",
                                                      "YCbCrCoefficients",
                                                      "YCbCrSubSampling",
                                                      "YCbCrPositioning",
                                                      "SampleFormat",
                                                      "ExtraSamples",
                                                      "ReferenceBlackWhite",
                                                      "InterColorProfile",
                                                      "NewSubfileType"};

bool holdsOn(const Exiv2::Exifdatum& datum) {
  const std::string group = datum.groupName();
  // Thumbnails and previews show what was filmed, not what was made of it.
  if (group == "Thumbnail" || group.starts_with("SubImage") || group == "Image2" || group == "Image3")
    return false;
  return group != "Image" || std::find(kLayout.begin(), kLayout.end(), datum.tagName()) == kLayout.end();
}

// The library's XMP part is one for the whole process.
std::mutex& oneAtATime() {
  static std::mutex mutex;
  return mutex;
}

using Bytes = std::vector<Exiv2::byte>;

Bytes profileIn(Exiv2::Image& image) {
  if (image.iccProfileDefined()) {
    const Exiv2::DataBuf* profile = image.iccProfile();
    return {profile->pData_, profile->pData_ + profile->size_};
  }
  const auto tag = image.exifData().findKey(Exiv2::ExifKey("Exif.Image.InterColorProfile"));
  if (tag == image.exifData().end()) return {};
  Bytes bytes(static_cast<size_t>(tag->size()));
  tag->copy(bytes.data(), Exiv2::invalidByteOrder);
  return bytes;
}

void sayProfile(Exiv2::Image& image, const Bytes& profile) {
  if (profile.empty()) return;
  const long size = static_cast<long>(profile.size());
  if (image.mimeType() == "image/tiff") return;  // see layoutOf()
  Exiv2::DataBuf copy(profile.data(), size);
  image.setIccProfile(copy);
}

void saySize(Exiv2::ExifData& exif, PictureSize size) {
  exif["Exif.Image.Orientation"] = static_cast<uint16_t>(1);
  exif["Exif.Photo.PixelXDimension"] = static_cast<uint32_t>(size.width);
  exif["Exif.Photo.PixelYDimension"] = static_cast<uint32_t>(size.height);
}

}  // namespace

StillLayout layoutOf(const std::filesystem::path& still) {
  const std::scoped_lock lock(oneAtATime());
  Exiv2::LogMsg::setLevel(Exiv2::LogMsg::mute);
  StillLayout layout;
  try {
    const auto image = Exiv2::ImageFactory::open(still.string());
    image->readMetadata();
    layout.icc = profileIn(*image);
    const Exiv2::ExifData& exif = image->exifData();
    const auto across = exif.findKey(Exiv2::ExifKey("Exif.Image.XResolution")),
               unit = exif.findKey(Exiv2::ExifKey("Exif.Image.ResolutionUnit"));
    const bool per_cm = unit != exif.end() && unit->toLong() == 3;
    if (across != exif.end() && across->toRational().second != 0)
      layout.dpi = static_cast<int>(std::lround(
          std::clamp(static_cast<double>(across->toFloat()) * (per_cm ? 2.54 : 1), 0.0, 65535.0)));
  } catch (const Exiv2::AnyError&) {
    return {};
  }
  return layout;
}

bool carryStillMetadata(const std::filesystem::path& from, const std::filesystem::path& to,
                        PictureSize size) {
  const std::scoped_lock lock(oneAtATime());
  Exiv2::LogMsg::setLevel(Exiv2::LogMsg::mute);
  try {
    const auto source = Exiv2::ImageFactory::open(from.string());
    source->readMetadata();
    const Bytes profile = profileIn(*source);
    if (source->exifData().empty() && source->iptcData().empty() && source->xmpData().empty() &&
        profile.empty())
      return false;
    const auto target = Exiv2::ImageFactory::open(to.string());
    target->readMetadata();
    for (const Exiv2::Exifdatum& datum : source->exifData())
      if (holdsOn(datum)) target->exifData()[datum.key()] = datum.value();
    if (!source->exifData().empty()) saySize(target->exifData(), size);
    target->setIptcData(source->iptcData());
    target->setXmpData(source->xmpData());
    // The one place that could say otherwise than the above.
    const auto turned = target->xmpData().findKey(Exiv2::XmpKey("Xmp.tiff.Orientation"));
    if (turned != target->xmpData().end()) *turned = "1";
    sayProfile(*target, profile);
    target->writeMetadata();
    return true;
  } catch (const Exiv2::AnyError& error) {
    throw Error(ErrorKind::Unreadable, "What the still says of itself cannot be carried over", from.string(),
                error.what(), "");
  }
}

}  // namespace glenhaze
