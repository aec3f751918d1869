#include <algorithm>

#include "core/base/base64.h"
#include "core/base/csv.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/numbers.h"
#include "core/frame/turn.h"
#include "core/media/jpeg.h"
#include "core/media/reader.h"
#include "core/media/source_guard.h"
#include "core/run/batch.h"

namespace glenhaze {

namespace {

std::string htmlText(const std::string& text) {
  std::string out;
  for (const char c : text) {
    if (c == '&')
      out += "&amp;";
    else if (c == '<')
      out += "&lt;";
    else if (c == '>')
      out += "&gt;";
    else if (c == '"')
      out += "&quot;";
    else
      out += c;
  }
  return out;
}

std::string lensText(const RunItem& item) {
  if (!item.plan->job.correction.lens) return "none";
  return item.plan->match.reason;
}

}  // namespace

std::string reportCsv(const std::vector<RunItem>& items) {
  std::string out = "clip,output,state,why,frames,seconds,frames_per_second,bytes,lens,checked\r\n";
  for (const RunItem& item : items)
    out += csvQuoted(item.plan->info.path.string()) + "," + csvQuoted(item.plan->job.place.path.string()) +
           "," + runStateName(item.state) + "," + csvQuoted(item.why) + "," + std::to_string(item.frames) +
           "," + fixedText(item.seconds, 2) + "," + fixedText(item.fps, 2) + "," +
           std::to_string(item.bytes) + "," + csvQuoted(lensText(item)) + "," + csvQuoted(item.checked) +
           "\r\n";
  return out;
}

namespace {

constexpr int kStillWidth = 480;  // px

// A frame as a picture in the page; "" where it cannot be read.
std::string still(const std::filesystem::path& file, int64_t index, const char* what) {
  try {
    const ClipInfo clip = probe(file);
    if (!clip.readable()) return "";
    const Frame frame = turnedFrame(readFrame(clip, std::clamp<int64_t>(index, 0, clip.frames - 1)),
                                    clip.rotation, clip.mirrored);
    const int height = std::max(1, frame.height * kStillWidth / std::max(1, frame.width));
    const std::vector<uint8_t> jpeg = jpegOf(toScreen(frame, kStillWidth, height));
    return std::string("<figure><img alt=\"") + what + "\" width=\"" + std::to_string(kStillWidth) +
           "\" height=\"" + std::to_string(height) + "\" src=\"data:image/jpeg;base64," + base64(jpeg) +
           "\"><figcaption>" + what + "</figcaption></figure>\n";
  } catch (const Error&) {
    return "";
  }
}

std::string stillsOf(const RunItem& item) {
  if (item.state != RunState::Done) return "";
  const Treatment& t = item.plan->decision.treatment;
  const int64_t middle = t.range.count() / 2;
  // Stills of a sequence have no one file to be read from.
  const auto& output = item.plan->job.place.path;
  if (std::filesystem::is_directory(output)) return "";
  const std::string before = still(item.plan->info.path, t.range.first + middle, "before"),
                    after = still(output, middle, "after");
  return before.empty() || after.empty() ? "" : "<div class=\"pair\">" + before + after + "</div>\n";
}

// A line of the list of figures; "" for what there is not.
std::string figure(const std::string& name, const std::string& value) {
  return value.empty() ? "" : "<tr><th>" + name + "</th><td>" + htmlText(value) + "</td></tr>\n";
}

std::string cellOf(const CoverageCell& cell) {
  return cell.kind == Coverage::Missing || cell.kind == Coverage::Off ? "" : cell.figure + ". " + cell.reason;
}

std::string figuresOfItem(const RunItem& item) {
  const ClipPlan& plan = *item.plan;
  std::string out = "<table>\n" + figure("lens", cellOf(plan.lens)) +
                    figure("shutter", cellOf(plan.shutter)) + figure("noise", cellOf(plan.noise)) +
                    figure("stabilization", cellOf(plan.stabilization)) +
                    figure("finish", cellOf(plan.finish));
  if (item.state == RunState::Done)
    out += figure("output", plan.job.place.path.filename().string() + ", " + std::to_string(item.frames) +
                                " frames, " + fixedText(static_cast<double>(item.bytes) / 1e6, 1) + " MB" +
                                (item.fps > 0 ? ", " + fixedText(item.fps, 1) + " frames/s" : "")) +
           figure("checked", item.checked);
  return out + "</table>\n";
}

constexpr const char* kStyle =
    "body{font:15px/1.5 sans-serif;margin:2em auto;max-width:1020px;padding:0 "
    "1em;color:#222;background:#f6f6f4}"
    "section{border-top:1px solid #ccc;padding:1em 0}h2{font-size:1.1em;margin:.2em 0}"
    ".state{color:#555;font-weight:normal}.failed .state{color:#a33b1c;font-weight:bold}"
    ".pair{display:flex;flex-wrap:wrap;gap:12px}figure{margin:.6em 0}img{max-width:100%;height:auto}"
    "figcaption{color:#555;font-size:.85em}table{border-spacing:0;margin:.4em 0}"
    "th{font-weight:normal;text-align:left;color:#555;padding:0 1.2em 0 0;vertical-align:top}td{padding:0}";

}  // namespace

std::string reportHtml(const std::vector<RunItem>& items, const std::string& title,
                       const Progress& progress) {
  std::string clips;
  int done = 0, failed = 0;
  for (size_t i = 0; i < items.size(); ++i) {
    const RunItem& item = items[i];
    progress.check();
    done += item.state == RunState::Done ? 1 : 0;
    failed += item.state == RunState::Failed ? 1 : 0;
    clips += "<section class=\"" + runStateName(item.state) + "\"><h2>" +
             htmlText(item.plan->info.path.filename().string()) + " <span class=\"state\">" +
             runStateName(item.state) + "</span></h2>\n<p>" + htmlText(item.why) + "</p>\n" + stillsOf(item) +
             figuresOfItem(item) + "</section>\n";
    progress.update(static_cast<double>(i + 1) / static_cast<double>(items.size()));
  }
  return "<!doctype html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>" + htmlText(title) +
         "</title>\n<style>" + kStyle + "</style></head>\n<body><h1>" + htmlText(title) + "</h1>\n<p>" +
         std::to_string(done) + " rendered, " + std::to_string(failed) + " failed, " +
         std::to_string(items.size()) + " in all.</p>\n" + clips + "</body></html>\n";
}

void saveReport(const std::filesystem::path& file, const std::vector<RunItem>& items,
                const std::string& title, const Progress& progress) {
  std::vector<std::filesystem::path> kept;
  for (const RunItem& item : items) {
    kept.push_back(item.plan->info.path);
    kept.push_back(item.plan->job.place.path);
  }
  requireNoSource(SourceGuard(kept), file);
  writeFileAtomically(file,
                      file.extension() == ".csv" ? reportCsv(items) : reportHtml(items, title, progress));
}

}  // namespace glenhaze
