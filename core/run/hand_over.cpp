#include "core/run/hand_over.h"

#include <cmath>

#include "core/base/error.h"
#include "core/media/reader.h"
#include "core/media/sequence.h"
#include "core/media/source_guard.h"
#include "core/pipeline/overlay.h"
#include "core/run/ask.h"

namespace glenhaze {

HandOver::HandOver(const ClipPlan& given, FactStore& store, const Progress& progress) {
  const ClipPlan plan = answered(given, store, partOf(progress, 0, 0.3));
  if (!plan.refusal.empty())
    throw Error(ErrorKind::BadRequest, "There is no corrected picture to go by", plan.info.path.string(),
                plan.refusal, "");
  Treatment treatment = plan.decision.treatment;
  // What looks nowhere but at colours need not be worked out.
  treatment.cleaning.reset();
  ClipPlan geometric = plan;
  geometric.questions.flicker = false;
  const Prepared prepared = prepare(geometric, store, notes_, partOf(progress, 0.3, 1));
  filmed_ = {plan.info.width, plan.info.height};
  const auto geometry = std::make_shared<const Geometry>(correctionOf(treatment, prepared), filmed_);
  straight_ = geometry->output();
  range_ = treatment.range;
  moves_ = prepared.motion != nullptr;
  to_straight_ = [geometry](Point p, int64_t frame) { return geometry->toOutput(p, frame); };
  to_filmed_ = [geometry](Point p, int64_t frame) { return geometry->toSource(p, frame); };
}

HandOver::HandOver(const Lens& lens) : filmed_{lens.width, lens.height}, straight_(filmed_) {
  to_straight_ = [place = straightOf(lens)](Point p, int64_t) { return place(p); };
  to_filmed_ = [place = filmedOf(lens)](Point p, int64_t) { return place(p); };
}

namespace {

SourceGuard guardOf(const OverlayFiles& files) {
  std::vector<std::filesystem::path> sources;
  for (const auto& path : {files.from, files.footage})
    if (!path.empty()) sources.push_back(path);
  return SourceGuard(sources);
}

RgbaWriter writerFor(const OverlayFiles& files) {
  return RgbaWriter(files.to, files.alpha.value_or(usualAlpha(files.to)), files.fps, files.overwrite,
                    guardOf(files));
}

PictureSize checkedRoom(const HandOver& how, double room) {
  if (!(room >= 0 && room <= 2))
    throw Error(ErrorKind::BadRequest, "The room is not usable", "", "", "Give it from 0 to 200 %");
  return roomySize(how.straight(), room);
}

}  // namespace

HandedOver layBack(const HandOver& how, const OverlayFiles& files, const Progress& progress) {
  RgbaReader reader(files.from, files.alpha.value_or(usualAlpha(files.from)));
  RgbaWriter writer = writerFor(files);
  const bool one = RgbaWriter::takesOne(files.to), holds = reader.still() && how.moves();
  if (one && (holds || !reader.still()))
    throw Error(ErrorKind::BadRequest, "The name is for one picture, and there are several",
                files.to.string(), "", "Give a sequence (name_%04d.png) or a film (.mov)");
  HandedOver result{0, how.filmed()};
  const int64_t most = how.moves() ? how.range().count() : std::numeric_limits<int64_t>::max();
  std::optional<RgbaPicture> picture;
  while (result.pictures < most) {
    progress.check();
    if (!holds || !picture) picture = reader.next();
    if (!picture) break;
    const int64_t frame = how.range().first + result.pictures;
    writer.write(
        redone(*picture, how.filmed(), how.straight(), [&](Point p) { return how.toStraight(p, frame); }));
    ++result.pictures;
    if (how.moves()) progress.update(static_cast<double>(result.pictures) / static_cast<double>(most));
  }
  writer.finish();
  return result;
}

StMap mapOf(const HandOver& how, MapDirection direction, double room, int64_t frame) {
  const PictureSize roomy = checkedRoom(how, room);
  const Point corner = roomAround(roomy, how.straight());
  if (direction == MapDirection::Undistort)
    return stMapOf(roomy, how.filmed(), [&](Point p) { return how.toFilmed(p - corner, frame); });
  return stMapOf(how.filmed(), roomy, [&](Point p) -> std::optional<Point> {
    const auto at = how.toStraight(p, frame);
    return at ? std::optional(*at + corner) : std::nullopt;
  });
}

HandedOver writeMaps(const HandOver& how, MapDirection direction, double room, const OverlayFiles& files,
                     const Progress& progress) {
  if (how.moves() && !isSequenceName(files.to))
    throw Error(ErrorKind::BadRequest, "The name is for one map, and there is one for each frame",
                files.to.string(), "", "Give a sequence: name_%04d.exr");
  const SourceGuard guard = guardOf(files);
  const int64_t most = how.moves() ? how.range().count() : 1;
  HandedOver result;
  while (result.pictures < most) {
    progress.check();
    const auto to = how.moves() ? sequenceFile(files.to, static_cast<int>(result.pictures) + 1) : files.to;
    requireNoSource(guard, to);
    if (std::filesystem::exists(to) && !files.overwrite)
      throw Error(ErrorKind::Unwritable, "The file exists already", to.string(), "",
                  "Choose another name, or allow it to be replaced");
    const StMap map = mapOf(how, direction, room, how.range().first + result.pictures);
    writeStMap(map, to);
    result.size = {map.width, map.height};
    progress.update(static_cast<double>(++result.pictures) / static_cast<double>(most));
  }
  return result;
}

HandedOver writePlate(const HandOver& how, const ClipInfo& clip, FrameRange frames, double room,
                      const OverlayFiles& files, const Progress& progress) {
  if (clip.width != how.filmed().width || clip.height != how.filmed().height)
    throw Error(ErrorKind::BadRequest, "The clip has another picture size than the lens", clip.path.string(),
                std::to_string(clip.width) + " × " + std::to_string(clip.height), "");
  if (RgbaWriter::takesOne(files.to)) frames.last = std::min(frames.last, frames.first + 1);
  const PictureSize straight = how.straight(), roomy = checkedRoom(how, room);
  RgbaWriter writer = writerFor(files);
  ClipReader reader(clip);
  if (frames.first > 0) reader.seek(frames.first);
  HandedOver result{0, roomy};
  while (result.pictures < frames.count()) {
    progress.check();
    const auto frame = reader.next();
    if (!frame) break;
    writer.write(plateOf(*frame, roomy, straight, [&](Point p) { return how.toFilmed(p, frame->index); }));
    ++result.pictures;
    progress.update(static_cast<double>(result.pictures) / static_cast<double>(frames.count()));
  }
  if (result.pictures == 0)
    throw Error(ErrorKind::Unreadable, "The clip holds no such frame", clip.path.string(), "", "");
  writer.finish();
  return result;
}

}  // namespace glenhaze
