#include <algorithm>
#include <functional>
#include <memory>

#include <fmt/format.h>

#include "cli/embedded_examples.h"
#include "cli/print.h"
#include "files/output_folder.h"
#include "line/command_line.h"

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

// What the demo works on: files and folders in its own.
struct DemoPaths {
  std::string clean;
  std::string draft;
  std::string faster;
  std::string results;
  std::string own;
  std::string table;  // of a maker
};

std::vector<Step> steps_of(const DemoPaths& paths, bool force) {
  const std::string clean = paths.clean;
  const std::string draft = paths.draft;
  const std::string faster = paths.faster;
  const std::string results = paths.results;
  const std::string own = paths.own;
  const std::string table = paths.table;
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
      {"13. The exchange for download, in every format",
       fmt::format("export {} -o {}", clean, results),
       [clean, results, force](const Terminal& t) {
         ExportOptions o;
         o.plan = clean;
         o.out = results;
         o.force = force;
         return run_export(o, t);
       }},
      {"14. Is what stands there still what the plan gives?",
       fmt::format("export {} --compare {}", clean, results),
       [clean, results](const Terminal& t) {
         ExportOptions o;
         o.plan = clean;
         o.compare = results;
         return run_export(o, t);
       }},
      {"15. The pages for handover, with what the rehearsal measured",
       fmt::format("report {} -o {} --measured {}", clean, results, results),
       [clean, results, force](const Terminal& t) {
         ReportOptions o;
         o.plan = clean;
         o.out = o.measured = results;
         o.force = force;
         return run_report(o, t);
       }},
      {"16. What it would do to set the burner twice as often",
       fmt::format("diff {} {}", clean, faster),
       [clean, faster](const Terminal& t) {
         DiffOptions o;
         o.old_plan = clean;
         o.new_plan = faster;
         return run_diff(o, t);
       },
       exit_findings},
      {"17. A plan of your own, from a page of a manual",
       fmt::format("new {} --line north=rtu,19200,8E1 --slave meter=north,12,{}", own, table),
       [own, table, force](const Terminal& t) {
         NewOptions o;
         o.folder = own;
         o.lines = {"north=rtu,19200,8E1"};
         o.slaves = {"meter=north,12," + table};
         o.force = force;
         return run_new(o, t);
       }},
  };
}

// The clean plan with one row changed.
bool write_faster(files::OutputFolder& folder, const Terminal& terminal) {
  for (const EmbeddedFile& file : embedded_examples()) {
    if (file.name != "maltings.toml") continue;
    std::string text(file.content);
    constexpr std::string_view row = "from = \"%MW1010\", every = \"1s\"";
    constexpr std::string_view twice = "from = \"%MW1010\", every = \"500ms\"";
    if (const std::size_t at = text.find(row); at != std::string::npos) {
      text.replace(at, row.size(), twice);
    }
    if (const auto done = folder.write("faster.toml", text); !done) {
      terminal.err << fmt::format("greymet: {}\n", shown(done.error().message));
      return false;
    }
  }
  return true;
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
  const DemoPaths paths{dir + "/maltings.toml", dir + "/draft.toml", dir + "/faster.toml",
                        dir + "/results",       dir + "/yours",      dir + "/maps/em3-manual.txt"};
  if (!write_faster(*folder, terminal)) return exit_unreachable;
  terminal.out << fmt::format("A maltings in {}: {} files, the plan is maltings.toml.\n", dir,
                              embedded_examples().size());

  int worst = exit_fine;
  for (const Step& step : steps_of(paths, options.force)) {
    announce(terminal, step.title, step.command);
    const int status = step.run(terminal);
    // a step that does not end as it should means that the demo does not show what it says
    if (status != step.expected) worst = std::max({worst, status, int{exit_findings}});
  }
  terminal.out << fmt::format(
      "\nResults, figures and pages are in {0}; open {0}/report.html. What to try next:\n"
      "  edit {1} and check it again: it is yours to begin with\n"
      "  greymet serve {2}   answers your own master with the demo's slaves\n"
      "  greymet check {3} --fix=offers   corrects the bad day\n",
      paths.results, paths.own + "/plan.toml", paths.clean, paths.draft);
  return worst;
}

Action declare_demo(CLI::App& command, const Terminal& terminal) {
  const auto options = std::make_shared<DemoOptions>();
  command.add_option("DIR", options->folder, "folder for the demo")->capture_default_str();
  command.add_flag("--force", options->force, "overwrite files that greymet did not write");
  return [options, &terminal] { return run_demo(*options, terminal); };
}

}  // namespace greymet::cli
