#include <algorithm>
#include <filesystem>
#include <functional>
#include <memory>
#include <optional>
#include <sstream>

#include <fmt/format.h>

#include "cli/embedded_files.h"
#include "cli/folding_stream.h"
#include "cli/print.h"
#include "files/output_folder.h"
#include "line/command_line.h"

namespace greymet::cli {
namespace {

// A line of what a command says, by words that it has, and how many lines from it on.
struct Shown {
  std::string_view words;
  std::size_t lines = 1;
};

CheckOptions check_of(const std::string& plan) {
  CheckOptions options;
  options.plan = plan;
  return options;
}

// One step of the demo: what it shows, the command as a user would type it, the lines of it that
// are shown first, and how it must end.
struct Step {
  std::string title;
  std::string command;
  std::vector<Shown> shows;
  std::function<int(const Terminal&)> run;
  int expected = exit_fine;
};

constexpr std::size_t width_of_demo = 78;  // and two blanks before it

// In the folder of the demo.
constexpr const char* clean_plan = "maltings.toml";
constexpr const char* draft_plan = "draft.toml";
constexpr const char* faster_plan = "faster.toml";
constexpr const char* results_folder = "results";
constexpr const char* own_plan = "yours";
constexpr const char* manual_page = "maps/em3-manual.txt";

template <class Options>
Options with_results(bool force) {
  Options options;
  options.plan = clean_plan;
  options.output.out = results_folder;
  options.output.force = force;
  return options;
}

std::vector<Step> steps_of(bool force) {
  const auto check = [](const std::string& plan) {
    return [plan](const Terminal& t) { return run_check(check_of(plan), t); };
  };
  const std::string with_folder = fmt::format(" {} -o {}", clean_plan, results_folder);
  return {
      {"A plan: two controllers, 18 slaves, 54 transactions, checked",
       fmt::format("check {}", clean_plan),
       {{"54 transactions"}},
       check(clean_plan)},
      {"The same, typed on a bad day: each finding, and what to write instead",
       fmt::format("check {}", draft_plan),
       {{"400o1", 5}, {"error F13", 5}, {"58 transactions"}},
       check(draft_plan),
       exit_findings},
      {"Why, with a wrong and a right example",
       "explain F13",
       {{"40014 as"}},
       [](const Terminal& t) {
         ExplainOptions o;
         o.code = "F13";
         return run_explain(o, t);
       }},
      {"What a number in a manual may mean, and which point lies there",
       fmt::format("address 1011h 44114 --plan {} --slave burner", clean_plan),
       {{"reference  <-", 2}},
       [](const Terminal& t) {
         AddressOptions o;
         o.texts = {"1011h", "44114"};
         o.plan = clean_plan;
         o.slave = "burner";
         return run_address(o, t);
       }},
      {"Two registers that the gauge's own display shows as 17.4",
       "value CCCD 418B --type f32 --near 17.4",
       {{"near 17.4"}},
       [](const Terminal& t) {
         ValueOptions o;
         o.words = {"CCCD", "418B"};
         o.type = "f32";
         o.near = "17.4";
         return run_value(o, t);
       }},
      {"A request byte by byte",
       fmt::format("frame {} burner-release", clean_plan),
       {{"request, ", 2}},
       [](const Terminal& t) {
         FrameOptions o;
         o.plan = clean_plan;
         o.name = "burner-release";
         return run_frame(o, t);
       }},
      {"What lies where in a controller, as a table and a picture",
       fmt::format("memory {} loadout -o {}", clean_plan, results_folder),
       {{"%MW: "}},
       [force](const Terminal& t) {
         auto o = with_results<MemoryOptions>(force);
         o.name = "loadout";
         return run_memory(o, t);
       }},
      {"Every value from both ends: the device's and the program's",
       fmt::format("points {} loadout -o {}", clean_plan, results_folder),
       {{"memory "}, {"moisture.grain_moisture"}},
       [force](const Terminal& t) {
         auto o = with_results<PointsOptions>(force);
         o.name = "loadout";
         return run_points(o, t);
       }},
      {"Does it fit? The use of every line, and whether every period is kept",
       "timing" + with_folder,
       {{"  north "}, {"silent slaves"}},
       [force](const Terminal& t) { return run_timing(with_results<TimingOptions>(force), t); }},
      {"Points that somebody wants, as requests of the shortest line time",
       fmt::format("pack {}", clean_plan),
       {{"roof (tcp)", 2}},
       [](const Terminal& t) {
         PackOptions o;
         o.plan = clean_plan;
         return run_pack(o, t);
       }},
      {"What would make it fit better",
       fmt::format("tune {}", clean_plan),
       {{"Everything fits"}},
       [](const Terminal& t) {
         TuneOptions o;
         o.plan = clean_plan;
         return run_tune(o, t);
       }},
      {"The whole exchange tried before any hardware exists",
       fmt::format("rehearse {} --fast -o {}", clean_plan, results_folder),
       {{"rehearsal passed"}},
       [force](const Terminal& t) {
         auto o = with_results<RehearseOptions>(force);
         o.fast = true;
         return run_rehearse(o, t);
       }},
      {"For the controllers: programs, tables, a workbook",
       "export" + with_folder,
       {{"exchange.xlsx"}, {"kiln.st"}},
       [force](const Terminal& t) {
         ExportOptions o;
         o.plan = clean_plan;
         o.out = results_folder;
         o.force = force;
         return run_export(o, t);
       }},
      {"Is what stands there still what the plan gives?",
       fmt::format("export {} --compare {}", clean_plan, results_folder),
       {{"files are what"}},
       [](const Terminal& t) {
         ExportOptions o;
         o.plan = clean_plan;
         o.compare = results_folder;
         return run_export(o, t);
       }},
      {"The pages for handover, and the sheet for the site",
       fmt::format("report {0} -o {1} --measured {1}", clean_plan, results_folder),
       {{"commissioning.html"}},
       [force](const Terminal& t) {
         ReportOptions o;
         o.plan = clean_plan;
         o.out = o.measured = results_folder;
         o.force = force;
         return run_report(o, t);
       }},
      {"What it would do to set the burner twice as often",
       fmt::format("diff {} {}", clean_plan, faster_plan),
       {{"burner-set: period"}, {"line north: use"}},
       [](const Terminal& t) {
         DiffOptions o;
         o.old_plan = clean_plan;
         o.new_plan = faster_plan;
         return run_diff(o, t);
       },
       exit_findings},
      {"A plan of your own, from a page of a manual",
       fmt::format("new {} --line north=rtu,19200,8E1 --slave meter=north,12,{}", own_plan,
                   manual_page),
       {{"read as hexadecimal"}, {"wrote ", 2}},
       [force](const Terminal& t) {
         NewOptions o;
         o.folder = own_plan;
         o.lines = {"north=rtu,19200,8E1"};
         o.slaves = {fmt::format("meter=north,12,{}", manual_page)};
         o.force = force;
         return run_new(o, t);
       }},
  };
}

// Without what is empty.
std::vector<std::string> lines_of(const std::string& text) {
  std::vector<std::string> lines;
  std::istringstream in(text);
  for (std::string line; std::getline(in, line);) {
    if (!line.empty()) lines.push_back(line);
  }
  return lines;
}

// The lines that a step shows of all it says; nothing where they are not in it.
std::optional<std::string> excerpt(const std::vector<Shown>& shows,
                                   const std::vector<std::string>& lines) {
  std::string text;
  for (const Shown& each : shows) {
    const auto at = std::find_if(lines.begin(), lines.end(), [&](const std::string& line) {
      return line.find(each.words) != std::string::npos;
    });
    if (at == lines.end()) return std::nullopt;
    const auto left = static_cast<std::size_t>(lines.end() - at);
    for (std::size_t i = 0; i < std::min(each.lines, left); ++i) {
      // whole, however long: what is cut off says something else
      std::istringstream parts(folded_line(*(at + static_cast<std::ptrdiff_t>(i)), width_of_demo));
      for (std::string part; std::getline(parts, part);) text += fmt::format("  {}\n", part);
    }
  }
  return text;
}

// Works in a folder, and comes back.
class InFolder {
 public:
  explicit InFolder(const std::string& folder) : before_(std::filesystem::current_path()) {
    std::filesystem::current_path(folder);
  }
  InFolder(const InFolder&) = delete;
  InFolder& operator=(const InFolder&) = delete;
  ~InFolder() {
    std::error_code ignored;
    std::filesystem::current_path(before_, ignored);
  }

 private:
  std::filesystem::path before_;
};

// All that the step says goes into a file; some lines of it, or all, onto the screen. False where
// it does not end, or say, what it should: the demo would not show what it promises.
bool show_step(const Step& step, std::size_t number, const DemoOptions& options,
               const Terminal& terminal) {
  std::ostringstream said;
  Terminal as_wide = plain_terminal(said, said, width_of_demo);
  as_wide.folds = true;
  const int status = step.run(as_wide);
  const auto lines = lines_of(said.str());
  const std::string file =
      fmt::format("{:02}-{}.txt", number, step.command.substr(0, step.command.find(' ')));
  auto folder = files::OutputFolder::open(results_folder, options.force);
  const bool kept = folder && folder->write(file, said.str());
  terminal.out << fmt::format(
      "\n{}\n", tinted(terminal, Tint::bold, fmt::format("{}. {}", number, step.title)));
  terminal.out << tinted(terminal, Tint::blue,
                         folded_line(fmt::format("  $ greymet {}", step.command), width_of_demo))
               << "\n";
  const auto some = excerpt(step.shows, lines);
  if (options.all) {
    terminal.out << "\n" << said.str();
  } else {
    terminal.out << some.value_or(std::string());
  }
  return status == step.expected && kept && some.has_value();
}

// The clean_plan plan with one row changed.
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
  if (!write_faster(*folder, terminal)) return exit_unreachable;
  terminal.out << fmt::format(
      "A maltings, invented, in {0}: {1} files. The commands below were run there;\n"
      "all that each says is in {0}/{2}/NN-COMMAND.txt{3}.\n",
      shown(options.folder), embedded_examples().size(), results_folder,
      options.all ? "" : " (--all shows it)");
  int worst = exit_fine;
  {
    const InFolder there(options.folder);
    std::size_t number = 0;
    for (const Step& step : steps_of(options.force)) {
      if (!show_step(step, ++number, options, terminal)) worst = exit_findings;
    }
  }
  terminal.out << fmt::format(
      "\nOpen {0}/{1}/report.html. To go on:\n"
      "  {0}/{2}/plan.toml is yours to edit and check\n"
      "  greymet serve {0}/{3}   answers your own master\n"
      "  greymet check {0}/{4} --fix=offers   corrects the bad day\n"
      "Start your own:\n"
      "  greymet new plant --line bus=rtu,19200,8E1 --slave meter=bus,5,meter.csv\n",
      shown(options.folder), results_folder, own_plan, clean_plan, draft_plan);
  return worst;
}

Action declare_demo(CLI::App& command, const Terminal& terminal) {
  const auto options = std::make_shared<DemoOptions>();
  command.add_option("DIR", options->folder, "folder for the demo")->capture_default_str();
  command.add_flag("--all", options->all, "show all that every command says");
  command.add_flag("--force", options->force, "overwrite files that greymet did not write");
  return [options, &terminal] { return run_demo(*options, terminal); };
}

}  // namespace greymet::cli
