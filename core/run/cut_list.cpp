#include "core/run/cut_list.h"

#include <algorithm>
#include <cctype>
#include <cmath>
#include <cstdio>
#include <set>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/json_text.h"
#include "core/media/timecode.h"

namespace glenhaze {

namespace {

using nlohmann::json;

// Eight letters and figures, as tapes were numbered; the same for one file, another for each other one.
class Reels {
 public:
  std::string of(const std::filesystem::path& media) {
    constexpr size_t kLongest = 8, kRoom = 4;
    std::string name;
    for (const char c : media.stem().string())
      if (std::isalnum(static_cast<unsigned char>(c)) != 0 && static_cast<unsigned char>(c) < 128)
        name += static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
    if (name.empty()) name = "CLIP";
    std::string reel = name.substr(0, kLongest);
    for (int n = 2; !taken_.insert(reel).second; ++n) {
      const std::string number = std::to_string(n);
      reel = name.substr(0, std::min(kRoom, kLongest - number.size())) + number;
    }
    return reel;
  }

 private:
  std::set<std::string> taken_;
};

std::string threeDigits(int64_t number) {
  std::string text = std::to_string(number);
  return std::string(text.size() < 3 ? 3 - text.size() : 0, '0') + text;
}

std::string fieldOf(const std::string& text, size_t width) {
  return text + std::string(text.size() < width ? width - text.size() : 0, ' ');
}

// One line of an event: from `first` to `last` of the event's own frames, at `at` of the whole.
std::string edlLine(const CutList& list, size_t number, const std::string& reel, const CutEvent& event,
                    const std::string& how, int64_t first, int64_t last, int64_t at) {
  const auto source = [&](int64_t frame) { return timecodeAfter(event.timecode, list.fps, frame); };
  const auto record = [&](int64_t frame) { return timecodeAfter("01:00:00:00", list.fps, frame); };
  return threeDigits(static_cast<int64_t>(number)) + "  " + fieldOf(reel, 8) + " " +
         fieldOf(event.sound ? "AA/V" : "V", 5) + " " + fieldOf(how, 8) + " " + source(first) + " " +
         source(last) + " " + record(at) + " " + record(at + last - first) + "\n";
}

json timeOf(const CutList& list, int64_t frames) {
  return {
      {"OTIO_SCHEMA", "RationalTime.1"}, {"rate", list.fps.value()}, {"value", static_cast<double>(frames)}};
}

json rangeOf(const CutList& list, int64_t start, int64_t frames) {
  return {{"OTIO_SCHEMA", "TimeRange.1"},
          {"start_time", timeOf(list, start)},
          {"duration", timeOf(list, frames)}};
}

// Frames since midnight that a timecode stands for.
int64_t framesOf(const std::string& timecode, const Rational& fps) {
  int h = 0, m = 0, s = 0, f = 0;
  char mark = ':';
  if (std::sscanf(timecode.c_str(), "%d:%d:%d%c%d", &h, &m, &s, &mark, &f) != 5) return 0;
  const int64_t rate = std::llround(fps.value());
  const int64_t minutes = 60LL * h + m;
  int64_t frames = (60 * minutes + s) * rate + f;
  // Two numbers (four at 60) are left out each minute but every tenth.
  if (mark == ';') frames -= rate / 15 * (minutes - minutes / 10);
  return frames;
}

json clipOf(const CutList& list, const CutEvent& event, int64_t from, int64_t frames) {
  const int64_t start = framesOf(event.timecode, list.fps);
  json own = {{"source", pathToText(event.source)}, {"first_frame", event.first}};
  if (!event.reason.empty()) own["reason"] = event.reason;
  return {{"OTIO_SCHEMA", "Clip.1"},
          {"name", event.name},
          {"source_range", rangeOf(list, start + from, frames)},
          {"effects", json::array()},
          {"markers", json::array()},
          {"metadata", {{"glenhaze", own}}},
          {"media_reference",
           {{"OTIO_SCHEMA", "ExternalReference.1"},
            {"name", event.media.filename().string()},
            {"target_url", fileUrl(event.media)},
            {"available_range", rangeOf(list, start, event.frames)},
            {"metadata", json::object()}}}};
}

json trackOf(const CutList& list, const char* kind) {
  // The cut lies in the middle of the frames that two events share.
  const int64_t before = list.dissolve / 2, after = list.dissolve - before;
  json children = json::array();
  for (size_t i = 0; i < list.events.size(); ++i) {
    const CutEvent& event = list.events[i];
    if (i > 0 && list.dissolve > 0)
      children.push_back({{"OTIO_SCHEMA", "Transition.1"},
                          {"name", "dissolve"},
                          {"transition_type", "SMPTE_Dissolve"},
                          {"in_offset", timeOf(list, before)},
                          {"out_offset", timeOf(list, after)},
                          {"metadata", json::object()}});
    const int64_t from = i > 0 ? before : 0;
    const int64_t to = event.frames - (i + 1 < list.events.size() ? after : 0);
    children.push_back(clipOf(list, event, from, to - from));
  }
  return {{"OTIO_SCHEMA", "Track.1"},
          {"name", kind},
          {"kind", kind},
          {"source_range", nullptr},
          {"children", children},
          {"effects", json::array()},
          {"markers", json::array()},
          {"metadata", json::object()}};
}

}  // namespace

int64_t CutList::frames() const {
  int64_t all = 0;
  for (const CutEvent& e : events) all += e.frames;
  return all - dissolve * std::max<int64_t>(0, std::ssize(events) - 1);
}

bool isCutInto(const ClipPlan& output) {
  return output.refusal.empty() && output.info.kind == ClipKind::Film &&
         !isStillCodec(output.decision.treatment.codec);
}

bool canShareRate(const Rational& a, const Rational& b) {
  constexpr double kSame = 0.002;
  return std::abs(a.value() / b.value() - 1) < kSame;
}

CutList cutListOf(std::span<const ClipPlan> plans, const std::string& title, double dissolve_s) {
  CutList list;
  list.title = title;
  const ClipInfo* like = nullptr;
  for (const ClipPlan& clip : plans)
    for (const ClipPlan& plan : outputsOf(clip)) {
      if (!isCutInto(plan)) continue;
      if (like == nullptr) like = &clip.info;
      if (!canShareRate(plan.info.nominal_fps, like->nominal_fps))
        throw Error(ErrorKind::BadRequest, "The clips have different frame rates", plan.info.path.string(),
                    plan.info.nominal_fps.text() + " here, " + like->nominal_fps.text() + " in " +
                        like->path.filename().string(),
                    "Leave those of other rates out of the run");
      const FrameRange& range = plan.decision.treatment.range;
      CutEvent event;
      event.name = plan.info.path.filename().string();
      event.media = plan.job.place.path;
      event.timecode = timecodeAfter(plan.info.timecode, plan.info.nominal_fps, range.first);
      if (plan.info.timecode.empty()) event.timecode = "00:00:00:00";
      event.frames = range.count();
      event.sound = plan.decision.treatment.sound != Sound::None && !plan.info.sound.empty();
      event.source = plan.info.path;
      event.first = range.first;
      for (const Stretch& stretch : clip.clip.stretches)
        if (stretch.frames == *plan.clip.range) event.reason = stretch.reason;
      list.events.push_back(std::move(event));
    }
  if (like == nullptr)
    throw Error(ErrorKind::BadRequest, "There is nothing to put together", "", "no film is to be rendered",
                "Choose clips that can be rendered");
  list.fps = like->nominal_fps;
  list.dissolve = std::llround(dissolve_s * list.fps.value());
  for (const CutEvent& event : list.events)
    if (list.events.size() > 1 && event.frames <= 2 * list.dissolve)
      throw Error(ErrorKind::BadRequest, "A stretch is too short for this dissolve", event.source.string(),
                  std::to_string(event.frames) + " frames", "Make it longer, or the dissolve shorter");
  return list;
}

std::string edlOf(const CutList& list) {
  std::string text = "TITLE: " + list.title + "\nFCM: NON-DROP FRAME\n\n";
  Reels reels;
  std::string former;
  int64_t at = 0;
  for (size_t i = 0; i < list.events.size(); ++i) {
    const CutEvent& event = list.events[i];
    const std::string reel = reels.of(event.media);
    const int64_t shared = i + 1 < list.events.size() ? list.dissolve : 0;
    const int64_t last = event.frames - shared;
    if (i > 0 && list.dissolve > 0) {
      // The former one stands at the frame where it begins to go over.
      const CutEvent& from = list.events[i - 1];
      const int64_t end = from.frames - list.dissolve;
      text += edlLine(list, i + 1, former, from, "C", end, end, at);
      text += edlLine(list, i + 1, reel, event, "D    " + threeDigits(list.dissolve), 0, last, at);
      text += "* FROM CLIP NAME: " + from.media.filename().string() + "\n";
      text += "* TO CLIP NAME: " + event.media.filename().string() + "\n";
    } else {
      text += edlLine(list, i + 1, reel, event, "C", 0, last, at);
      text += "* FROM CLIP NAME: " + event.media.filename().string() + "\n";
    }
    text += "* SOURCE FILE: " + event.media.string() + "\n";
    if (!event.reason.empty()) text += "* COMMENT: " + event.reason + "\n";
    at += last;
    former = reel;
  }
  return text;
}

std::string otioOf(const CutList& list) {
  json tracks = json::array({trackOf(list, "Video")});
  for (const CutEvent& event : list.events)
    if (event.sound) {
      tracks.push_back(trackOf(list, "Audio"));
      break;
    }
  const json timeline = {{"OTIO_SCHEMA", "Timeline.1"},
                         {"name", list.title},
                         {"global_start_time", timeOf(list, framesOf("01:00:00:00", list.fps))},
                         {"metadata", json::object()},
                         {"tracks",
                          {{"OTIO_SCHEMA", "Stack.1"},
                           {"name", "tracks"},
                           {"source_range", nullptr},
                           {"children", tracks},
                           {"effects", json::array()},
                           {"markers", json::array()},
                           {"metadata", json::object()}}}};
  return jsonText(timeline, 2) + "\n";
}

}  // namespace glenhaze
