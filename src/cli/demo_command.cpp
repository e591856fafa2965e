#include <algorithm>
#include <functional>

#include <fmt/format.h>

#include "cli/commands.h"
#include "cli/embedded_examples.h"
#include "cli/print.h"
#include "files/output_folder.h"

namespace greymet::cli {
namespace {

void announce(const Terminal& terminal, std::string_view what, std::string_view command) {
  terminal.out << fmt::format("\n{}\n{}\n\n",
                              tinted(terminal, Tint::bold, fmt::format("== {}", what)),
                              tinted(terminal, Tint::dim, fmt::format("   $ greymet {}", command)));
}

CheckOptions check_of(const std::string& plan) {
  CheckOptions options;
  options.plan = plan;
  return options;
}

// One step of the demo: what it shows, the command as a user would type it, and how it must end.
struct Step {
  std::string title;
  std::string command;
  std::function<int(const Terminal&)> run;
  int expected = exit_fine;
};

std::vector<Step> steps_of(const std::string& clean, const std::string& draft,
                           const std::string& results, bool force) {
  const auto check = [](const std::string& plan) {
    return [plan](const Terminal& t) { return run_check(check_of(plan), t); };
  };
  return {
      {"1. The plan as somebody typed it on a bad day", fmt::format("check {}", draft),
       check(draft), exit_findings},
      {"2. The same plan, corrected", fmt::format("check {}", clean), check(clean)},
      {"3. Why, and how to do it right", "explain F13",
       [](const Terminal& t) {
         ExplainOptions o;
         o.code = "F13";
         return run_explain(o, t);
       }},
      {"4. What a number in a manual may mean, and which point lies there",
       fmt::format("address 1011h 44114 --plan {} --slave burner", clean),
       [clean](const Terminal& t) {
         AddressOptions o;
         o.texts = {"1011h", "44114"};
         o.plan = clean;
         o.slave = "burner";
         return run_address(o, t);
       }},
      {"5. Two registers that the gauge's own display shows as 17.4",
       "value CCCD 418B --type f32 --near 17.4",
       [](const Terminal& t) {
         ValueOptions o;
         o.words = {"CCCD", "418B"};
         o.type = "f32";
         o.near = "17.4";
         return run_value(o, t);
       }},
      {"6. A request and its reply, byte by byte", fmt::format("frame {} burner-release", clean),
       [clean](const Terminal& t) {
         FrameOptions o;
         o.plan = clean;
         o.name = "burner-release";
         return run_frame(o, t);
       }},
      {"7. What lies where in the load-out controller",
       fmt::format("memory {} loadout -o {}", clean, results),
       [clean, results, force](const Terminal& t) {
         MemoryOptions o;
         o.plan = clean;
         o.name = "loadout";
         o.output.out = results;
         o.output.force = force;
         return run_memory(o, t);
       }},
      {"8. Every value of the load-out controller, from both ends",
       fmt::format("points {} loadout -o {}", clean, results),
       [clean, results, force](const Terminal& t) {
         PointsOptions o;
         o.plan = clean;
         o.name = "loadout";
         o.output.out = results;
         o.output.force = force;
         return run_points(o, t);
       }},
      {"9. Does it fit? Every line and connection, bounds beside simulation",
       fmt::format("timing {} -o {}", clean, results),
       [clean, results, force](const Terminal& t) {
         TimingOptions o;
         o.plan = clean;
         o.output.out = results;
         o.output.force = force;
         return run_timing(o, t);
       }},
      {"10. Wanted points as requests, with the least line time", fmt::format("pack {}", clean),
       [clean](const Terminal& t) {
         PackOptions o;
         o.plan = clean;
         return run_pack(o, t);
       }},
      {"11. What would make it fit better", fmt::format("tune {}", clean),
       [clean](const Terminal& t) {
         TuneOptions o;
         o.plan = clean;
         return run_tune(o, t);
       }},
      {"12. The whole exchange rehearsed, before any hardware exists",
       fmt::format("rehearse {} --fast -o {}", clean, results),
       [clean, results, force](const Terminal& t) {
         RehearseOptions o;
         o.plan = clean;
         o.fast = true;
         o.output.out = results;
         o.output.force = force;
         return run_rehearse(o, t);
       }},
      {"13. The exchange for download", fmt::format("export {} -o {}", clean, results),
       [clean, results, force](const Terminal& t) {
         ExportOptions o;
         o.plan = clean;
         o.out = results;
         o.force = force;
         return run_export(o, t);
       }},
  };
}

}  // namespace

int run_demo(const DemoOptions& options, const Terminal& terminal) {
  auto folder = files::OutputFolder::open(options.folder, options.force);
  if (!folder) {
    terminal.err << fmt::format("greymet: {}\n", shown(folder.error().message));
    return exit_unreachable;
  }
  for (const EmbeddedFile& file : embedded_examples()) {
    const auto done = folder->write(std::string(file.name), file.content);
    if (!done) {
      terminal.err << fmt::format("greymet: {}\n", shown(done.error().message));
      return exit_unreachable;
    }
  }
  const std::string& dir = options.folder;
  const std::string clean = dir + "/maltings.toml";
  const std::string draft = dir + "/draft.toml";
  const std::string results = dir + "/results";
  terminal.out << fmt::format("A maltings in {}: {} files, the plan is maltings.toml.\n", dir,
                              embedded_examples().size());

  int worst = exit_fine;
  for (const Step& step : steps_of(clean, draft, results, options.force)) {
    announce(terminal, step.title, step.command);
    const int status = step.run(terminal);
    // a step that does not end as it should means that the demo does not show what it says
    if (status != step.expected) worst = std::max({worst, status, int{exit_findings}});
  }
  terminal.out << fmt::format(
      "\nResults and figures are in {}. Now edit {} and check it again, or let\n"
      "`greymet serve {}` answer your own master.\n",
      results, draft, clean);
  return worst;
}

}  // namespace greymet::cli
