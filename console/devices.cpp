// "devices": what computes here beside the processor, and how fast it is.
#include "console/console.h"
#include "core/base/numbers.h"
#include "core/media/graphics.h"
#include "core/pipeline/device_trial.h"

namespace glenhaze::console {

namespace {

using nlohmann::json;

Answer listed() {
  Answer answer;
  answer.json = {{"devices", json::array()}, {"decoders", json::array()}};
  for (const DeviceInfo& device : computeDevices()) {
    answer.json["devices"].push_back({{"device", device.id},
                                      {"name", device.name},
                                      {"memory", device.memory},
                                      {"processor", device.processor}});
    answer.text += device.id + (device.processor ? "   (the processor itself, through OpenCL)\n" : "\n");
  }
  for (const GraphicsDecoder& one : graphicsDecoders()) {
    answer.json["decoders"].push_back({{"decoder", one.name}, {"name", one.words}});
    answer.text += "--decoder " + one.name + ": " + one.words + "\n";
  }
  if (answer.text.empty()) answer.text = "Nothing but the processor computes here\n";
  return answer;
}

Answer tried() {
  ProgressLine line("Trying out");
  const DeviceTrial trial = tryDevices(line.progress());
  Answer answer;
  answer.json = {{"choices", json::array()}, {"best", trial.best().choice}};
  for (const DeviceTrial::Row& row : trial.rows) {
    answer.json["choices"].push_back(
        {{"device", row.choice}, {"frames_per_second", row.fps}, {"why", row.why}});
    const std::string who =
        row.choice.empty() ? "The processor" : row.device.id + ", " + choiceParts(row.choice);
    answer.text +=
        who + ": " +
        (row.why.empty() ? number(row.fps, 1) + " frames/s at 1920 × 1080" : "cannot be used: " + row.why) +
        "\n";
  }
  answer.text += trial.best().choice.empty() ? "Fastest: the processor\n"
                                             : "Fastest: --device \"" + trial.best().choice + "\"\n";
  return answer;
}

}  // namespace

void addDevices(CLI::App& app, Session& session) {
  auto* verb = app.add_subcommand("devices", "What can compute here beside the processor (OpenCL)");
  auto out = std::make_shared<bool>(false);
  verb->add_flag("--try", *out, "Try out how fast each is, in some seconds");
  verb->callback([out, &session] { session.verb = [out] { return *out ? tried() : listed(); }; });
}

}  // namespace glenhaze::console
