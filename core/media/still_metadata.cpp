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
#include "core/base/files.h"
#include "core/media/jpeg.h"
#include "core/media/reader.h"

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

constexpr uint64_t kLargestTiff = 0xFFFFFFFF;  // the format's own limit

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
  if (image.mimeType() == "image/tiff") return;  // there already
  Exiv2::DataBuf copy(profile.data(), size);
  image.setIccProfile(copy);
}

void saySize(Exiv2::ExifData& exif, PictureSize size) {
  exif["Exif.Image.Orientation"] = static_cast<uint16_t>(1);
  exif["Exif.Photo.PixelXDimension"] = static_cast<uint32_t>(size.width);
  exif["Exif.Photo.PixelYDimension"] = static_cast<uint32_t>(size.height);
}

// Of the picture in a file, no larger than DCF asks for (CIPA DC-009, 160 × 120, from memory).
void makeThumbnail(const std::filesystem::path& file, Exiv2::ExifData& exif) {
  constexpr int kWidth = 160, kHeight = 120;
  ClipReader reader(probe(file));
  const auto frame = reader.next();
  if (!frame) return;
  const double scale = std::min(
      {1.0, static_cast<double>(kWidth) / frame->width, static_cast<double>(kHeight) / frame->height});
  const auto small = [scale](int side) { return std::max(1, static_cast<int>(std::lround(side * scale))); };
  const std::vector<uint8_t> jpeg = jpegOf(toScreen(*frame, small(frame->width), small(frame->height)));
  Exiv2::ExifThumb(exif).setJpegThumbnail(jpeg.data(), static_cast<long>(jpeg.size()));
}

}  // namespace

int resolutionOf(const std::filesystem::path& still) {
  const std::scoped_lock lock(oneAtATime());
  Exiv2::LogMsg::setLevel(Exiv2::LogMsg::mute);
  try {
    const auto image = Exiv2::ImageFactory::open(still.string());
    image->readMetadata();
    const Exiv2::ExifData& exif = image->exifData();
    const auto across = exif.findKey(Exiv2::ExifKey("Exif.Image.XResolution")),
               unit = exif.findKey(Exiv2::ExifKey("Exif.Image.ResolutionUnit"));
    if (across == exif.end() || across->toRational().second == 0) return 0;
    const bool per_cm = unit != exif.end() && unit->toLong() == 3;
    return static_cast<int>(
        std::lround(std::clamp(static_cast<double>(across->toFloat()) * (per_cm ? 2.54 : 1), 0.0, 65535.0)));
  } catch (const Exiv2::AnyError&) {
    return 0;
  }
}

void addTiffProfile(const std::filesystem::path& tiff, const std::vector<uint8_t>& icc) {
  constexpr size_t kHead = 8, kEntry = 12;
  constexpr uint16_t kProfile = 34675, kUndefined = 7;
  std::string file = readFile(tiff, kLargestTiff);
  const auto fail = [&] {
    throw Error(ErrorKind::Unreadable, "The TIFF's tags cannot be read", tiff.string(), "", "");
  };
  // Little-endian, as FFmpeg writes it.
  if (file.size() < kHead || !file.starts_with(std::string_view("II*\0", 4))) fail();
  const auto at16 = [&](size_t i) {
    return static_cast<uint16_t>(static_cast<uint8_t>(file[i]) | static_cast<uint8_t>(file[i + 1]) << 8);
  };
  const auto at32 = [&](size_t i) {
    return static_cast<uint32_t>(at16(i)) | static_cast<uint32_t>(at16(i + 2)) << 16;
  };
  const auto text = [](uint32_t value, int bytes) {
    std::string out;
    for (int i = 0; i < bytes; ++i) out += static_cast<char>(value >> (8 * i) & 0xFFU);
    return out;
  };
  const size_t list = at32(4);
  if (list + 2 > file.size()) fail();
  const size_t count = at16(list);
  if (list + 2 + count * kEntry + 4 > file.size()) fail();
  if (file.size() % 2 != 0) file += '\0';
  const auto profile_at = static_cast<uint32_t>(file.size());
  file.append(icc.begin(), icc.end());
  if (file.size() % 2 != 0) file += '\0';
  const auto new_list = static_cast<uint32_t>(file.size());
  std::string entries;
  bool added = false;
  const auto add = [&] {
    entries += text(kProfile, 2) + text(kUndefined, 2) + text(static_cast<uint32_t>(icc.size()), 4) +
               text(profile_at, 4);
    added = true;
  };
  for (size_t i = 0; i < count; ++i) {
    const size_t entry = list + 2 + i * kEntry;
    // Tags stand in rising order.
    if (!added && at16(entry) > kProfile) add();
    entries += file.substr(entry, kEntry);
  }
  if (!added) add();
  file += text(static_cast<uint32_t>(count + 1), 2) + entries + file.substr(list + 2 + count * kEntry, 4);
  file.replace(4, 4, text(new_list, 4));
  writeFileAtomically(tiff, file);
}

bool carryStillMetadata(const std::filesystem::path& from, const std::filesystem::path& to,
                        PictureSize size) {
  const std::scoped_lock lock(oneAtATime());
  Exiv2::LogMsg::setLevel(Exiv2::LogMsg::mute);
  try {
    const auto source = Exiv2::ImageFactory::open(from.string());
    source->readMetadata();
    const Bytes profile = profileIn(*source);
    const bool tiff = to.extension() == ".tif" || to.extension() == ".tiff";
    if (tiff && !profile.empty()) addTiffProfile(to, profile);
    if (source->exifData().empty() && source->iptcData().empty() && source->xmpData().empty() &&
        profile.empty())
      return false;
    const auto target = Exiv2::ImageFactory::open(to.string());
    target->readMetadata();
    for (const Exiv2::Exifdatum& datum : source->exifData())
      if (holdsOn(datum)) target->exifData()[datum.key()] = datum.value();
    if (!source->exifData().empty()) saySize(target->exifData(), size);
    const bool jpeg = to.extension() == ".jpg" || to.extension() == ".jpeg";
    if (jpeg && Exiv2::ExifThumbC(source->exifData()).copy().size_ > 0) makeThumbnail(to, target->exifData());
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
