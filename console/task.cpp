#include "core/farm/task.h"
#include "console/console.h"
#include "core/base/error.h"

namespace glenhaze::console {

namespace {

Answer doNumbered(const std::string& folder, const std::string& stage, int number) {
  const Submission submission = loadSubmission(folder);
  const std::vector<FarmTask> tasks = tasksOf(submission, farmStageFromName(stage));
  if (number < 0 || number >= std::ssize(tasks))
    throw Error(ErrorKind::BadRequest, "There is no such task", std::to_string(number), "",
                "This stage has " + std::to_string(tasks.size()));
  const FarmTask& task = tasks[static_cast<size_t>(number)];
  const Interruption interruption;
  doTask(submission, task, {{}, interruption.token()});
  Answer answer;
  answer.json = {{"stage", stage}, {"number", number}};
  return answer;
}

}  // namespace

void addTask(CLI::App& app, Session& session) {
  auto* verb = app.add_subcommand(
      "task",
      "One piece of a run that was handed to other computers; their engine calls it (run --on, --list-jobs)");
  auto folder = std::make_shared<std::string>();
  auto stage = std::make_shared<std::string>();
  auto number = std::make_shared<int>(0);
  verb->add_option("FOLDER", *folder, "Where the work is kept")->required();
  verb->add_option("STAGE", *stage, "look, render, join or collect")->required();
  verb->add_option("NUMBER", *number, "Which task of the stage");
  verb->callback([=, &session] { session.verb = [=] { return doNumbered(*folder, *stage, *number); }; });
}

}  // namespace glenhaze::console
