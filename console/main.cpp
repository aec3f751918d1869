#include <algorithm>
#include <csignal>
#include <cstdio>
#include <iostream>
#include <string_view>

#include "console/console.h"
#include "core/base/error.h"
#include "core/base/json_text.h"
#include "core/base/parallel.h"
#include "core/base/version.h"
#include "core/device/device.h"
#include "core/frame/picture_memory.h"
#include "core/media/graphics.h"
#include "core/media/quiet.h"

using namespace glenhaze;
using namespace glenhaze::console;

namespace {

int exitCodeOf(const Error& error) {
  switch (error.kind()) {
    case ErrorKind::BadRequest:
      return kWrongUse;
    case ErrorKind::Unwritable:
    case ErrorKind::Cancelled:
      return kSomeFailed;
    default:
      return kInputUnusable;
  }
}

int report(const Session& session, const Answer& answer) {
  if (session.json)
    std::cout << jsonText(answer.json) << "\n";
  else
    std::cout << answer.text;
  return answer.exit_code;
}

std::optional<GraphicsDecoder> decoderOf(const Session& session) {
  if (session.decoder.empty()) return std::nullopt;
  if (auto found = graphicsDecoderNamed(session.decoder)) return found;
  throw Error(ErrorKind::BadRequest, "Clips cannot be decoded by this", session.decoder,
              "no such card works here", "\"devices\" tells what does");
}

int run(int argc, char** argv) {
  CLI::App app{"Measures each camera once and corrects every clip from it.", "glenhaze-cli"};
  app.set_version_flag("--version", std::string("glenhaze-cli ") + kVersionText);
  app.require_subcommand(1);
  Session session;
  app.add_flag("--json", session.json, "One JSON object on standard output, nothing else");
  app.add_option("--threads", session.threads, "Worker threads (0: as many as there are cores)")
      ->check(CLI::Range(0, 1024));
  app.add_option("--device", session.device,
                 "What removes noise and resamples, as \"devices\" names it, with \"clean \" or \"place \" "
                 "before it for only that; without it the processor")
      ->envname("GLENHAZE_DEVICE");
  app.add_option("--decoder", session.decoder,
                 "What decodes clips, as \"devices\" names it; without it the processor")
      ->envname("GLENHAZE_DECODER");
  app.fallthrough();
  addProbe(app, session);
  addLens(app, session);
  addShutter(app, session);
  addNoise(app, session);
  addMotion(app, session);
  addProfile(app, session);
  addFinish(app, session);
  addApply(app, session);
  addRun(app, session);
  addShoot(app, session);
  addTask(app, session);
  addDevices(app, session);
  try {
    app.parse(argc, argv);
  } catch (const CLI::ParseError& e) {
    const bool json = std::find(argv, argv + argc, std::string_view("--json")) != argv + argc;
    const int code = app.exit(e);
    if (json && code != 0) std::cout << jsonText({{"error", e.what()}}) << "\n";
    return code == 0 ? kAllDone : kWrongUse;
  }
  const ThreadLimit limit(session.threads);
  try {
    const DeviceUse use(choiceFrom(session.device));
    const GraphicsDecoding decoding(decoderOf(session));
    return report(session, session.verb());
  } catch (const Error& error) {
    std::cerr << "glenhaze-cli: " << error.what() << "\n";
    if (session.json) std::cout << jsonText({{"error", error.what()}}) << "\n";
    return exitCodeOf(error);
  }
}

}  // namespace

int main(int argc, char** argv) {
  glenhaze::leaveNoHoles();
  // A reader that closes its end early ("| head") is no reason to die before cleaning up.
  std::signal(SIGPIPE, SIG_IGN);
  quietLibraries();
  try {
    return run(argc, argv);
  } catch (const std::exception& error) {
    std::cerr << "glenhaze-cli: unexpected trouble: " << error.what() << "\n";
    if (std::find(argv, argv + argc, std::string_view("--json")) != argv + argc)
      std::cout << jsonText({{"error", error.what()}}) << "\n";
    return kInputUnusable;
  }
}
