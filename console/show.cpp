// Before and after, for showing others.
#include "core/run/show.h"
#include "console/console.h"

namespace glenhaze::console {

namespace {

struct ShowArguments {
  std::string shoot, clip, out, kind = "divider", before = "before", after = "after";
  bool overwrite = false;
};

Answer show(const ShowArguments& a) {
  PlannedShoot planned = planShootFile(a.shoot);
  keepClips(planned, {a.clip});
  FactStore store(planned.shoot.path.parent_path() / kFactsName);
  ProgressLine line("Showing");
  const ShowResult made =
      makeShow(outputsOf(planned.plans.front()).front(),
               {a.out, *showKindFromName(a.kind), a.before, a.after, a.overwrite}, store, line.progress());
  Answer answer;
  answer.json = {{"written", made.path.string()}, {"frames", made.frames}};
  answer.text = "Written: " + made.path.string() + " (" + std::to_string(made.frames) +
                (made.frames == 1 ? " frame)\n" : " frames)\n");
  return answer;
}

}  // namespace

void addShow(CLI::App& shoot, Session& session) {
  auto* verb = shoot.add_subcommand("show", "Before and after of a clip in one film or still");
  auto a = std::make_shared<ShowArguments>();
  verb->add_option("SHOOT", a->shoot, "Shoot file")->required();
  verb->add_option("CLIP", a->clip, "Clip of the shoot")->required();
  verb->add_option("--out", a->out, "File to write: .mp4, .mov, .mkv, or a still .png, .jpg, .tif")
      ->required();
  verb->add_option("--kind", a->kind, "divider, beside or circle")
      ->check(CLI::IsMember({"divider", "beside", "circle"}));
  verb->add_option("--before", a->before, "Caption of the source; empty for none");
  verb->add_option("--after", a->after, "Caption of the result; empty for none");
  verb->add_flag("--overwrite", a->overwrite, "Replace a file that exists");
  verb->callback([a, &session] { session.verb = [a] { return show(*a); }; });
}

}  // namespace glenhaze::console
