#include "core/base/numbers.h"
#include "core/run/batch.h"

namespace glenhaze {

namespace {

std::string csvField(const std::string& text) {
  std::string out = "\"";
  for (const char c : text) out += c == '"' ? std::string("\"\"") : std::string(1, c);
  return out + "\"";
}

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
    out += csvField(item.plan->info.path.string()) + "," + csvField(item.plan->job.place.path.string()) +
           "," + runStateName(item.state) + "," + csvField(item.why) + "," + std::to_string(item.frames) +
           "," + fixedText(item.seconds, 2) + "," + fixedText(item.fps, 2) + "," +
           std::to_string(item.bytes) + "," + csvField(lensText(item)) + "," + csvField(item.checked) +
           "\r\n";
  return out;
}

std::string reportHtml(const std::vector<RunItem>& items, const std::string& title) {
  std::string rows;
  int done = 0, failed = 0;
  for (const RunItem& item : items) {
    done += item.state == RunState::Done ? 1 : 0;
    failed += item.state == RunState::Failed ? 1 : 0;
    rows += "<tr class=\"" + runStateName(item.state) + "\"><td>" +
            htmlText(item.plan->info.path.filename().string()) + "</td><td>" + runStateName(item.state) +
            "</td><td>" + htmlText(item.why) + "</td><td class=\"n\">" + std::to_string(item.frames) +
            "</td><td class=\"n\">" + fixedText(item.fps, 1) + "</td><td class=\"n\">" +
            fixedText(static_cast<double>(item.bytes) / 1e6, 1) + "</td><td>" +
            htmlText(item.plan->job.place.path.filename().string()) + "</td><td>" + htmlText(lensText(item)) +
            "</td><td>" + htmlText(item.checked) + "</td></tr>\n";
  }
  return "<!doctype html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>" + htmlText(title) +
         "</title>\n<style>body{font:14px/1.5 "
         "sans-serif;margin:2em;color:#222}table{border-collapse:collapse}"
         "td,th{padding:.3em .8em;border-bottom:1px solid #ccc;text-align:left;vertical-align:top}"
         ".n{text-align:right;font-variant-numeric:tabular-nums}.failed "
         "td{background:#f7e3dc}</style></head>\n"
         "<body><h1>" +
         htmlText(title) + "</h1>\n<p>" + std::to_string(done) + " rendered, " + std::to_string(failed) +
         " failed, " + std::to_string(items.size()) +
         " in all.</p>\n<table><tr><th>Clip</th><th>State</th><th>Why</th><th>Frames</th><th>Frames/s</th>"
         "<th>MB</th><th>Output</th><th>Lens</th><th>Checked</th></tr>\n" +
         rows + "</table></body></html>\n";
}

}  // namespace glenhaze
