#include "core/pipeline/clip_motion.h"

#include <cmath>
#include <numbers>

#include "core/base/error.h"
#include "core/base/numbers.h"
#include "core/motion/layers.h"
#include "core/motion/settings.h"

namespace glenhaze {
namespace fs = std::filesystem;

namespace {

bool sameWindow(const WindowSettings& a, const WindowSettings& b) {
  return a.width == b.width && a.height == b.height && a.amount == b.amount && a.fill == b.fill;
}

// How far a path is off by itself, degrees RMS faster than 1 Hz: the mean of so many tracks errs by their own
// error over the root of their number, twice for each step.
double pathNoise(const PathFinding& finding, double focal_px) {
  double sum = 0;
  int count = 0;
  for (const StepFit& f : finding.steps) {
    const double agree = f.share * f.pairs;
    if (agree < 1) continue;
    sum += f.rms_px * f.rms_px / agree;
    ++count;
  }
  constexpr double kDegrees = 180 / std::numbers::pi;
  return count > 0 ? std::sqrt(2 * sum / count) / focal_px * kDegrees : 0;
}

// Empty where the clip's own motion does not tell it.
std::optional<ShutterFinding> ownShutterOf(const MotionRequest& request, const TrackRecord& record,
                                           const Progress& progress) {
  const double fps = request.clip.fps.value();
  if (!(fps > 0)) return std::nullopt;
  try {
    return measureReadout(record, request.lens, 1 / fps, codingOf(request.clip, progress), progress);
  } catch (const Error& error) {
    if (error.kind() != ErrorKind::Evidence) throw;
    return std::nullopt;
  }
}

// The tracks of what is far or near, where that is asked for and told; the finding is then of them.
std::optional<TrackRecord> steadiedPart(const MotionRequest& request, const TrackRecord& record,
                                        MotionAnswer& answer, const Progress& progress) {
  constexpr double kMost = 0.5;  // of the frames
  if (request.settings.part == SteadiedPart::Most) return std::nullopt;
  PartTracks part = tracksOfPart(record, request.settings.part, request.lens, answer.shutter,
                                 answer.finding.path, progress);
  if (part.told_share < kMost) {
    answer.finding.warnings.emplace_back(
        "Near and far things do not move apart enough to be told from each other: what most of the picture "
        "does is steadied.");
    return std::nullopt;
  }
  answer.finding = solvePath(part.record, request.lens, answer.shutter, {}, progress);
  return std::move(part.record);
}

// Why the steadied picture may not be what the path says, "" where it is.
std::string doubtOf(const UnexplainedMotion& left, double by_path_deg, SteadiedPart part) {
  constexpr double kTold_deg = 0.02;   // less is not seen
  constexpr double kMuchMoves = 0.35;  // of the picture
  const bool chosen = part != SteadiedPart::Most;
  if (left.moving_share > kMuchMoves)
    return "Much of the picture moves on its own, or near things pass by (" +
           fixedText(left.moving_share * 100, 0) + " % of it, by " + fixedText(left.drift_deg_per_s, 0) +
           "° a second): what is steadied may be the wrong part. Mask what is not the scene" +
           (chosen ? "." : ", or choose to steady what is far, or what is near.");
  if (left.shake_deg > 3 * by_path_deg && left.shake_deg > kTold_deg)
    return "Parts of the picture shake apart (" + fixedText(left.shake_deg, 2) +
           "°), as near and far things do when the camera moves: one part can be steadied, the other shakes "
           "on." +
           (chosen ? "" : " Choose to steady what is far, or what is near.");
  return "";
}

}  // namespace

std::string tracksKey(const MotionRequest& request) {
  std::error_code code;
  const ClipInfo& clip = request.clip;
  std::string key = clip.path.filename().string();
  if (clip.kind == ClipKind::Film)
    key += " " + std::to_string(fs::file_size(clip.path, code)) + " " +
           std::to_string(fs::last_write_time(clip.path, code).time_since_epoch().count());
  key += " " + std::to_string(clip.frames) + (request.fields == Fields::Deinterlace ? " deinterlaced" : "");
  key += " " + masksToText(request.masks);
  // One line in the file, whatever the file is called.
  for (char& c : key)
    if (c == '\n' || c == '\r') c = ' ';
  return key;
}

std::string motionFingerprint(const MotionRequest& request) {
  return request.log.string() + exactText(request.shutter.readout_s) + (request.own_shutter ? " own " : " ") +
         scanDirectionName(request.shutter.direction) + " " + stabilizationToText(request.settings) +
         masksToText(request.masks) + handKeysToText(request.hand);
}

std::optional<TrackRecord> keptTracks(const MotionRequest& request) {
  if (request.tracks_file.empty()) return std::nullopt;
  return loadTracks({request.tracks_file, tracksKey(request)});
}

TrackRecord tracksFor(const MotionRequest& request, const Progress& progress) {
  if (auto kept = keptTracks(request)) return std::move(*kept);
  TrackOptions options;
  options.masks = request.masks;
  options.fields = request.fields;
  return trackClip(request.clip, options, progress, {request.tracks_file, tracksKey(request)});
}

MotionAnswer answerMotion(const MotionRequest& request, const TrackRecord& record, const Progress& progress) {
  MotionAnswer answer;
  answer.shutter = request.shutter;
  if (request.own_shutter) {
    answer.own_shutter = ownShutterOf(request, record, progress);
    answer.shutter = answer.own_shutter ? answer.own_shutter->shutter : Shutter{};
    if (!answer.shutter.rolls()) answer.shutter = {};
  }
  answer.finding = solvePath(record, request.lens, answer.shutter, {}, progress);
  const std::optional<TrackRecord> part = steadiedPart(request, record, answer, progress);
  if (!request.log.empty()) {
    const MotionLog log = readMotionLog(request.log);
    answer.log = fitLog(log, answer.finding.path);
    if (answer.log->usable)
      answer.finding.path = pathFromLog(log, *answer.log, answer.finding.path);
    else
      answer.finding.warnings.push_back("The motion log does not tell the motion of this clip (agreement " +
                                        std::to_string(std::lround(answer.log->agreement * 100)) +
                                        " %): it is left out.");
  }
  answer.finding.path = mendedByHand(answer.finding.path, request.hand, request.lens);
  if (request.hand.empty())
    answer.unexplained = unexplainedMotion(part ? *part : record, request.lens, answer.shutter,
                                           answer.finding.path, part ? 1 : kSteadierParts);
  steadyAgain(answer, request);
  return answer;
}

void steadyAgain(MotionAnswer& answer, const MotionRequest& request) {
  if (!answer.room || !sameWindow(answer.room_window, request.window)) {
    answer.room = std::make_shared<StabilizationRoom>(answer.finding.path, request.lens, answer.shutter,
                                                      LensWindow(request.lens, request.window));
    answer.room_window = request.window;
  }
  const auto count = static_cast<int64_t>(answer.finding.path.frames().size());
  const FrameRange range = request.range.value_or(FrameRange{0, count});
  answer.stabilized = stabilize(*answer.room, request.settings, range.first, range.last);
  // What is left is never less than what is not known; where nothing is steadied it is there already.
  if (request.settings.steadying != Steadying::Off) {
    StabilizedClip& s = answer.stabilized;
    const double by_path = std::hypot(s.shake_after_deg, pathNoise(answer.finding, request.lens.fx));
    s.shake_after_deg = std::hypot(by_path, answer.unexplained.shake_deg);
    s.doubt = doubtOf(answer.unexplained, by_path, request.settings.part);
    if (s.doubt.empty() && request.settings.part != SteadiedPart::Most && answer.finding.shift_and_scale)
      s.doubt =
          "The part that is steadied moves sideways as well as it turns: a few hundredths more of its shake "
          "may "
          "be left than this says.";
    if (!s.doubt.empty()) s.advice = s.doubt;
  }
  answer.motion =
      std::make_shared<ClipMotion>(ClipMotion{answer.finding.path, answer.shutter, answer.stabilized.frames});
}

std::string describeMotion(const MotionAnswer& answer) {
  const StabilizedClip& s = answer.stabilized;
  return "Shake " + fixedText(s.shake_before_deg, 2) + "° to " + fixedText(s.shake_after_deg, 3) +
         "°, crop " + fixedText(s.crop * 100, 0) + " %." + (s.advice.empty() ? "" : " " + s.advice);
}

}  // namespace glenhaze
