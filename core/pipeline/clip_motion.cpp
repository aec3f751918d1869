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

void takeOwnShutter(const MotionRequest& request, const TrackRecord& record, MotionAnswer& answer,
                    const Progress& progress) {
  answer.own_shutter = ownShutterOf(request, record, progress);
  answer.shutter = answer.own_shutter ? answer.own_shutter->shutter : Shutter{};
  if (!answer.shutter.rolls()) answer.shutter = {};
}

constexpr double kMost = 0.5;  // of the frames

// Of things that move on their own some may be followed; of one part all are.
void holdAgainst(const TrackRecord& record, const MotionRequest& request, MotionAnswer& answer) {
  answer.unexplained = unexplainedMotion(record, request.lens, answer.shutter, answer.finding.path,
                                         answer.part == SteadiedPart::Most ? kSteadierParts : 1);
}

// The tracks of what is far or near, where that is asked for and told; the finding is then of them.
std::optional<TrackRecord> followAskedPart(const MotionRequest& request, const TrackRecord& record,
                                           MotionAnswer& answer, const Progress& progress) {
  const SteadiedPart asked = request.settings.part;
  PartTracks part = tracksOfPart(record, asked, request.lens, answer.shutter, answer.finding.path, progress);
  if (part.told_share < kMost) {
    answer.finding.warnings.emplace_back(
        "Near and far things do not move apart enough to be told from each other: what most of the picture "
        "does is steadied.");
    return std::nullopt;
  }
  answer.finding = solvePath(part.record, request.lens, answer.shutter, {}, progress);
  answer.part = asked;
  holdAgainst(part.record, request, answer);
  return std::move(part.record);
}

bool muchMoves(const UnexplainedMotion& left) {
  constexpr double kMuch = 0.35;  // of the picture
  return left.moving_share > kMuch;
}

constexpr double kTold_deg = 0.02;  // less is not seen

// Most of what can be followed may be a thing that is waved before the camera, a crowd, or near things that
// pass: a path of these shakes the scene. Where what is far is told from them, and moves as one under a
// turning camera as all of it does not, it is the scene: its tracks.
std::optional<TrackRecord> followScene(const MotionRequest& request, const TrackRecord& record,
                                       MotionAnswer& answer, const Progress& progress) {
  const UnexplainedMotion& left = answer.unexplained;
  const double noise = pathNoise(answer.finding, request.lens.fx);
  if (!muchMoves(left) && left.any_shake_deg < std::max(kTold_deg, 3 * noise)) return std::nullopt;
  MotionAnswer scene = answer;
  scene.part = SteadiedPart::Far;
  PartTracks far;
  // Held against its own path what is far is told more surely.
  constexpr int kRounds = 2;
  for (int round = 0; round < kRounds; ++round) {
    far = tracksOfPart(record, SteadiedPart::Far, request.lens, scene.shutter, scene.finding.path, progress);
    if (far.told_share < kMost) return std::nullopt;
    // What moves on its own told the readout, if it told any.
    if (request.own_shutter) takeOwnShutter(request, far.record, scene, progress);
    scene.finding = solvePath(far.record, request.lens, scene.shutter, {}, progress);
  }
  holdAgainst(far.record, request, scene);
  constexpr double kClearlyLess = 0.75, kMuchLess = 0.5;
  const UnexplainedMotion& of_scene = scene.unexplained;
  const bool stands =
      of_scene.moving_share < kClearlyLess * left.moving_share && of_scene.any_shake_deg < left.any_shake_deg;
  if (!stands && of_scene.any_shake_deg > kMuchLess * left.any_shake_deg) return std::nullopt;
  scene.moving_share = left.moving_share;
  answer = std::move(scene);
  return std::move(far.record);
}

// Why the steadied picture may not be what the path says, "" where it is.
std::string doubtOf(const UnexplainedMotion& left, double by_path_deg, SteadiedPart part) {
  const bool chosen = part != SteadiedPart::Most;
  if (muchMoves(left))
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
  if (request.own_shutter) takeOwnShutter(request, record, answer, progress);
  answer.finding = solvePath(record, request.lens, answer.shutter, {}, progress);
  holdAgainst(record, request, answer);
  const std::optional<TrackRecord> part = request.settings.part == SteadiedPart::Most
                                              ? followScene(request, record, answer, progress)
                                              : followAskedPart(request, record, answer, progress);
  if (!request.log.empty()) {
    const MotionLog log = readMotionLog(request.log);
    answer.log = fitLog(log, answer.finding.path);
    if (answer.log->usable) {
      answer.finding.path = pathFromLog(log, *answer.log, answer.finding.path);
      holdAgainst(part ? *part : record, request, answer);
    } else {
      answer.finding.warnings.push_back("The motion log does not tell the motion of this clip (agreement " +
                                        std::to_string(std::lround(answer.log->agreement * 100)) +
                                        " %): it is left out.");
    }
  }
  answer.finding.path = mendedByHand(answer.finding.path, request.hand, request.lens);
  // Where a hand says what holds still, tracks do not.
  if (!request.hand.empty()) answer.unexplained = {};
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
    s.doubt = doubtOf(answer.unexplained, by_path, answer.part);
    if (s.doubt.empty() && answer.part != SteadiedPart::Most && answer.finding.shift_and_scale)
      s.doubt =
          "The part that is steadied moves sideways as well as it turns: a few hundredths more of its shake "
          "may "
          "be left than this says.";
    if (!s.doubt.empty()) s.advice = s.doubt;
  }
  answer.motion =
      std::make_shared<ClipMotion>(ClipMotion{answer.finding.path, answer.shutter, answer.stabilized.frames});
}

std::string leftOutNote(const MotionAnswer& answer) {
  if (!(answer.moving_share > 0)) return "";
  return "Much of what can be followed moves on its own, or passes near (" +
         fixedText(answer.moving_share * 100, 0) + " %): the scene behind it is steadied.";
}

std::string describeMotion(const MotionAnswer& answer) {
  const StabilizedClip& s = answer.stabilized;
  const std::string left_out = leftOutNote(answer);
  return "Shake " + fixedText(s.shake_before_deg, 2) + "° to " + fixedText(s.shake_after_deg, 3) +
         "°, crop " + fixedText(s.crop * 100, 0) + " %." + (left_out.empty() ? "" : " " + left_out) +
         (s.advice.empty() ? "" : " " + s.advice);
}

}  // namespace glenhaze
